"""Types of Numba's as the list of needs writes them."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from typing import Any

from numba.core import types as numba_types

from brook.core.compiling.kernel import KERNELS
from brook.core.compiling.needs import Kind, Need, needs

types: Any = numba_types
FIXED = " fixed"  # read only


@cache
def _places() -> dict[tuple[str, tuple[Kind, ...]], int]:
    return {(n.kernel, n.takes): k for k, n in enumerate(needs())}


def place_of(name: str, args: tuple) -> int | None:
    """Where in the list a kernel with these types of Numba's stands; None when it does not."""
    return _places().get((name, tuple(kind_of(a) for a in args)))


def kernel_of(need: Need) -> tuple[Any, tuple]:
    """The kernel itself, its module imported, and the types of Numba's that it takes.

    Raises `KeyError` or `ImportError` when there is no such kernel.
    """
    import_module(need.kernel.partition(":")[0])
    return KERNELS[need.kernel], tuple(type_of(kind) for kind in need.takes)


def kind_of(given: Any) -> Kind:
    """How a type of Numba's is written in the list."""
    if isinstance(given, types.Array):
        return f"{given.dtype} {given.ndim}{given.layout}" + ("" if given.mutable else FIXED)
    if isinstance(given, types.BaseTuple):
        made = getattr(given, "instance_class", None)  # of a named one
        name = "tuple" if made is None else f"{made.__module__}:{made.__qualname__}"
        within: Any = given
        return (name, *(kind_of(t) for t in within))
    return str(given)


def type_of(kind: Kind) -> Any:
    """The type of Numba's that is written so."""
    if isinstance(kind, tuple):
        name, within = kind[0], [type_of(k) for k in kind[1:]]
        if name == "tuple":
            return types.BaseTuple.from_types(within)
        module, _, word = str(name).partition(":")
        return types.BaseTuple.from_types(within, getattr(import_module(module), word))
    word, _, shape = kind.partition(" ")
    scalar = types.boolean if word == "bool" else getattr(types, word)
    layout: Any = shape[1:2]
    return types.Array(scalar, int(shape[0]), layout, readonly=kind.endswith(FIXED)) if shape else scalar
