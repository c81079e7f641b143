"""What a run takes of the machine: the time of its cores and the most memory at once."""

from __future__ import annotations

import contextlib
import platform
import re
import resource
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numba

LOOK = 2.0  # seconds between two looks at how many cores there are
RESET_PEAK = "5"  # what /proc/self/clear_refs takes for it


class Spent:
    """Begins to measure this process when it is made."""

    def __init__(self) -> None:
        self._cpu, self.machine = time.process_time(), platform.node()[:60]
        with contextlib.suppress(OSError):  # on other systems the peak is that of the whole process
            Path("/proc/self/clear_refs").write_text(RESET_PEAK)

    def told(self) -> dict[str, float | int | str]:
        """Seconds of cores, bytes of memory at most, and the machine's name."""
        return {"cpu": time.process_time() - self._cpu, "memory": peak(), "machine": self.machine}


def peak() -> int:
    """The most bytes of memory that this process had since they were last counted anew."""
    with contextlib.suppress(OSError):
        found = re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
        if found:
            return 1024 * int(found[1])
    return 1024 * resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


class CoresHeld:
    """Has loops of this thread take as many cores as the queue says, looked at again and again; all of them where it says nothing."""

    def __init__(self, wanted: Callable[[], int | None]) -> None:
        self._wanted, self._next, self._mine = wanted, 0.0, threading.get_ident()

    def look(self) -> None:
        if time.monotonic() < self._next or threading.get_ident() != self._mine:
            return
        self._next = time.monotonic() + LOOK
        most = int(numba.config.NUMBA_NUM_THREADS)
        numba.set_num_threads(max(1, min(self._wanted() or most, most)))
