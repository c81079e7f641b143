"""How long loops are shared out, the same way whatever the number of threads, so that answers do not depend on it.

A `Loop` has two compiled forms: for one stretch, and for all at once on all threads. Small systems go through the first,
where starting threads would take longer than the work.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from brook.core.compiling.kernel import Loop

SINGLE = 20_000  # rows up to which there is one chunk
CHUNKS = 16
BLOCKS = 2  # of rows that a sweep takes one after the other, side by side with those of other blocks


def chunks_of(count: int, by: int | None = None) -> np.ndarray:
    """Where stretches of so many items begin, and the end; one stretch where `by` (or the count) is small."""
    few = (count if by is None else by) <= SINGLE
    return np.linspace(0, count, (1 if few else CHUNKS) + 1).astype(np.int64)


def blocks_of(count: int) -> np.ndarray:
    """Where blocks of rows of sweeps begin, and the end."""
    return np.linspace(0, count, (1 if count <= SINGLE else BLOCKS) + 1).astype(np.int64)


def over(chunks: np.ndarray, work: Loop, *args: Any) -> None:
    """Goes over all chunks with one of the two forms of a loop."""
    begun = 0.0 if _clock is None else time.perf_counter()
    if len(chunks) == 2:
        work.alone(0, chunks[1], 0, *args)
    else:
        work.together(chunks, *args)
    if _clock is not None:
        _clock[work.name] = _clock.get(work.name, 0.0) + time.perf_counter() - begun


_clock: dict[str, float] | None = None


@contextmanager
def clocked() -> Iterator[dict[str, float]]:
    """Seconds that each loop takes meanwhile in all, by its module and name."""
    global _clock
    _clock = {}
    try:
        yield _clock
    finally:
        _clock = None
