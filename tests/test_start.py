"""The command begins with large pages asked for, once, and leaves alone what was asked for already."""

from __future__ import annotations

import os
import subprocess
import sys

from brook.start import LARGE_PAGES

ASKED = "import os; from brook.start import with_large_pages; with_large_pages(); print(os.getpid(), os.environ.get('GLIBC_TUNABLES'))"


def said(**surroundings: str) -> tuple[str, str]:
    kept = {name: value for name, value in os.environ.items() if name != "GLIBC_TUNABLES"}
    with subprocess.Popen(
        [sys.executable, "-c", ASKED], env=kept | surroundings, stdout=subprocess.PIPE, text=True
    ) as process:
        out, _ = process.communicate()
    pid, tunables = out.split()
    assert int(pid) == process.pid  # begun anew in place, so whoever watches it goes on doing so
    return pid, tunables


def test_large_pages_are_asked_for_where_the_library_knows_them() -> None:
    assert said()[1] in (LARGE_PAGES, "None")


def test_what_was_asked_for_stays() -> None:
    assert said(GLIBC_TUNABLES="glibc.malloc.check=0")[1] == "glibc.malloc.check=0"
