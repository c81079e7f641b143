"""Who may speak with the queue: a key and a certificate for each data folder, which server, scheduler and workers share.

Work is sent to workers as code, so whoever may speak with a scheduler has the rights of the user it runs as.
"""

from __future__ import annotations

import hashlib
import os
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from distributed import Security

FOLDER = "keys"
CERTIFICATE, KEY = "queue.pem", "queue.key"
SCHEME = "tls://"
# a clock that is set back or stands wrong keeps nobody out
VALID = (datetime(2000, 1, 1, tzinfo=UTC), datetime(2100, 1, 1, tzinfo=UTC))


class KeysRefused(RuntimeError):
    """Keys that others could read, or an address that anybody could speak with."""


@dataclass(frozen=True)
class Keys:
    """Certificate and private key, as PEM text."""

    certificate: str
    key: str

    @classmethod
    def fresh(cls) -> Keys:
        from cryptography import x509  # at the first start only
        from cryptography.hazmat.primitives import hashes, serialization
        from cryptography.hazmat.primitives.asymmetric import ec
        from cryptography.x509.oid import NameOID

        key = ec.generate_private_key(ec.SECP256R1())
        name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "brook-queue")])
        made = (
            x509.CertificateBuilder()
            .subject_name(name)
            .issuer_name(name)
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(VALID[0])
            .not_valid_after(VALID[1])
            .sign(key, hashes.SHA256())
        )
        encoding = serialization.Encoding.PEM
        private = key.private_bytes(encoding, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
        return cls(made.public_bytes(encoding).decode(), private.decode())

    @classmethod
    def of(cls, data: Path) -> Keys:
        """Those of a data folder, made when there are none. Raises `KeysRefused` when others may read the key."""
        folder = data / FOLDER
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        certificate, key = folder / CERTIFICATE, folder / KEY
        if not (certificate.exists() and key.exists()):
            made = cls.fresh()
            _write(key, made.key)
            _write(certificate, made.certificate)
        _mind(key)
        return cls(certificate.read_text(), key.read_text())

    @classmethod
    def there(cls, folder: Path) -> Keys:
        """Those of a data folder, or of a folder to which its two files were copied. Raises `KeysRefused` where there are none."""
        for data in (folder, folder.parent):
            if all((data / FOLDER / name).exists() for name in (CERTIFICATE, KEY)) and (
                data == folder or folder.name == FOLDER
            ):
                return cls.of(data)
        if all((folder / name).exists() for name in (CERTIFICATE, KEY)):
            _mind(folder / KEY)
            return cls((folder / CERTIFICATE).read_text(), (folder / KEY).read_text())
        raise KeysRefused(
            f"there are no keys in '{folder.name}': copy {CERTIFICATE} and {KEY} from the folder '{FOLDER}' of the server's data folder "
            f"('brook keys' makes them), and name their folder with --data"
        )

    @property
    def topic(self) -> str:
        """The name under which workers report to holders of these keys."""
        return f"brook-runs-{hashlib.sha256(self.key.encode()).hexdigest()[:16]}"

    def security(self) -> Security:
        """How everything that speaks with the queue speaks: encrypted, and only with holders of the same key."""
        pair = {f"tls_{who}_{what}": text for who in ("client", "scheduler", "worker")
                for what, text in (("cert", self.certificate), ("key", self.key))}  # fmt: skip
        return Security(require_encryption=True, tls_ca_file=self.certificate, **pair)


def _mind(key: Path) -> None:
    """Raises `KeysRefused` for a key that others may read."""
    found = key.stat()
    if found.st_mode & 0o077 or found.st_uid != os.getuid():
        raise KeysRefused(
            f"the key of the queue, {FOLDER}/{KEY} in the data folder, is not yours alone; whoever reads it may run "
            f"programs as you. Remove the folder '{FOLDER}': new keys are made at the next start"
        )


def checked_address(scheduler: str) -> str:
    """An address that only holders of the key can speak with. Raises `KeysRefused`."""
    if not scheduler.startswith(SCHEME):
        raise KeysRefused(
            f"the scheduler at {scheduler} would answer anybody who reaches it, and do anything for them; start it with "
            f"the keys that 'brook keys' names, and give its address as {SCHEME}HOST:PORT"
        )
    return scheduler


def _write(path: Path, text: str) -> None:
    """A file that only this user can read, whole or not at all."""
    temporary = path.with_name(f".{path.name}-{os.getpid()}")
    handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w") as file:
        file.write(text)
        file.flush()
        os.fsync(handle)
    os.replace(temporary, path)
