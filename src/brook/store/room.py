"""Room on the disk: how much there is, and what an error says when there is none or nothing may be written."""

from __future__ import annotations

import errno
import os
import shutil
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.exc import DBAPIError

FULL = "the disk is full"
LOCKED = "the data folder cannot be written to"
BUSY = "another program holds the database"
SCARCE = 0.05  # of a disk: less than that is told
_BY_NUMBER = {errno.ENOSPC: FULL, errno.EDQUOT: FULL, errno.EROFS: LOCKED, errno.EACCES: LOCKED, errno.EPERM: LOCKED}
_BY_WORDS = {
    "disk is full": FULL, "readonly database": LOCKED, "unable to open database file": LOCKED, "disk I/O error": FULL,
    "database is locked": BUSY,
}  # fmt: skip


def trouble_of(error: BaseException | None) -> str:
    """What keeps something from being written, in words; '' for errors of another kind."""
    while error is not None:
        if isinstance(error, OSError):
            if words := _BY_NUMBER.get(error.errno or 0):
                return words
            if "requested and" in str(error):  # what an array says that was written in part
                return FULL
        if isinstance(error, DBAPIError):
            return next((words for sign, words in _BY_WORDS.items() if sign in str(error.orig)), "")
        error = error.__cause__
    return ""


@dataclass(frozen=True)
class Room:
    """Free and total bytes of the disk that a folder is on, and whether it can be written to."""

    free: int
    total: int
    writable: bool = True

    @classmethod
    def at(cls, folder: Path) -> Room:
        found = shutil.disk_usage(folder)
        return cls(found.free, found.total, os.access(folder, os.W_OK))

    @property
    def words(self) -> str:
        """What somebody who works here should know, '' when there is room."""
        if not self.writable:
            return LOCKED
        if self.free < SCARCE * self.total:
            share = 100 * self.free / self.total
            return FULL if self.free < 1_000_000 else f"{_bytes(self.free)} free, {share:.1f} % of the disk"
        return ""


def _bytes(count: int) -> str:
    return f"{count / 1e9:.1f} GB" if count >= 1e9 else f"{count / 1e6:.0f} MB"
