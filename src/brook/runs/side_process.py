"""One process beside the server that answers questions, so that the server stays quick: it reads results for the pages, makes
shapes, or looks at what users send."""

from __future__ import annotations

import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import CancelledError, Future, ProcessPoolExecutor
from concurrent.futures import TimeoutError as Late
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from brook.core.compiling.warming import end_with

Found = TypeVar("Found")
SECONDS = 60.0
MOST_WAITING = 12
LOADING = 120.0  # s that a process may take to load what it needs, on a busy machine


class SideProcessError(RuntimeError):
    """Reading took too long, or the process was lost twice."""


def _warm() -> bool:
    import brook.runs.readout  # noqa: F401

    return True


class SideProcess:
    """Answers one question at a time. Safe to ask from any thread, by at most `MOST_WAITING` at once: each holds a thread.

    `begin` is what the process does first; a question whose process is lost is asked `tries` times.
    """

    def __init__(
        self, seconds: float = SECONDS, warm: Callable[[], bool] = _warm, begin: Callable[[int], None] = end_with,
        tries: int = 2,
    ) -> None:  # fmt: skip
        self.seconds, self._warm, self._begin, self._tries = seconds, warm, begin, tries
        self._lock = threading.Lock()
        self._waiting = 0
        self._pool: ProcessPoolExecutor | None = None
        self._loaded: Future[Any] = Future()
        self._stopped: ProcessPoolExecutor | None = None

    def start(self) -> None:
        """Begins to load what reading needs; does not wait for it."""
        self._ready()

    def ask(self, question: Callable[..., Found], *arguments: Any, seconds: float | None = None) -> Found:
        """The answer of a module-level function. Raises what it raises, or `SideProcessError`."""
        with self._lock:
            if self._waiting >= MOST_WAITING:
                raise SideProcessError(f"{MOST_WAITING} questions wait for an answer just now; try again in a minute")
            self._waiting += 1
        try:
            return self._answer(question, arguments, seconds or self.seconds)
        finally:
            with self._lock:
                self._waiting -= 1

    def _answer(self, question: Callable[..., Found], arguments: tuple[Any, ...], seconds: float) -> Found:
        for _ in range(self._tries):
            pool, loaded = self._ready()
            try:
                loaded.result(LOADING)  # a process that has just begun takes its time, which is not the question's
                return pool.submit(question, *arguments).result(seconds)
            except (BrokenProcessPool, CancelledError):
                self._forget(pool)
                if pool is self._stopped:
                    raise SideProcessError("stopped") from None
            except Late:
                self._forget(pool)
                if not loaded.done():
                    raise SideProcessError(
                        "what reads this is not ready yet on a busy machine; try again in a minute"
                    ) from None
                raise SideProcessError(
                    f"this took longer than {seconds:.0f} s and was given up; look at a smaller part"
                ) from None
        times = "twice" if self._tries > 1 else "on the way"
        raise SideProcessError(
            f"the process that worked on this was lost {times}; it may need more memory than there is"
        )

    def stop(self) -> None:
        """Ends what is being answered; whoever asked gets a `SideProcessError`."""
        with self._lock:
            pool = self._stopped = self._pool
        if pool is not None:
            self._forget(pool)

    def close(self) -> None:
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            _end(pool)

    def _ready(self) -> tuple[ProcessPoolExecutor, Future[Any]]:
        """The pool, and what is done once its process has loaded what it needs."""
        with self._lock:
            if self._pool is None:
                context = multiprocessing.get_context("spawn")
                self._pool = ProcessPoolExecutor(1, context, self._begin, (os.getpid(),))
                self._loaded = self._pool.submit(self._warm)
            return self._pool, self._loaded

    def _forget(self, pool: ProcessPoolExecutor) -> None:
        with self._lock:
            if self._pool is pool:
                self._pool = None
        _end(pool)


def _end(pool: ProcessPoolExecutor) -> None:
    for process in list((pool._processes or {}).values()):
        process.kill()
    pool.shutdown(wait=False, cancel_futures=True)
