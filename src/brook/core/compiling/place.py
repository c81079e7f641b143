"""The folder of compiled code."""

from __future__ import annotations

import os
import sys
import time
from functools import cache
from pathlib import Path

PLACE = "BROOK_KERNELS"  # the environment variable that names the folder
DAYS = 60.0  # after which a file that nobody loaded goes
DAY = 86_400.0


def place() -> Path:
    """The folder of compiled code: what the environment says, else one in the user's cache."""
    if said := os.environ.get(PLACE):
        return Path(said)
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "brook" / "kernels"


@cache
def folder() -> Path | None:
    """That folder, made if it was not there; None where it cannot be written to, which is said once."""
    there = place()
    try:
        there.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not os.access(there, os.W_OK | os.X_OK):
            raise PermissionError(13, "not writable")
        facts = there.stat()
        if facts.st_uid != os.geteuid() or facts.st_mode & 0o022:
            raise PermissionError(13, "others may write to it, and what lies there is run")
        return there
    except OSError as error:
        tell(f"compiled code cannot be kept in {there} ({error.strerror}), so every start compiles anew; "
             f"{PLACE} may name another folder")  # fmt: skip
        return None


@cache
def tell(words: str) -> None:
    """Says something on the error channel, once."""
    print(words, file=sys.stderr, flush=True)


def tidy(there: Path) -> int:
    """Removes what nobody loaded for a long time; gives how many files went."""
    gone = 0
    for path in there.iterdir():
        try:
            if path.is_file() and time.time() - path.stat().st_mtime > DAYS * DAY:
                path.unlink()
                gone += 1
        except OSError:
            continue
    return gone
