"""What of the things that stand or act within the fluid cannot stand, at its place."""

from __future__ import annotations

from brook.core.checks.context import Context
from brook.core.formulas import nearest
from brook.core.physics.within.porous import fitted
from brook.core.study import Problem
from brook.core.study.geometry import PlaneGeometry
from brook.core.study.regions import Region
from brook.core.study.scalars import Tracer
from brook.core.study.within import CALLED


def region_problems(c: Context, where: Region, path: str) -> list[Problem]:
    """That a piece of the fluid is a body that is not there."""
    bodies = (c.space.bodies if c.space is not None else None) or (
        (c.variant.geometry.body,) if isinstance(c.variant.geometry, PlaneGeometry) else ()
    )
    if where.kind != "body" or not bodies or where.body in bodies:
        return []
    message = f"'{where.body}' is not a body here: {nearest(where.body, bodies)}"
    return [Problem(f"{path}/body", message, variant=c.variant.name)]


def within_problems(c: Context) -> list[Problem]:
    """Names that nothing has, tables that nothing can be fitted to, and what a drawing knows nothing of."""
    problems: list[Problem] = []
    tracers = [s.name for s in c.study.set_up.scalars if isinstance(s, Tracer)]
    for k, said in enumerate(c.study.set_up.within):
        at, found = f"/set_up/within/{k}", c.set_up.within[k]
        problems += region_problems(c, said.where, f"{at}/where")
        if said.kind == "porous":
            problems += _measured_problems(c, f"{at}/measured", said.measured, found.thick)
        if said.kind in ("screen", "blower") and said.axis == "z" and isinstance(c.variant.geometry, PlaneGeometry):
            problems.append(
                Problem(f"{at}/axis", f"a drawing knows no z; {CALLED[said.kind]} stands across x or y there")
            )
        if said.kind == "screen" and said.of != "number" and (found.open or 0) > 1:
            problems.append(
                Problem(f"{at}/open", "more of a screen is open than there is of it; write a share under 100 %")
            )
        if said.kind in ("heating", "exchanger") and c.study.set_up.heat is None:
            problems.append(Problem(at, "temperatures are not computed: have them computed, or take this out"))
        if said.kind == "release" and said.substance not in tracers:
            hint = nearest(said.substance, tracers) if tracers else "the flow carries none; say first that it does"
            problems.append(Problem(f"{at}/substance", f"'{said.substance}' is no dissolved substance here: {hint}"))
    return problems


def _measured_problems(c: Context, at: str, name: str, thick: float | None) -> list[Problem]:
    if not name or thick is None:
        return []
    if name not in c.study.tables:
        hint = nearest(name, c.study.tables) if c.study.tables else "there are no tables yet"
        return [Problem(at, f"there is no table '{name}': {hint}")]
    try:
        fitted(c.study.tables[name].known(), thick)
    except ValueError as error:
        return [Problem(at, str(error))]
    return []
