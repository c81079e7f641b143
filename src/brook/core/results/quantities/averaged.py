"""Means over time and how far the flow strays from them; as long as nothing is averaged, the flow of the moment."""

from collections.abc import Callable

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def _of(name: str, otherwise: Callable[[View], Values]) -> Callable[[View], Values]:
    def values(view: View) -> Values:
        found = view.fields.more.get(f"averaged_{name}")
        return otherwise(view) if found is None else found

    return values


_velocity = _of("velocity", lambda view: (view.fields.velocity, view.fields.boundary_velocity))


def _speed(view: View) -> Values:
    cells, boundary = _velocity(view)
    return np.linalg.norm(cells, axis=1), np.linalg.norm(boundary, axis=1)


def _component(axis: int) -> QuantityKind:
    def values(view: View) -> Values:
        cells, boundary = _velocity(view)
        return cells[:, axis], boundary[:, axis]

    letter = "xyz"[axis]
    words = f"averaged velocity along {letter}"
    return QuantityKind(f"averaged_velocity_{letter}", DIMENSIONS["speed"], words, values, signed=True)


def _fluctuation(view: View) -> Values:
    nothing = np.zeros(view.fields.mesh.cell_count), np.zeros(len(view.fields.boundary_pressure))
    return view.fields.more.get("fluctuation", nothing)


SPEED = QuantityKind("averaged_speed", DIMENSIONS["speed"], "speed of the averaged flow", _speed, positive=True)
VELOCITY = (_component(0), _component(1), _component(2))
PRESSURE = QuantityKind(
    "averaged_pressure",
    DIMENSIONS["pressure"],
    "averaged pressure",
    _of("pressure", lambda v: v.values("pressure")),
)
TEMPERATURE = QuantityKind(
    "averaged_temperature", DIMENSIONS["temperature"], "averaged temperature",
    _of("temperature", lambda v: v.values("temperature")), positive=True,
)  # fmt: skip
FLUCTUATION = QuantityKind(
    "fluctuation", DIMENSIONS["speed"], "fluctuation of the velocity", _fluctuation, positive=True
)
