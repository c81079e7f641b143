"""Room in memory for meshes and runs: asked for before they begin, shared by all that compute on this machine."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import platform
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil

from brook.core import memory
from brook.core.memory import gb, needed
from brook.core.solve.run import Wish

EVERY = 1.0  # seconds
LIST = "memory.json"


class Unwanted(Exception):
    """Somebody wished for an end while a run waited for memory."""


class Memory:
    """What runs of a data folder have asked for and not yet taken, in a file that only one of them changes at a time."""

    def __init__(self, folder: Path):
        self._list = folder / LIST
        self._me = f"{platform.node()}:{os.getpid()}"

    @contextmanager
    def taken(self, cells: int, what: str, tell: Callable[[str], None], wish: Callable[[], Wish]) -> Iterator[None]:
        """Room for so many cells while the block runs; waits for it. `what` begins the words.

        Raises `TooLarge` when the machine could never hold it, `Unwanted` when it waits and `wish` is for an end.
        """
        memory.refuse_too_large(cells, what)
        bytes_needed, told = needed(cells), ""
        while not self._reserve(bytes_needed):
            words = f"{what} waits for memory: it needs about {gb(bytes_needed)}, {gb(self.left())} are free"
            if words != told:
                tell(words)
                told = words
            if wish() != "go on":
                raise Unwanted
            time.sleep(EVERY)
        if told:
            tell("")
        try:
            yield
        finally:
            with self._changing() as held:
                held.pop(self._me, None)

    def left(self) -> int:
        """Bytes that are free and that nobody has asked for."""
        with self._changing() as held:
            return self._unclaimed(held)

    def _unclaimed(self, held: dict[str, int]) -> int:
        """What is free now less what others here have asked for and not taken yet."""
        claims = sum(max(0, asked - _standing(key)) for key, asked in held.items() if key != self._me)
        return max(0, memory.machine_free() - claims - int(memory.LEFT * memory.machine_total()))

    def _reserve(self, bytes_needed: int) -> bool:
        with self._changing() as held:
            held.pop(self._me, None)
            if self._unclaimed(held) < bytes_needed - _standing(self._me):
                return False
            held[self._me] = bytes_needed
            return True

    @contextmanager
    def _changing(self) -> Iterator[dict[str, int]]:
        """The list, by machine and process; processes of this machine that are gone are left out."""
        self._list.parent.mkdir(parents=True, exist_ok=True)
        with self._list.open("a+") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            file.seek(0)
            try:
                held = {str(key): int(asked) for key, asked in json.loads(file.read() or "{}").items()}
            except (ValueError, AttributeError, TypeError):
                held = {}  # cut short by a full disk, say
            held = {key: asked for key, asked in held.items() if _is_alive(key)}
            yield held
            with contextlib.suppress(OSError):  # a full disk loses the list, not the run
                file.truncate(0)
                file.write(json.dumps(held))
                file.flush()


def _is_alive(key: str) -> bool:
    node, _, pid = key.rpartition(":")
    return node != platform.node() or (pid.isdigit() and psutil.pid_exists(int(pid)))


def _standing(key: str) -> int:
    """Bytes of memory that a process has now; those of other machines take nothing here."""
    node, _, pid = key.rpartition(":")
    if node != platform.node():
        return 2**62
    try:
        return int(psutil.Process(int(pid)).memory_info().rss)
    except (psutil.Error, ValueError):
        return 0
