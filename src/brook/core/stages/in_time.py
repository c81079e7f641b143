"""How a flow is followed through time, and what of its boundaries changes on the way."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError
from brook.core.numerics import Stencil
from brook.core.solve import Timing
from brook.core.solve.setup import Boundaries, BoundaryConditions
from brook.core.stages.assembly import stirred
from brook.core.study import Resolved, Study, named_scope
from brook.core.study.moving import moving_values
from brook.core.study.patterns import each


def conditions_in_time(
    study: Study, prepared: Prepared, stencil: Stencil
) -> Callable[[float], BoundaryConditions] | None:
    """Boundary values by time, None where none changes. What changes is evaluated anew, on its own patches; it raises
    `ValueError` where there is no value then."""
    said = {b.patch: b for _, b in each(study.set_up.boundaries, [b.patch for b in prepared.boundaries])}
    moving = [(b, moving_values(study, prepared.variant, said[b.patch])) for b in prepared.boundaries]
    moving = [(b, values) for b, values in moving if values]
    if not moving:
        return None
    every = Boundaries(stencil, prepared.boundaries, stirred(prepared, stencil.mesh))

    def at(time: float) -> BoundaryConditions:
        scope = named_scope(study, prepared.variant, time)
        now = []
        for boundary, values in moving:
            try:
                now.append(Resolved(**(vars(boundary) | {v.field: v.at(scope) for v in values})))
            except FormulaError as error:
                both = (
                    "; where fluid goes to and fro, let the patch lie in a stream"
                    if boundary.kind == "velocity"
                    else ""
                )
                raise ValueError(f"at {time:.4g} s: {boundary.patch}: {error.message}{both}") from None
        return every.with_values(now)

    return at


def fastest(study: Study, prepared: Prepared, stencil: Stencil) -> float:
    """The largest speed in m/s that boundary values have at some of a hundred moments of a flow in time."""
    in_time = conditions_in_time(study, prepared, stencil) if prepared.timing.kind == "in_time" else None
    if in_time is None:
        return 0.0
    times = np.linspace(0.0, prepared.timing.duration, 101)
    return max(float(np.linalg.norm(in_time(t).velocity, axis=1).max(initial=0.0)) for t in times)


def timing_of(prepared: Prepared) -> Timing:
    """How a flow is followed through time."""
    t = prepared.timing
    return Timing(
        t.duration, t.steps, t.step, t.courant, 2 if t.order == "second" else 1, t.repeats, t.residual, t.keep_every,
        t.average_from if t.averages else None,
    )  # fmt: skip
