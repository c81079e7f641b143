"""Near walls and in time: first heights, boundary layers, steps."""

from __future__ import annotations

from types import SimpleNamespace

from brook.core.materials import ConstantFluid
from brook.core.physics.plate import friction_speed
from brook.core.physics.reckoning.calculator import DENSITY, SPEED, VISCOSITY, Calculator, Result, positive
from brook.core.units import powered

PLATE = 5e5  # Reynolds number by the length at which a layer on a plate turns turbulent


def _first(v: dict[str, float]) -> list[Result]:
    fluid = ConstantFluid("", v["density"], v["viscosity"])
    coefficient, dragged = friction_speed(SimpleNamespace(speed=v["speed"], long=v["long"]), fluid)
    height = 2 * v["y_plus"] * fluid.kinematic_viscosity / dragged
    return [
        Result("height of the first cells", height, "length", "their middle lies at that y⁺", "first_height"),
        Result("friction velocity", dragged, "speed"),
        Result("friction coefficient", coefficient),
    ]


def _layer(v: dict[str, float]) -> list[Result]:
    reynolds = v["density"] * v["speed"] * v["long"] / v["viscosity"]
    laminar = reynolds < PLATE
    thick = (5.0 / reynolds**0.5 if laminar else 0.16 / reynolds ** (1 / 7)) * v["long"]
    return [Result("boundary layer at its end", thick, "length", f"{'laminar' if laminar else 'turbulent'}, Re = {powered(reynolds)}", "boundary_layer")]  # fmt: skip


def _step(v: dict[str, float]) -> list[Result]:
    return [Result("step in time", v["courant"] * v["cell"] / v["speed"], "time", name="time_step")]


LONG = positive("long", "length of the wall", "length", "0.5 m")
HEIGHTS = (
    Calculator(
        "first_height", "First height from y⁺", (DENSITY, VISCOSITY, SPEED, LONG, positive("y_plus", "y⁺", "number", "1")),
        "h = 2 y⁺ ν/u_τ, u_τ = U √(c_f/2), c_f = 0.027/Re^(1/7)", "White, Viscous Fluid Flow", _first,
    ),
    Calculator("layer", "Boundary layer", (DENSITY, VISCOSITY, SPEED, LONG), "δ = 5 L/√Re laminar, 0.16 L/Re^(1/7) turbulent", "White, Fluid Mechanics, ch. 7", _layer),
    Calculator(
        "step", "Step from a Courant number", (SPEED, positive("cell", "length of a cell", "length", "2 mm"), positive("courant", "Courant number", "number", "1")),
        "Δt = C Δx/U", "Courant, Friedrichs & Lewy 1928", _step,
    ),
)  # fmt: skip
