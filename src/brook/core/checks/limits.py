"""What of requirements and their limits cannot stand."""

from __future__ import annotations

from brook.core.formulas import FormulaError, Scope, evaluate, parse
from brook.core.results.readings import Places, reading_dimension
from brook.core.study import Problem, Requirement, Resolved, Study
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
    return problems


def _limit_problems(requirement: Requirement, dimension: Dimension, scope: Scope, path: str) -> list[Problem]:
    problems = []
    if requirement.unit:
        try:
            if dimension_of(requirement.unit) != dimension:
                problems.append(Problem(f"{path}/unit", f"the reading is a {dimension}; '{requirement.unit}' is not"))
        except UnitError as error:
            problems.append(Problem(f"{path}/unit", str(error)))
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
        values[end] = None
        try:
            quantity = evaluate(parse(text), scope)
        except FormulaError as error:
            problems.append(Problem(f"{path}/{end}", error.message))
            continue
        if quantity.dimension != dimension:
            hint = "a unit is missing" if quantity.dimension.is_none else f"this is a {quantity.dimension}"
            problems.append(Problem(f"{path}/{end}", f"{hint}; the reading is a {dimension}"))
            continue
        values[end] = float(quantity.value)
    return values


def resolved_limit(requirement: Requirement, dimension: Dimension, scope: Scope) -> Resolved:
    """A requirement's limit in SI units. Raises `ValueError` when it cannot be evaluated."""
    problems: list[Problem] = []
    values = _limit_values(requirement.limit, scope, "/limit", dimension, problems)
    if problems:
        raise ValueError(problems[0].message)
    return Resolved(kind=requirement.limit.kind, **values)
