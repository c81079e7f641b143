"""All kernels made ready on several cores: those that a new user needs first come first, and what a run waits for goes
before all others."""

from __future__ import annotations

import fcntl
import hashlib
import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from brook.core.compiling import needs as listed
from brook.core.compiling.place import folder, tidy
from brook.core.compiling.turns import no_longer_wanted, part_of_warming, wanted, warming_lock

MOST_PROCESSES = 8
NICENESS = 5  # while the first runs wait
BEHIND = 19  # once they do not: more than that of runs, so that compiling ahead does not slow them down
LOOK = 0.1  # seconds between two looks at what runs wait for


@dataclass
class Progress:
    """How far compiling has come: kernels that are there of `total`; seconds it may still take; `busy` until it ends;
    `first_there` once those of the first purpose are; `failed` says which could not be compiled."""

    there: int = 0
    total: int = 0
    purpose: str = ""
    seconds_left: float = 0.0
    busy: bool = False
    first_there: bool = False
    failed: dict[str, str] = field(default_factory=dict)

    def words(self) -> str:
        """How far it is, in a line."""
        left = f", about {max(1, round(self.seconds_left))} s left" if self.busy else ""
        purpose = f" for {self.purpose}" if self.purpose else ""
        return f"compiling{purpose}: {self.there} of {self.total} kernels{left}"


Say = Callable[[Progress], None]


def cores() -> int:
    """How many processes may compile side by side."""
    return min(len(os.sched_getaffinity(0)), MOST_PROCESSES)


def all_there() -> bool:
    """Whether all kernels of the list were made ready before, from the code as it is."""
    there = folder()
    return there is not None and (there / _marker()).exists()


def warm(say: Say = lambda progress: None, processes: int | None = None, purposes: tuple[str, ...] = (),
         niceness: int = 0, stop: threading.Event | None = None) -> Progress:  # fmt: skip
    """Compiles what is not there yet of the list, or of it only what is for some purposes.

    Ends early when `stop` is set. Another process that warms is helped: no kernel is compiled twice.
    """
    there = folder()
    if there is None or (not purposes and all_there()):
        total = len(listed.needs())
        return Progress(total if there else 0, total)
    with _warming(there):
        work = _Work(say, there, purposes)
        work.do(processes or cores(), niceness, stop or threading.Event())
        if work.is_whole and not purposes:
            tidy(there)
            (there / _marker()).touch()
        work.progress.busy = False
        say(work.progress)
        return work.progress


class Warming:
    """Kernels made ready beside other work, by processes that give way to it."""

    def __init__(self, processes: int | None = None) -> None:
        self._processes, self._stop = processes, threading.Event()
        self._thread = threading.Thread(target=self._work, name="brook-warming", daemon=True)
        self._begun = False
        self.progress = Progress(busy=False)

    def start(self) -> None:
        """Begins, unless all is there; does not wait for it. Once is enough: it does nothing when called again."""
        if not self._begun and not all_there():
            self._begun = self.progress.busy = True
            self._thread.start()

    def wait_for_first(self) -> None:
        """Waits until what a first study needs is there."""
        while self.progress.busy and not self.progress.first_there and not self._stop.wait(LOOK):
            pass

    def stop(self) -> None:
        """Ends it; what is compiled is kept."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5)

    def _work(self) -> None:
        try:
            self.progress = warm(self._take, self._processes, niceness=NICENESS, stop=self._stop)
        except Exception as error:  # pages say so, and runs compile what they need themselves
            self.progress.failed[""] = f"{type(error).__name__}: {error}"
        finally:
            self.progress.busy = False

    def _take(self, progress: Progress) -> None:
        self.progress = progress


class _Work:
    def __init__(self, say: Say, there: Path, purposes: tuple[str, ...]) -> None:
        self.needs, self._say, self._there = listed.needs(), say, there
        chosen = {k for k, n in enumerate(self.needs) if not purposes or n.purpose in purposes}
        for k in sorted(chosen, reverse=True):
            chosen |= set(self._within(k))
        self._first = list(dict.fromkeys(n.purpose for n in self.needs))
        self._open = chosen
        self._done: set[int] = set(range(len(self.needs))) - chosen
        self._under_way: dict[Future, int] = {}
        self._begun = time.monotonic()
        self._spent = 0.0  # seconds by the list of what was compiled here
        self.progress = Progress(0, len(chosen), busy=True)
        self._heavy = self._weights()

    @property
    def is_whole(self) -> bool:
        return not self._open and not self.progress.failed

    def _within(self, k: int) -> list[int]:
        found, waiting = [], list(self.needs[k].calls)
        while waiting:
            if (one := waiting.pop()) not in found:
                found.append(one)
                waiting += self.needs[one].calls
        return found

    def _weights(self) -> list[float]:
        """Seconds from the start of each to the end of the longest row of kernels that wait for it."""
        weights = [n.seconds for n in self.needs]
        for k in sorted(range(len(self.needs)), key=lambda k: -len(self._within(k))):
            for called in self.needs[k].calls:
                weights[called] = max(weights[called], self.needs[called].seconds + weights[k])
        return weights

    def do(self, processes: int, niceness: int, stop: threading.Event) -> None:
        context = multiprocessing.get_context("spawn")
        with ProcessPoolExecutor(processes, context, _begin, (os.getpid(), niceness)) as pool:
            self._tell()
            try:
                while (self._open or self._under_way) and not stop.is_set():
                    while len(self._under_way) < processes and (k := self._next()) is not None:
                        self._open.discard(k)
                        behind = BEHIND if niceness and self.progress.first_there else 0
                        self._under_way[pool.submit(_make, k, behind)] = k
                    for future in wait(self._under_way, LOOK, FIRST_COMPLETED).done:
                        self._take(future)
            except BrokenProcessPool:
                self.progress.failed[""] = "a process that compiled was killed; perhaps there was not enough memory"
            finally:
                if stop.is_set() or self.progress.failed:
                    for process in list((pool._processes or {}).values()):
                        process.kill()
                pool.shutdown(wait=not stop.is_set(), cancel_futures=True)

    def _next(self) -> int | None:
        """What comes next: what the first study needs, what runs wait for, then the other purposes in turn; of it what most
        depends on."""
        asked = set()
        for k in wanted(self._there):
            asked |= {k, *self._within(k)} if k < len(self.needs) else set()
        ready = [k for k in self._open if self._done.issuperset(self.needs[k].calls)]
        order = {name: at for at, name in enumerate(self._first)}

        def rank(k: int) -> tuple[bool, bool, int, float]:
            place = order[self.needs[k].purpose]
            return place > 0, k not in asked, place, -self._heavy[k]

        return min(ready, key=rank, default=None)

    def _take(self, future: Future) -> None:
        k = self._under_way.pop(future)
        need = self.needs[k]
        try:
            compiled = future.result()
        except BrokenProcessPool:
            raise
        except Exception as error:  # whatever it is: the list is not as the code, and whoever made it has to know
            self.progress.failed[f"{need.kernel} {need.takes}"] = f"{type(error).__name__}: {error}"[:400]
            compiled = False
        self._done.add(k)
        self._spent += need.seconds if compiled else 0.0
        self.progress.there += 1
        self._tell()

    def _tell(self) -> None:
        left = self._open | set(self._under_way.values())
        by_list = sum(self.needs[k].seconds for k in left)
        pace = (time.monotonic() - self._begun) / self._spent if self._spent > 3.0 else 1.0 / cores()
        self.progress.seconds_left = by_list * pace
        self.progress.first_there = all(self.needs[k].purpose != self._first[0] for k in left)
        self.progress.purpose = min((self.needs[k].purpose for k in left), key=self._first.index, default="")
        self._say(self.progress)


def _make(k: int, niceness: int) -> bool:
    """In a process of the pool: compiles one, giving way to others as said; whether it was not there before."""
    from brook.core.compiling.kinds import kernel_of

    if niceness > os.getpriority(os.PRIO_PROCESS, 0):
        os.setpriority(os.PRIO_PROCESS, 0, niceness)
    kernel, types = kernel_of(listed.needs()[k])
    try:
        path = kernel._cache.path(types)
        if path is None or path.exists():
            return False
        kernel.compile(types)
        return True
    finally:
        no_longer_wanted(k)


def _begin(parent: int, niceness: int) -> None:
    end_with(parent)
    part_of_warming()
    os.nice(niceness)


def end_with(parent: int) -> None:
    """From now on this process ends when its parent does, and leaves interrupts from the keyboard to it."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)

    def watch() -> None:
        stop = threading.Event()
        while not stop.wait(2.0):
            if os.getppid() != parent:
                os._exit(0)

    threading.Thread(target=watch, daemon=True).start()


@contextmanager
def _warming(there: Path) -> Iterator[None]:
    """Others see meanwhile that kernels are made ready. Several may do so at once: they take turns kernel by kernel."""
    try:
        descriptor = os.open(warming_lock(there), os.O_RDWR | os.O_CREAT, 0o600)
    except OSError:
        yield
        return
    try:
        fcntl.flock(descriptor, fcntl.LOCK_SH)
        yield
    finally:
        os.close(descriptor)


def _marker() -> str:
    """A name that changes with the list and with any file of the core, without compiling or importing one."""
    core = Path(__file__).parents[1]
    facts = [
        f"{p.relative_to(core)} {s.st_size} {s.st_mtime_ns}" for p in sorted(core.rglob("*.py")) for s in [p.stat()]
    ]
    return "all-" + hashlib.sha256("\n".join([str(core), listed.edition(), *facts]).encode()).hexdigest()[:24]


__all__ = ["Progress", "Warming", "all_there", "cores", "end_with", "warm"]
