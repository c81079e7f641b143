"""The machine's memory, and what meshes and runs need of it."""

from __future__ import annotations

import os
import resource
from pathlib import Path

import psutil

from brook.core.mesh.boxes.estimate import BYTES_PER_CELL

SAID = "BROOK_MEMORY"  # bytes of this machine that are for Brook, where somebody says so
PROGRAM = 300_000_000  # bytes that a process takes without any mesh
LEFT = 0.05  # of the machine's memory: for pages and all else
OOM_ADJUST = 500  # a run is ended by the system before the server is


class TooLarge(ValueError):
    """A mesh or a run that this machine has not memory enough for."""


def needed(cells: int) -> int:
    """Bytes at the peak of making a mesh of so many cells and of a run on it."""
    return PROGRAM + cells * BYTES_PER_CELL


def machine_total() -> int:
    """Bytes of memory that programs here may take together: the machine's, the limit of their group, or what somebody said."""
    said = os.environ.get(SAID, "")
    return min(
        psutil.virtual_memory().total, _number("/sys/fs/cgroup/memory.max"), int(said) if said.isdigit() else 2**62
    )


def machine_free() -> int:
    """Bytes that are free for programs now."""
    group = _number("/sys/fs/cgroup/memory.max") - _number("/sys/fs/cgroup/memory.current", 0)
    return max(0, min(psutil.virtual_memory().available, group))


def killed_for_memory() -> int:
    """How many processes the system has ended for want of memory since it started."""
    try:
        with open("/proc/vmstat") as lines:
            return next((int(line.split()[1]) for line in lines if line.startswith("oom_kill ")), 0)
    except OSError:
        return 0


def _number(path: str, otherwise: int = 2**62) -> int:
    try:
        return int(Path(path).read_text())
    except (OSError, ValueError):
        return otherwise


def mind_limits() -> None:
    """From now on this process gets an error when it asks for more than the machine has, and goes before the server."""
    most = int((1 - LEFT) * machine_total())
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))
    try:
        Path("/proc/self/oom_score_adj").write_text(str(OOM_ADJUST))
    except OSError:
        return  # not on this system


def most_here() -> int:
    """Bytes that meshes and runs may take on this machine."""
    return int((1 - LEFT) * machine_total())


def refuse_too_large(cells: int, what: str, free: int | None = None) -> None:
    """Raises `TooLarge` for more cells than the machine could ever hold, or than fit into `free` bytes where given.

    `what` begins the words, like "the mesh of about 5 cells".
    """
    bytes_needed, most = needed(cells), most_here()
    if bytes_needed > most:
        raise TooLarge(
            f"{what} needs about {gb(bytes_needed)} of memory and this machine has {gb(most)} for it; choose larger cells"
        )
    if free is not None and bytes_needed > free:
        raise TooLarge(
            f"{what} needs about {gb(bytes_needed)} of memory and {gb(free)} are free now; end other programs or choose "
            "larger cells"
        )


def gb(count: float) -> str:
    """So many bytes, in words."""
    return f"{count / 1e9:.1f} GB" if count >= 1e8 else f"{count / 1e6:.0f} MB"
