"""One server for one data folder."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path


class DataInUse(RuntimeError):
    """Another process serves this data folder."""


class DataLock:
    """Holds a data folder as long as this process lives; the system lets go of it even after a crash."""

    def __init__(self, data: Path):
        data.mkdir(parents=True, exist_ok=True)
        self._file = (data / "served-by").open("a+")
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._file.seek(0)
            other = self._file.read().strip() or "unknown"
            self._file.close()
            raise DataInUse(
                f"another Brook (process {other}) serves the data in '{data.name}'; "
                "use that one, stop it first, or choose another folder with --data"
            ) from None
        self._file.truncate(0)
        self._file.write(str(os.getpid()))
        self._file.flush()

    def release(self) -> None:
        self._file.close()
