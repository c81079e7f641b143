"""Which runs begin next and how many cores each has: in their order, so that the machine is used and never swamped.

Small ones run side by side, a core each, with those that are left over for the first; a large one has all cores to itself, as it needs most of the memory too. What begins
is never taken back for what comes later.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from brook.core.memory import gb, needed

LARGE = 150_000  # cells from which a run has all cores
CORES_ASKED, MEMORY_ASKED = "brook-cores", "brook-memory"  # what workers of a cluster say they have


@dataclass(frozen=True)
class Waiting:
    """A run that waits, with the cells it will have as far as that is known (0: not), and when it may begin, in UTC."""

    run: int
    cells: int = 0
    not_before: datetime | None = None

    @property
    def is_large(self) -> bool:
        return self.cells >= LARGE


@dataclass(frozen=True)
class Machine:
    """A worker of a cluster: its cores and bytes of memory, 0 where it does not say."""

    name: str
    cores: int = 0
    memory: int = 0


def asks(cells: int, machines: Sequence[Machine]) -> tuple[dict[str, float], str]:
    """What the worker of a run must have, and why no worker there is can do it, '' where one can. A large run is given to one with as many cores as any that has
    the memory; where some worker does not say what it has, nothing is asked for."""
    if not machines:
        return {}, "waits for a worker: there is none just now"
    if any(not m.cores or not m.memory for m in machines):
        return {}, ""
    wanted = needed(cells) if cells else 0
    fit = [m for m in machines if m.memory >= wanted]
    if not fit:
        most = max(m.memory for m in machines)
        return {}, f"waits for a larger worker: it needs about {gb(wanted)}, the largest there is has {gb(most)}"
    cores = max(m.cores for m in fit) if cells >= LARGE else 1
    return {MEMORY_ASKED: float(wanted), CORES_ASKED: float(cores)}, ""


def begin_next(
    waiting: Sequence[Waiting], running: Sequence[int], cores: int, free: int, at: datetime
) -> tuple[list[int], dict[int, str]]:
    """Which of those that wait, in their order, begin now beside those `running` (their cells), and why each of the others does not yet. `free` is in bytes; one that has
    the machine to itself begins whatever it needs, and is told or refused by its worker."""
    begun: list[int] = []
    why: dict[int, str] = {}
    busy, blocked = list(running), ""
    for run in waiting:
        if run.not_before is not None and run.not_before > at:
            why[run.run] = "waits for its time"
            continue
        blocked = blocked or _what_blocks(run, busy, cores, free)
        if blocked:
            why[run.run] = blocked
            blocked = "waits for its turn"
            continue
        begun.append(run.run)
        busy.append(run.cells)
        free -= needed(run.cells)
    return begun, why


def _what_blocks(run: Waiting, busy: list[int], cores: int, free: int) -> str:
    if not busy:
        return ""
    if any(cells >= LARGE for cells in busy):
        return "waits until the large run is over, which has all cores"
    if len(busy) >= cores:
        return "waits for a core"
    if run.is_large:
        return "is large and will have all cores: waits until those under way are over"
    if run.cells and needed(run.cells) > free:
        return f"waits for memory: it needs about {gb(needed(run.cells))}, {gb(max(free, 0))} are free"
    return ""


def shares(runs: Sequence[int], cores: int) -> dict[int, int]:
    """Cores of each of these runs, at least one; what is left over goes to the first."""
    each, over = divmod(max(cores, len(runs)), len(runs)) if runs else (0, 0)
    return {run: each + (k < over) for k, run in enumerate(runs)}
