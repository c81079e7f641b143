"""Where the command `brook` begins, before anything is loaded."""

from __future__ import annotations

import os
import sys
from contextlib import suppress

TUNABLES = "GLIBC_TUNABLES"
# large arrays stand on pages of 2 MB, and the room of one that is no longer used is kept for the next: a third of meshing went into
# asking the system for pages and having them cleared
LARGE_PAGES = ":".join(
    f"glibc.malloc.{name}={value}"
    for name, value in {"hugetlb": 1, "mmap_threshold": 2**32, "trim_threshold": 2**33, "top_pad": 2**27}.items()
)
SINCE = (2, 35)


def _knows_large_pages() -> bool:
    """Whether this system's C library is one that can be asked for large pages."""
    try:
        name, _, version = (os.confstr("CS_GNU_LIBC_VERSION") or "").partition(" ")
        return name == "glibc" and tuple(int(part) for part in version.split(".")[:2]) >= SINCE
    except (AttributeError, ValueError, OSError):
        return False


def with_large_pages() -> None:
    """Begins this process anew with large pages asked for, which is read only then; its children have them too.

    Whoever has set the variable is left alone.
    """
    if TUNABLES not in os.environ and _knows_large_pages():
        os.environ[TUNABLES] = LARGE_PAGES
        with suppress(OSError):  # slower, and the same otherwise
            os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])


def main() -> None:
    """The command line."""
    with_large_pages()
    from brook.cli import app

    app()
