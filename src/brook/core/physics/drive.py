"""How fast a flow into which nothing is said to enter will be, about: by moving walls, a drop of pressure, or a periodic pair."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from brook.core.materials import ConstantFluid
from brook.core.study.placed import Placed

FAST = 20.0  # mean speed over friction velocity of turbulent flow


@dataclass(frozen=True)
class Driven:
    """A `speed` in m/s, and `how` it was reckoned."""

    speed: float
    how: str


def driven_by(
    boundaries: list[Any], fluid: ConstantFluid, width: float, shifts: dict[str, float], across: Callable[[str], float]
) -> Driven | None:
    """What drives a flow between walls a hydraulic diameter `width` in m apart, None where nothing does that can be reckoned.

    `shifts` has the length in m of periodic pairs by patch, `across` gives the area in m² of a patch, 0 for an unknown one."""
    found = [_moving(b, width) for b in boundaries if b.kind in ("sliding", "turning")]
    found += [_periodic(b, fluid, width, shifts, across) for b in boundaries if b.kind == "periodic"]
    known = [b.pressure for b in boundaries if b.kind == "pressure" and _is_number(b.pressure)]
    if len(known) > 1 and max(known) > min(known):
        drop = max(known) - min(known)
        found.append(
            Driven((2 * drop / fluid.density) ** 0.5, "at most, if all of the drop went into speed, √(2 Δp/ρ)")
        )
    fast = [f for f in found if f is not None and f.speed > 0]
    return max(fast, key=lambda f: f.speed) if fast else None


def _is_number(value: Any) -> bool:
    """Whether a value is known, and the same everywhere and at all times."""
    return value is not None and not isinstance(value, Placed)


def _moving(boundary: Any, width: float) -> Driven | None:
    if boundary.kind == "turning":
        return (
            None
            if not _is_number(boundary.rate)
            else Driven(abs(boundary.rate) * width / 2, f"half the width times the rate of {boundary.patch}")
        )
    parts = [boundary.velocity_x, boundary.velocity_y, boundary.velocity_z]
    if not all(_is_number(v) for v in parts):
        return None
    return Driven(sum(v * v for v in parts) ** 0.5, f"the speed of {boundary.patch}")


def _periodic(
    boundary: Any, fluid: ConstantFluid, width: float, shifts: dict[str, float], across: Callable[[str], float]
) -> Driven | None:
    """By a mass flow m/(ρ A); by a drop what is lower of laminar flow, u_τ² D/(8 ν), and 20 u_τ, with u_τ² = Δp D/(4 ρ L)."""
    if boundary.drive == "mass_flow" and _is_number(boundary.mass_flow) and across(boundary.patch) > 0:
        return Driven(
            abs(boundary.mass_flow) / (fluid.density * across(boundary.patch)),
            f"the mass flow through {boundary.patch}",
        )
    length = shifts.get(boundary.patch, 0.0)
    if boundary.drive != "drop" or not _is_number(boundary.drop) or not length:
        return None
    friction = abs(boundary.drop) * width / (4 * fluid.density * length)
    speed = min(friction * width / (8 * fluid.kinematic_viscosity), FAST * friction**0.5)
    return Driven(speed, f"about, from the drop at {boundary.patch} and the friction of a long duct")
