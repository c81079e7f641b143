"""A speed figure, and the memory bandwidth of the same moment on the same machine."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.compiling.kernel import kernel, prange

TRIAD_BYTES = 24


@dataclass(frozen=True)
class Figure:
    """A value for each item: `µs`, counted also in triads of 24 B at the bandwidth measured with it, or `B`; or one for all
    items: `s`."""

    name: str
    what: str
    value: float
    unit: str
    items: int
    bandwidth: float
    threads: int

    @property
    def triads(self) -> float | None:
        """How many triads of the memory a figure in µs is worth, None for others."""
        return self.value * 1e-6 * self.bandwidth / TRIAD_BYTES if self.unit == "µs" else None

    def line(self) -> str:
        """A line to read."""
        value = f"{self.value:.3g} {self.unit}".strip()
        text = f"{self.name}: {value} {self.what}, {self.items} items"
        if self.triads is None:
            return f"{text}, beside {self.bandwidth / 1e9:.3g} GB/s" if self.bandwidth else text
        return f"{text}, {self.triads:.0f} triads at {self.bandwidth / 1e9:.3g} GB/s on {self.threads} thread(s)"

    def as_dict(self) -> dict[str, Any]:
        """The same for a file."""
        return {**asdict(self), "triads": self.triads}


@kernel(parallel=True)
def _triad(a, b, c, factor):  # type: ignore[no-untyped-def]
    for i in prange(len(a)):
        a[i] = b[i] + factor * c[i]


def bandwidth(length: int = 8_000_000) -> float:
    """STREAM triad (McCalpin 1995) in B/s, the best of five, on as many threads as Numba uses."""
    a, b, c = np.zeros(length), np.ones(length), np.ones(length)
    _triad(a, b, c, 3.0)
    best = min(timed(lambda: _triad(a, b, c, 3.0)) for _ in range(5))
    return TRIAD_BYTES * length / best


def timed(work: Callable[[], Any]) -> float:
    """Seconds that some work takes."""
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def threads() -> int:
    """How many threads loops are shared among."""
    from numba import get_num_threads

    return int(get_num_threads())


def figure(name: str, what: str, seconds: float, items: int) -> Figure:
    """A figure in µs of each of so many items, from seconds for all."""
    return Figure(name, what, 1e6 * seconds / items, "µs", items, bandwidth(), threads())


def standing(name: str) -> int:
    """Bytes of this process by their name in Linux: VmRSS those that it has, VmHWM the most that it has had."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return 1024 * next(int(line.split()[1]) for line in lines if line.startswith(name))
