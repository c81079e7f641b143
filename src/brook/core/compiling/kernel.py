"""Two decorators: a `kernel` is a function compiled by Numba, a `loop` one whose stretches are shared among threads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from brook.core.compiling.plain import is_plain
from brook.core.compiling.turns import take_turns

if not is_plain():
    import numba

    from brook.core.compiling.keeping import KernelCache

prange: Any = range if is_plain() else numba.prange

KERNELS: dict[str, Any] = {}
"""Every kernel of the modules that are loaded, by `module:name`."""


def kernel(function: Callable[..., Any] | None = None, **options: Any) -> Any:
    """A function compiled for each kind of arguments when first called so, and kept on disk (`keeping`).

    `options` are those of Numba's `njit`. What is called in turn must be a kernel too.
    """

    def made(function: Callable[..., Any]) -> Any:
        if is_plain():
            return function
        dispatcher = numba.njit(**options)(function)
        name = f"{function.__module__}:{function.__qualname__}"
        dispatcher._cache = KernelCache(name, dispatcher)
        take_turns(name, dispatcher)
        KERNELS[name] = dispatcher
        return dispatcher

    return made if function is None else made(function)


@dataclass(frozen=True)
class Loop:
    """A compiled loop in its two forms: `alone(first, last, chunk, *args)` goes over one stretch, `together(chunks, *args)`
    over all stretches between `chunks` (n + 1,) on all threads. `numerics.chunks.over` chooses."""

    name: str
    alone: Callable[..., None]
    together: Callable[..., None]


def loop(function: Callable[..., None] | None = None, **options: Any) -> Any:
    """A `Loop` from a function `(first, last, chunk, *args)` that writes only what belongs to its stretch or chunk.

    It asks for no memory, so that nothing has to count who holds its arrays: threads would wait for each other's counts."""

    def made(function: Callable[..., None]) -> Loop:
        alone = kernel(_nrt=False, **options)(function)
        together = kernel(parallel=True, **options)(_together(function, alone))
        return Loop(f"{function.__module__.rpartition('.')[2]}.{function.__name__}", alone, together)

    return made if function is None else made(function)


def _together(function: Callable[..., None], alone: Any) -> Callable[..., None]:
    def together(chunks, *args):  # type: ignore[no-untyped-def]
        for b in prange(len(chunks) - 1):
            # prange counts unsigned; signed like first and last, or the stretch would be compiled once more
            alone(chunks[b], chunks[b + 1], np.int64(b), *args)

    together.__module__ = function.__module__
    together.__name__ = together.__qualname__ = f"{function.__name__}_together"
    return together
