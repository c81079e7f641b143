"""One at a time by what is asked for: where many ask for the same at once, the first works it out and the others find it."""

from __future__ import annotations

import threading
from collections.abc import Hashable, Iterator
from contextlib import contextmanager


class Turns:
    """A lock for each key that somebody asks for just now."""

    def __init__(self) -> None:
        self._held: dict[Hashable, tuple[threading.RLock, int]] = {}
        self._lock = threading.Lock()

    @contextmanager
    def of(self, key: Hashable) -> Iterator[None]:
        """Waits until nobody else is at this key; the same thread may come in again."""
        with self._lock:
            lock, count = self._held.get(key, (threading.RLock(), 0))
            self._held[key] = lock, count + 1
        try:
            with lock:
                yield
        finally:
            with self._lock:
                lock, count = self._held[key]
                if count == 1:
                    del self._held[key]
                else:
                    self._held[key] = lock, count - 1
