"""How a flow is followed through time, and what of its boundaries changes on the way."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError, names_in, parse
from brook.core.numerics import Stencil
from brook.core.solve import (
    Timing,
    boundary_conditions,
)  # fmt: skip
from brook.core.solve.setup import BoundaryConditions
from brook.core.study import Problem, Study, Value, Variant, named_scope, resolve
from brook.core.study.resolve import Resolved


def changes_in_time(study: Study, variant: Variant, boundary: Any) -> bool:
    """Whether a value of a boundary depends on the time, by itself or by a named value."""
    named = {**study.named_values, **variant.named_values}
    waiting = [
        getattr(boundary, name)
        for name, info in type(boundary).model_fields.items()
        if any(isinstance(mark, Value) for mark in info.metadata)
    ]
    seen: set[str] = set()
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


def boundaries_at(study: Study, prepared: Prepared, time: float) -> list[Resolved]:
    """What is said of the boundaries of a variant at a time in s. Raises `ValueError` where it has no value then."""
    problems: list[Problem] = []
    scope = named_scope(study, prepared.variant, time)
    known = {b.patch for b in prepared.boundaries}
    found = [resolve(b, scope, f"/set_up/boundaries/{k}", problems) for k, b in enumerate(study.set_up.boundaries)
             if b.patch in known]  # fmt: skip
    if problems:
        raise ValueError(f"at {time:.4g} s: {problems[0]}")
    return found


def conditions_in_time(
    study: Study, prepared: Prepared, stencil: Stencil
) -> Callable[[float], BoundaryConditions] | None:
    """Boundary values by time, None where none changes."""
    if not any(changes_in_time(study, prepared.variant, b) for b in study.set_up.boundaries):
        return None
    developed: dict[str, np.ndarray] = {}
    return lambda time: boundary_conditions(stencil, boundaries_at(study, prepared, time), developed)


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
