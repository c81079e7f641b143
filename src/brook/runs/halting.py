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
    just then is through. A second thread asks; what `wish` raises counts as a wish for an end too."""
    worker, over = threading.get_ident(), threading.Event()

    def watch() -> None:
        while not over.wait(EVERY):
            try:
                goes_on = wish() == "go on"
            except Exception:
                goes_on = False
            if not goes_on and not over.is_set():
                ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(worker), ctypes.py_object(halted))

    watcher = threading.Thread(target=watch, daemon=True)
    watcher.start()
    try:
        yield
    finally:
        over.set()
        watcher.join()
