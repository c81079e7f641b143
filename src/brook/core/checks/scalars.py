"""What of the scalars that a flow carries would keep a study from running, at its place."""

from __future__ import annotations

from brook.core.checks.context import Context
from brook.core.checks.within import region_problems
from brook.core.results.quantities import QUANTITIES
from brook.core.study import Problem
from brook.core.study.resolve import RESERVED
from brook.core.study.scalars import Age, Tracer
from brook.core.units import SYMBOLS

EQUATIONS = ("momentum", "mass", "heat", "flow", "capacity", "viscosity", "averaged_velocity")
OF_TURBULENCE = ("k", "omega", "turbulence", "eddy_viscosity", "friction_velocity")


def scalar_problems(c: Context) -> list[Problem]:
    """Names that mean something else already, inflows through which nothing flows in, and ages that never end."""
    study, variant = c.study, c.variant
    if c.patches is None:
        return []
    problems: list[Problem] = []
    seen: set[str] = set()
    entering = {b.patch for _, b in c.said if b.role == "inflow"}
    through = {b.patch for _, b in c.said if b.role in ("inflow", "outflow")}
    for k, said in enumerate(study.set_up.scalars):
        at = f"/set_up/scalars/{k}"
        taken = said.name in QUANTITIES or said.name in RESERVED or said.name in SYMBOLS or said.name in EQUATIONS
        taken = taken or (study.set_up.turbulence is not None and said.name in OF_TURBULENCE)
        if taken or said.name in seen or said.name in {**study.named_values, **variant.named_values}:
            problems.append(Problem(f"{at}/name", f"'{said.name}' already has a meaning; choose another name"))
        seen.add(said.name)
        if isinstance(said, Tracer):
            problems += _inflow_problems(said, at, through)
            for n, begin in enumerate(said.begins):
                problems += region_problems(c, begin.where, f"{at}/begins/{n}/where")
        if isinstance(said, Age) and not entering and study.set_up.timing.kind == "steady":
            message = "nothing flows in, so the fluid gets older for ever; follow it in time, or say what flows in"
            problems.append(Problem(f"{at}/name", message, "missing", variant.name))
    return problems


def _inflow_problems(said: Tracer, at: str, through: set[str]) -> list[Problem]:
    problems: list[Problem] = []
    seen: set[str] = set()
    for n, inflow in enumerate(said.inflows):
        path = f"{at}/inflows/{n}/patch"
        if inflow.patch in seen:
            problems.append(Problem(path, f"something else is already said of '{inflow.patch}'; keep one of the two"))
        elif inflow.patch not in through:
            message = f"nothing flows in through '{inflow.patch}'; say of it that fluid enters there, or take this out"
            problems.append(Problem(path, message))
        seen.add(inflow.patch)
    return problems
