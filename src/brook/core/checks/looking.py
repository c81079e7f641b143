"""What is wrong with plates and plots. Nothing of it keeps a variant from running."""

from __future__ import annotations

from dataclasses import dataclass, replace

from brook.core.formulas import FormulaError, Scope, nearest
from brook.core.results.axes import LENGTH, axis_dimension
from brook.core.results.readings import Places, reading_dimension
from brook.core.study import Problem, Resolved, Study, Value, resolve, value_at
from brook.core.study.curves import Axis, CoursePlot, CurvePlot
from brook.core.study.views import Plate
from brook.core.units import Dimension, UnitError, dimension_of


@dataclass(frozen=True)
class Looked:
    """What plates and plots may name: what the first variant has, and the patches of all of them, None while nobody knows
    them."""

    places: Places
    scope: Scope
    patches: frozenset[str] | None
    in_space: bool


def looking_problems(study: Study, looked: Looked) -> list[Problem]:
    """Of all plates and plots of a study."""
    problems: list[Problem] = []
    kept: list[tuple[str, tuple[Plate | CurvePlot, ...]]] = [("plates", study.plates), ("plots", study.plots)]
    for kind, entries in kept:
        for k, entry in enumerate(entries):
            problems += _quantity_problems(entry.quantity, looked, f"/{kind}/{k}/quantity")
            for name in ("range", "position_range", "value_range"):
                problems += _range_problems(getattr(entry, name, None), f"/{kind}/{k}/{name}")
    names = [variant.name for variant in study.variants]
    for k, plate in enumerate(study.plates):
        if plate.less and plate.less not in names:
            message = f"there is no variant '{plate.less}' to take away: {nearest(plate.less, names)}"
            problems.append(Problem(f"/plates/{k}/less", message, "missing"))
    for k, plot in enumerate(study.plots):
        path = f"/plots/{k}"
        problems += _axis_problems(plot, looked, path)
        if not looked.in_space and plot.over != "line":
            problems.append(Problem(f"{path}/over", "means over sections are for results in space; this one is plane"))
        if not looked.in_space and plot.along == "z":
            problems.append(Problem(f"{path}/along", "a plane study has no z; show it by x, y or the distance"))
        for n, line in enumerate(plot.lines):
            here = f"{path}/lines/{n}"
            problems += _line_problems(resolve(line, looked.scope, here, problems), looked, here)
            if plot.over != "line" and line.kind in ("rim", "belt"):
                message = f"'{line.title}' lies on a patch, so nothing goes across it; it is read on the line itself"
                problems.append(Problem(f"{path}/over", message))
    for k, cloud in enumerate(study.particles):
        here = f"/particles/{k}"
        said = resolve(cloud, looked.scope, here, problems)
        for name in ("across", "along"):
            if (getattr(said, name) or 0.0) > 1:
                problems.append(Problem(f"{here}/{name}", "what bounces keeps a share of its velocity, from 0 to 1"))
        if cloud.sizes == "spread" and None not in (said.smallest, said.largest) and said.smallest >= said.largest:
            problems.append(Problem(f"{here}/largest", "the largest grain is larger than the smallest"))
    return problems + [
        found
        for k, course in enumerate(study.courses)
        for found in _course_problems(study, course, looked, f"/courses/{k}")
    ]


def _course_problems(study: Study, course: CoursePlot, looked: Looked, path: str) -> list[Problem]:
    """Readings that nobody asks for, windows that hold nothing, and what only a flow in time has."""
    problems = [
        found for name in course.readings for found in _followed_problems(study, name, looked, f"{path}/readings")
    ]
    for name in ("position_range", "value_range"):
        problems += _range_problems(getattr(course, name), f"{path}/{name}")
    steady = study.set_up.timing.kind == "steady"
    if steady and course.shows != "values":
        problems.append(
            Problem(
                f"{path}/shows",
                "a steady run has iterations and no time; only a flow in time has a mean or a spectrum",
                "missing",
            )
        )
    ends: list[float | None] = []
    for name in ("begin", "end"):
        text = getattr(course, name)
        try:
            ends.append(value_at(text, Value("time", "not_negative"), looked.scope) if text.strip() else None)
        except FormulaError as error:
            problems.append(Problem(f"{path}/{name}", error.message))
    if len(ends) == 2 and None not in ends and ends[0] >= ends[1]:  # type: ignore[operator]
        problems.append(Problem(f"{path}/end", "a window goes from an earlier to a later time"))
    return problems


def _followed_problems(study: Study, name: str, looked: Looked, path: str) -> list[Problem]:
    """What keeps a reading from being followed that is that of a requirement, or written out."""
    known = [r.name for r in study.requirements]
    if name in known:
        return []
    if "." not in name:
        return [Problem(path, f"there is no requirement '{name}': {nearest(name, known)}", "missing")]
    if looked.patches is None:  # what a file brings is not known yet
        return []
    places = replace(looked.places, patches=tuple(sorted({*looked.places.patches, *looked.patches})))
    try:
        reading_dimension(name, places, looked.scope)
    except FormulaError as error:
        return [Problem(path, error.message)]
    return []


def _quantity_problems(quantity: str, looked: Looked, path: str) -> list[Problem]:
    known = [n for n, k in looked.places.quantities().items() if k.drawn]
    return [] if quantity in known else [Problem(path, f"'{quantity}' cannot be drawn: {nearest(quantity, known)}")]


def _range_problems(ends: tuple[float, float] | None, path: str) -> list[Problem]:
    wrong = ends is not None and ends[0] >= ends[1]
    return [Problem(path, "a range goes from a smaller to a larger value")] if wrong else []


def _axis_problems(plot: CurvePlot, looked: Looked, path: str) -> list[Problem]:
    """Formulas that cannot be evaluated, and units of something else."""
    kinds = looked.places.quantities()
    problems: list[Problem] = []
    axes: list[tuple[str, Axis, str, bool]] = [
        ("position_axis", plot.position_axis, plot.quantity, True),
        ("value_axis", plot.value_axis, plot.quantity, False),
    ]
    if plot.second:
        problems += _quantity_problems(plot.second.quantity, looked, f"{path}/second/quantity")
        problems += _range_problems(plot.second.range, f"{path}/second/range")
        axes.append(("second", plot.second, plot.second.quantity, False))
    for name, axis, quantity, is_place in axes:
        if quantity not in kinds:
            continue
        value = kinds[quantity].dimension
        try:
            made = (
                axis_dimension(axis.formula, value, looked.scope)
                if axis.formula.strip()
                else LENGTH
                if is_place
                else value
            )
        except FormulaError as error:
            problems.append(Problem(f"{path}/{name}/formula", error.message))
            continue
        if why := _unit_problem(axis.unit, made):
            problems.append(Problem(f"{path}/{name}/unit", why))
    return problems


def _unit_problem(unit: str, made: Dimension) -> str:
    try:
        found = dimension_of(unit) if unit.strip() else made
    except UnitError as error:
        return str(error)
    return "" if found == made else f"what is shown is a {made}; '{unit}' is no unit of that"


def _line_problems(line: Resolved, looked: Looked, path: str) -> list[Problem]:
    if line.kind == "line":
        axes = "xyz" if looked.in_space else "xy"
        ends = [tuple(getattr(line, f"{which}_{axis}") for axis in axes) for which in ("start", "end")]
        if None not in ends[0] + ends[1] and ends[0] == ends[1] and not line.via:
            return [Problem(f"{path}/end_x", f"'{line.title}' ends where it begins; give it some length")]
        return []
    problems = []
    if not looked.in_space and line.kind != "belt":
        what = "rims are of patches" if line.kind == "rim" else "lines through the middle are"
        problems.append(Problem(f"{path}/title", f"{what} in space; this study is plane"))
    for name in ("patch",) if line.kind != "middle" else ("start", "end"):
        patch = getattr(line, name)
        if looked.patches is not None and patch not in looked.patches:
            problems.append(Problem(f"{path}/{name}", f"there is no patch '{patch}': {nearest(patch, looked.patches)}"))
    if line.kind == "middle" and line.start == line.end:
        problems.append(Problem(f"{path}/end", "a line through the middle goes from one patch to another"))
    return problems
