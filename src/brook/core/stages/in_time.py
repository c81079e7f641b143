"""How a flow is followed through time, and what of its boundaries changes on the way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError, Scope, names_in, parse
from brook.core.numerics import Stencil
from brook.core.solve import Timing
from brook.core.solve.setup import Boundaries, BoundaryConditions
from brook.core.stages.assembly import stirred
from brook.core.study import Resolved, Study, Value, Variant, named_scope, value_at
from brook.core.study.of_flow import OfFlow, names_flow
from brook.core.study.placed import Placed, is_placed


@dataclass(frozen=True, eq=False)
class MovingValue:
    """A value of a boundary that depends on the time: the field it stands in, its formula, and what it has to be."""

    field: str
    text: str
    value: Value

    def at(self, scope: Scope) -> float:
        """Raises `FormulaError` where there is none."""
        if self.value.placed and is_placed(self.text):
            return Placed.of(self.text, scope)
        if self.value.flowing and names_flow(self.text):
            return OfFlow.of(self.text, scope)
        return value_at(self.text, self.value, scope)


def moving_values(study: Study, variant: Variant, boundary: Any) -> list[MovingValue]:
    """The values of a boundary that depend on the time, by themselves or by a named value."""
    named = {**study.named_values, **variant.named_values}
    found = []
    for name, info in type(boundary).model_fields.items():
        value = next((mark for mark in info.metadata if isinstance(mark, Value)), None)
        if value is not None and _names_time(getattr(boundary, name), named):
            found.append(MovingValue(name, getattr(boundary, name), value))
    return found


def _names_time(text: str, named: dict[str, str]) -> bool:
    waiting, seen = [text], set[str]()
    while waiting:
        try:
            names = {n.text for n in names_in(parse(waiting.pop()))} - seen
        except FormulaError:
            continue  # told at its place
        if "t" in names:
            return True
        seen |= names
        waiting += [named[name] for name in names if name in named]
    return False


def changes_in_time(study: Study, variant: Variant, boundary: Any) -> bool:
    """Whether a value of a boundary depends on the time."""
    return bool(moving_values(study, variant, boundary))


def conditions_in_time(
    study: Study, prepared: Prepared, stencil: Stencil
) -> Callable[[float], BoundaryConditions] | None:
    """Boundary values by time, None where none changes. What changes is evaluated anew, on its own patches; it raises
    `ValueError` where there is no value then."""
    said = {b.patch: b for b in study.set_up.boundaries}
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
                raise ValueError(f"at {time:.4g} s: {boundary.patch}: {error.message}") from None
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
