"""What is wrong with sweeps: such as name what is not there, have limits that contradict each other, or would never come to an end."""

from __future__ import annotations

from brook.core.formulas import FormulaError, evaluate, nearest, parse
from brook.core.study import Problem, Study, named_scope
from brook.core.study.sweeps import MOST_SAMPLES, Sweep, count_of


def sweep_problems(study: Study) -> list[Problem]:
    """Of all sweeps of a study, each at its place; they keep no variant from running."""
    return [problem for k, sweep in enumerate(study.sweeps) for problem in _of_one(study, sweep, f"/sweeps/{k}")]


def _of_one(study: Study, sweep: Sweep, path: str) -> list[Problem]:
    names = [v.name for v in study.variants]
    if sweep.variant not in names:
        return [Problem(f"{path}/variant", f"'{sweep.variant}' is not a variant: {nearest(sweep.variant, names)}")]
    problems: list[Problem] = []
    variant = study.variant(sweep.variant)
    known = {**study.named_values, **variant.named_values}
    if not sweep.values:
        problems.append(
            Problem(f"{path}/values", "say which named values are swept, and from where to where", "missing")
        )
    pointed = {name for point in study.points for name in point.named_values}
    for k, value in enumerate(sweep.values):
        place = f"{path}/values/{k}"
        if value.name not in known:
            problems.append(
                Problem(
                    f"{place}/name",
                    f"'{value.name}' is no named value of the study or of this variant: {nearest(value.name, known)}",
                )
            )
            continue
        if value.name in pointed:
            problems.append(
                Problem(
                    f"{place}/name",
                    f"operating points say what {value.name} is; sweep another value, or take it out of them",
                )
            )
        if value.name in [v.name for v in sweep.values[:k]]:
            problems.append(Problem(f"{place}/name", f"{value.name} is swept twice; take one of both out"))
        problems += _limits(study, sweep, k, place)
    if (count := count_of(sweep)) > MOST_SAMPLES:
        problems.append(Problem(f"{path}/values/0/steps" if sweep.values else path, f"this would be {count} samples; at most {MOST_SAMPLES} are computed: take fewer steps, or sample otherwise"))  # fmt: skip
    wishes = [r.name for r in study.requirements if r.limit.kind in ("smallest", "largest")]
    if sweep.way == "search" and not wishes:
        problems.append(
            Problem(
                f"{path}/way", "a search needs a requirement that is to be as small or as large as possible", "missing"
            )
        )
    elif sweep.wish and sweep.wish not in wishes:
        problems.append(Problem(f"{path}/wish", f"no requirement '{sweep.wish}' is to be as small or as large as possible: {nearest(sweep.wish, wishes)}"))  # fmt: skip
    return problems


def _limits(study: Study, sweep: Sweep, k: int, place: str) -> list[Problem]:
    """The limits of a value have to be of its kind, the lower one under the upper one."""
    value = sweep.values[k]
    scope = named_scope(study, study.variant(sweep.variant))
    found = []
    for name, text in (("low", value.low), ("high", value.high), ("name", value.name)):
        try:
            found.append(evaluate(parse(text), scope))
        except FormulaError as error:
            return [Problem(f"{place}/{name}", error.message)]
    low, high, now = found
    for name, limit in (("low", low), ("high", high)):
        if limit.dimension != now.dimension:
            wanted, given = now.dimension.unit() or "a number", limit.dimension.unit() or "a number"
            return [
                Problem(
                    f"{place}/{name}",
                    f"{value.name} is in {wanted}, this is in {given}"
                    if given != "a number"
                    else f"{value.name} is in {wanted}; write a unit",
                )
            ]
    if not float(low.value) < float(high.value):
        return [Problem(f"{place}/high", f"the upper limit of {value.name} has to be over the lower one")]
    return []
