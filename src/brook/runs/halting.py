"""Ending work that has no place to ask whether it shall go on."""

from __future__ import annotations

import ctypes
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

EVERY = 0.4  # seconds


@contextmanager
def halting(wish: Callable[[], str], halted: type[BaseException]) -> Iterator[None]:
    """Raises `halted` in the work within, soon after `wish` is no longer "go on": as soon as a compiled loop that runs
    just then is through. A second thread asks; what `wish` raises is raised there instead."""
    worker, over = threading.get_ident(), threading.Event()
    raised: list[type[BaseException]] = []

    def watch() -> None:
        while not over.wait(EVERY):
            reason: type[BaseException] | None = None
            try:
                if wish() != "go on":
                    reason = halted
            except Exception as error:
                reason = type(error)
            if reason is not None and not over.is_set():
                raised.append(reason)
                ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(worker), ctypes.py_object(reason))

    watcher = threading.Thread(target=watch, daemon=True)
    watcher.start()
    try:
        yield
    except Exception as error:
        # within compiled code it may come out as an error of another kind
        if raised and not isinstance(error, raised[0]):
            raise raised[0] from error
        raise
    finally:
        over.set()
        watcher.join()
