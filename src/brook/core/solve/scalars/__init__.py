"""Scalars that a flow carries, one file a kind: `model(statement, stencil, density)` makes the equation.

The names are those of `brook.core.study.scalars`.
"""

from collections.abc import Callable
from typing import Any

from brook.core.solve.scalars import age, tracer
from brook.core.solve.scalars.transported import TransportedScalar

MODELS: dict[str, Callable[..., TransportedScalar]] = {
    module.__name__.rsplit(".", 1)[1]: module.model for module in (tracer, age)
}


def scalar_of(statement: Any, *about: Any) -> TransportedScalar:
    """The equation of a statement. Raises `ValueError` where it does not fit the mesh."""
    return MODELS[statement.kind](statement, *about)


__all__ = ["MODELS", "TransportedScalar", "scalar_of"]
