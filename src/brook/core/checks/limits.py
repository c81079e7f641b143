"""What of requirements and their limits cannot stand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from brook.core.formulas import FormulaError, Scope, evaluate, parse
from brook.core.results.readings import Places, places_read, reading_dimension
from brook.core.study import Problem, Requirement, Resolved, Study, Variant, is_about
from brook.core.study.base import Part
from brook.core.units import DIMENSIONS, Dimension, UnitError, dimension_of


def requirement_problems(study: Study, places: Places, scope: Scope) -> list[Problem]:
    """Readings and limits that mean nothing, or not the same."""
    problems = []
    for k, requirement in enumerate(study.requirements):
        path = f"/requirements/{k}"
        try:
            dimension = reading_dimension(requirement.reading, places, scope)
        except FormulaError as error:
            problems.append(Problem(f"{path}/reading", error.message))
            continue
        if requirement.course == "frequency":
            dimension = DIMENSIONS["rate"]
        if requirement.course in ("fluctuation", "frequency") and study.set_up.timing.kind == "steady":
            message = f"a {requirement.course} is that of a flow in time: say that it is followed in time, or ask for the value"
            problems.append(Problem(f"{path}/course", message))
        problems += _limit_problems(requirement, dimension, scope, path)
    return problems + _contradictions(study.requirements, scope)


def _contradictions(requirements: Sequence[Requirement], scope: Scope) -> list[Problem]:
    """Limits on the same reading between which no value lies, as nothing could ever hold both."""
    problems = []
    ends = [_ends_of(r.limit, scope) for r in requirements]
    for k, one in enumerate(requirements):
        for n, other in enumerate(requirements[:k]):
            same = one.reading.strip() == other.reading.strip() and one.course == other.course
            apart = bool(one.at) and bool(other.at) and one.at != other.at
            low, high = max(ends[k][0], ends[n][0]), min(ends[k][1], ends[n][1])
            alone = [first > last for first, last in (ends[k], ends[n])]
            if same and not apart and low > high and not any(alone):
                where = "value" if hasattr(one.limit, "value") else "low" if ends[k][0] == low else "high"
                message = f"nothing can hold both this and “{other.title}”, which reads the same; change one of both"
                problems.append(Problem(f"/requirements/{k}/limit/{where}", message))
    return problems


def _ends_of(limit: Any, scope: Scope) -> tuple[float, float]:
    """Between which values in SI units a limit holds; all where that cannot be told."""
    found = [-math.inf, math.inf]
    try:
        if limit.kind in ("at_least", "between"):
            found[0] = float(evaluate(parse(limit.value if limit.kind == "at_least" else limit.low), scope).value)
        if limit.kind in ("at_most", "between"):
            found[1] = float(evaluate(parse(limit.value if limit.kind == "at_most" else limit.high), scope).value)
    except FormulaError:
        return -math.inf, math.inf
    return found[0], found[1]


def reaching_problems(study: Study, variant: Variant, places: Places, scope: Scope) -> list[Problem]:
    """Readings that boxes which follow a run are to reach, and that cannot be read, or to which a flow carries nothing."""
    problems = []
    for k, follow in enumerate(study.mesh_plan.follows):
        if is_about(follow.variant, variant) and follow.reaches:
            try:
                message = _unreached(follow, study, places, scope)
            except FormulaError as error:
                message = str(error)
            if message:
                problems.append(Problem(f"/mesh_plan/follows/{k}/reaches", message, variant=variant.name))
    return problems


def reachable(reading: str, study: Study, places: Places, scope: Scope) -> set[str]:
    """The quantities that a flow only carries and that a reading is of, and of nothing else; none for any other. Raises `FormulaError`."""
    heat = study.set_up.heat
    carried = {s.name: {s.name} for s in study.set_up.scalars}
    if heat is not None and heat.buoyancy == "none":
        carried["temperature"] = {"temperature", "heat"}
    read = {quantity for _, _, quantity in places_read(reading, places, scope)}
    return {name for name, readable in carried.items() if read and read <= readable}


def _unreached(follow: Any, study: Study, places: Places, scope: Scope) -> str:
    known = reachable(follow.reaches, study, places, scope)
    if follow.quantity in known:
        return ""
    if known:
        return f"this reads what {follow.quantity} does not tell; follow the {known.pop()}, or let all count alike"
    return (
        "pressure joins a flow everywhere, so it cannot be said what of it reaches this; choose a reading of what the flow only carries, "
        "a temperature without buoyancy or a substance, and follow that, or let all count alike"
    )


def _limit_problems(requirement: Requirement, dimension: Dimension, scope: Scope, path: str) -> list[Problem]:
    problems = []
    if requirement.unit:
        try:
            if dimension_of(requirement.unit) != dimension:
                problems.append(Problem(f"{path}/unit", f"the reading is a {dimension}; '{requirement.unit}' is not"))
        except UnitError as error:
            problems.append(Problem(f"{path}/unit", str(error)))
    if requirement.expected.strip():
        _one_value(requirement.expected, scope, f"{path}/expected", dimension, problems)
    limit = _limit_values(requirement.limit, scope, f"{path}/limit", dimension, problems)
    low, high = limit.get("low"), limit.get("high")
    if low is not None and high is not None and low > high:
        problems.append(Problem(f"{path}/limit/high", "the upper limit lies under the lower one"))
    return problems


def _limit_values(
    limit: Part, scope: Scope, path: str, dimension: Dimension, problems: list[Problem]
) -> dict[str, float | None]:
    values: dict[str, float | None] = {}
    for end in ("value", "low", "high"):
        text = getattr(limit, end, None)
        if text is None:
            continue
        values[end] = _one_value(text, scope, f"{path}/{end}", dimension, problems)
    return values


def _one_value(text: str, scope: Scope, path: str, dimension: Dimension, problems: list[Problem]) -> float | None:
    """The SI value of a formula of what a reading is, None where it is none."""
    try:
        quantity = evaluate(parse(text), scope)
    except FormulaError as error:
        problems.append(Problem(path, error.message))
        return None
    if quantity.dimension != dimension:
        hint = "a unit is missing" if quantity.dimension.is_none else f"this is a {quantity.dimension}"
        problems.append(Problem(path, f"{hint}; the reading is a {dimension}"))
        return None
    return float(quantity.value)


def expected_value(requirement: Requirement, dimension: Dimension, scope: Scope) -> float | None:
    """What is expected of a reading in SI units, None where nothing is said or it means nothing."""
    return _one_value(requirement.expected, scope, "", dimension, []) if requirement.expected.strip() else None


def resolved_limit(requirement: Requirement, dimension: Dimension, scope: Scope) -> Resolved:
    """A requirement's limit in SI units. Raises `ValueError` when it cannot be evaluated."""
    problems: list[Problem] = []
    values = _limit_values(requirement.limit, scope, "/limit", dimension, problems)
    if problems:
        raise ValueError(problems[0].message)
    return Resolved(kind=requirement.limit.kind, **values)
