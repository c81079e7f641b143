"""Slows down whoever tries passwords: after some wrong ones each further one has to wait longer."""

from __future__ import annotations

import asyncio
import threading
import time
from collections import OrderedDict

LONGEST = 900.0  # seconds that one has to wait at most
FORGET = 3600.0  # seconds after which wrong ones are forgotten
MOST = 20_000  # names and addresses that are remembered


class Throttle:
    """Counts what went wrong by key; each key has some tries free."""

    def __init__(self, clock: object = None):
        self._now = clock if callable(clock) else time.monotonic
        self._wrong: OrderedDict[str, tuple[int, float]] = OrderedDict()
        self._lock = threading.Lock()

    def wait(self, free: dict[str, int]) -> float:
        """Seconds that one has to wait still, by the keys that concern one and how many tries each has free."""
        with self._lock:
            return max((self._of(key, tries) for key, tries in free.items()), default=0.0)

    def failed(self, keys: list[str]) -> None:
        with self._lock:
            for key in keys:
                count, at = self._wrong.pop(key, (0, 0.0))
                count = 0 if self._now() - at > FORGET else count
                self._wrong[key] = count + 1, self._now()
                if len(self._wrong) > MOST:
                    self._wrong.popitem(last=False)

    def went_well(self, keys: list[str]) -> None:
        with self._lock:
            for key in keys:
                self._wrong.pop(key, None)

    def _of(self, key: str, free: int) -> float:
        count, at = self._wrong.get(key, (0, 0.0))
        if count < free or self._now() - at > FORGET:
            return 0.0
        return max(0.0, at + min(LONGEST, 2.0 ** (count - free)) - self._now())


class Few:
    """Lets so many in at a time; the others wait without a thread. `count` is how many are in or wait."""

    def __init__(self, most: int):
        self._room, self.count = asyncio.Semaphore(most), 0

    async def __aenter__(self) -> None:
        self.count += 1
        try:
            await self._room.acquire()
        except BaseException:
            self.count -= 1
            raise

    async def __aexit__(self, *_: object) -> None:
        self.count -= 1
        self._room.release()
