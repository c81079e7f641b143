"""The desk: one process beside the server that reads results for the pages, so that the server stays quick."""

from __future__ import annotations

import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import CancelledError, ProcessPoolExecutor
from concurrent.futures import TimeoutError as Late
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from brook.core.compiling.warming import end_with

Found = TypeVar("Found")
SECONDS = 60.0


class DeskError(RuntimeError):
    """Reading took too long, or the process was lost twice."""


def _warm() -> bool:
    import brook.runs.readout  # noqa: F401

    return True


class Desk:
    """Answers one question at a time. Safe to ask from any thread."""

    def __init__(self, seconds: float = SECONDS, warm: Callable[[], bool] = _warm) -> None:
        self.seconds, self._warm = seconds, warm
        self._lock = threading.Lock()
        self._pool: ProcessPoolExecutor | None = None
        self._stopped: ProcessPoolExecutor | None = None

    def start(self) -> None:
        """Begins to load what reading needs; does not wait for it."""
        self._ready().submit(self._warm)

    def ask(self, question: Callable[..., Found], *arguments: Any) -> Found:
        """The answer of a module-level function. Raises what it raises, or `DeskError`."""
        for _ in range(2):
            pool = self._ready()
            try:
                return pool.submit(question, *arguments).result(self.seconds)
            except (BrokenProcessPool, CancelledError):
                self._forget(pool)
                if pool is self._stopped:
                    raise DeskError("stopped") from None
            except Late:
                self._forget(pool)
                raise DeskError(
                    f"this took longer than {self.seconds:.0f} s and was given up; look at a smaller part"
                ) from None
        raise DeskError("the process that worked on this was lost twice; it may need more memory than there is")

    def stop(self) -> None:
        """Ends what is being answered; whoever asked gets a `DeskError`."""
        with self._lock:
            pool = self._stopped = self._pool
        if pool is not None:
            self._forget(pool)

    def close(self) -> None:
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            _end(pool)

    def _ready(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                context = multiprocessing.get_context("spawn")
                self._pool = ProcessPoolExecutor(1, context, end_with, (os.getpid(),))
            return self._pool

    def _forget(self, pool: ProcessPoolExecutor) -> None:
        with self._lock:
            if self._pool is pool:
                self._pool = None
        _end(pool)


def _end(pool: ProcessPoolExecutor) -> None:
    for process in list((pool._processes or {}).values()):
        process.kill()
    pool.shutdown(wait=False, cancel_futures=True)
