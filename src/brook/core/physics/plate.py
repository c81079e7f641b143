"""Friction on a flat plate, from which the first layer of cells along a wall is reckoned."""

from __future__ import annotations

from typing import Any

from brook.core.materials import ConstantFluid

LAW_ENDS = 300.0  # y⁺ to which the law of the wall goes


def friction_speed(stream: Any, fluid: ConstantFluid) -> tuple[float, float]:
    """The friction coefficient that a turbulent layer has on a smooth plate, and the friction velocity in m/s.

    `stream` has the `speed` in m/s over the plate and how `long` it is in m. c_f = 0.027 / Re^(1/7), White (2006),
    Viscous Fluid Flow.
    """
    reynolds = stream.speed * stream.long / fluid.kinematic_viscosity
    friction = 0.027 / reynolds ** (1 / 7)
    return friction, float(stream.speed * (friction / 2) ** 0.5)
