"""What a run comes to: the readings of every requirement, over time where they are to be read so."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from functools import partial
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.checks.limits import expected_value, resolved_limit
from brook.core.formulas import FormulaError, names_in, parse
from brook.core.results.course import course_of
from brook.core.results.quantities import OF_AVERAGES
from brook.core.results.readings import Judgement, judge, read_value, reading_dimension, show_reading
from brook.core.solve import Fields, History
from brook.core.solve.leftover import stopping_error, window_error
from brook.core.solve.run import Monitor
from brook.core.study import Requirement, Study
from brook.core.units import DIMENSIONS, Dimension, round_text, show

RATE = DIMENSIONS["rate"]
SAME = 1e-4  # of what is expected: off by less is the same
COURSES = {"mean": "mean", "largest": "largest value", "smallest": "smallest value", "fluctuation": "fluctuation (root mean square)",
           "frequency": "frequency"}  # fmt: skip


def is_readable(requirement: Requirement, prepared: Prepared) -> bool:
    """Whether a requirement can be read of the fields of a moment."""
    try:
        reading_dimension(requirement.reading, prepared.places, prepared.scope)
    except FormulaError:
        return False
    return True


def reads_flights(requirement: Requirement, prepared: Prepared) -> bool:
    """Whether something of a reading is known only once particles have flown through the flow as it ended."""
    if not prepared.places.flights:
        return False
    try:
        names = names_in(parse(requirement.reading))
    except FormulaError:
        return False
    return any(len(n.parts) == 3 and n.parts[1] in prepared.places.flights for n in names)


def monitor_value(requirement: Requirement, prepared: Prepared, fields: Fields) -> float:
    """What a requirement reads, in SI units. Raises `FormulaError` where it has no value."""
    return read_value(requirement.reading, prepared.places, prepared.scope, fields)


def followed(study: Study, prepared: Prepared) -> dict[str, Monitor]:
    """Readings that plots follow and no requirement asks for, by how they are written."""
    named = {r.name for r in study.requirements}
    found: dict[str, Monitor] = {}
    for text in dict.fromkeys(text for plot in study.courses for text in plot.readings if text not in named):
        said = Requirement.model_construct(name=text, title=text, reading=text)
        if is_readable(said, prepared) and not reads_flights(said, prepared):
            found[text] = partial(watched_value, said, prepared)
    return found


def watched_value(requirement: Requirement, prepared: Prepared, fields: Fields) -> float:
    """The same of a flow on its way, nan as long as there is no value."""
    try:
        return monitor_value(requirement, prepared, fields)
    except FormulaError:
        return math.nan


@dataclass(frozen=True)
class ReadingResult:
    """The value of a requirement in SI units, or why it has none; how far it may still have moved when iterations `stopped`, and how far a mean is
    off that of a longer `window`, in SI units, where that is known."""

    name: str
    value: float | None
    problem: str = ""
    stopped: float | None = None
    window: float | None = None

    def as_dict(self) -> dict[str, Any]:
        """The same for a file."""
        return asdict(self)


def read_all(study: Study, prepared: Prepared, fields: Fields, history: History) -> list[ReadingResult]:
    """The readings of every requirement: of a flow in time over its history where it is to be read so."""
    results = []
    for requirement in study.requirements:
        try:
            value = monitor_value(requirement, prepared, fields)
            results.append(
                ReadingResult(
                    requirement.name,
                    float(_over_time(requirement, prepared, history, value)),
                    "",
                    *_left_open(requirement, prepared, history),
                )
            )
        except FormulaError as error:
            results.append(ReadingResult(requirement.name, None, error.message))
        except ValueError as error:
            results.append(ReadingResult(requirement.name, None, str(error)))
    return results


def _left_open(requirement: Requirement, prepared: Prepared, history: History) -> tuple[float | None, float | None]:
    """What the end of the iterations leaves open, and what that of the window of a mean does."""
    values = history.monitors.get(requirement.name, [])
    if prepared.timing.kind == "steady":
        return stopping_error(values), None
    if _course(requirement, prepared) != "mean" or len(values) != len(history.time):
        return None, None
    return None, window_error(np.array(history.time), np.array(values), prepared.timing.average_from)


def course_words(requirement: Requirement, prepared: Prepared) -> str:
    """What of a flow in time a requirement reads, in words; '' for a steady one."""
    timing = prepared.timing
    if timing.kind == "steady" or timing.duration is None or timing.average_from is None:
        return ""
    try:
        averaged = _reads_averages(requirement, prepared)
    except FormulaError:
        averaged = False
    since = (
        f"from {show(timing.average_from, DIMENSIONS['time'], given=True)} on"
        if timing.average_from
        else "of the whole run"
    )
    flown = reads_flights(requirement, prepared)
    course = requirement.course or ("end" if averaged or flown else timing.reads)
    if course == "end":
        told = f"at the end, {show(timing.duration, DIMENSIONS['time'], given=True)}"
        return f"{told}, of averages {since}" if averaged else told
    return f"{COURSES[course]} {since}"


def _over_time(requirement: Requirement, prepared: Prepared, history: History, at_end: float) -> float:
    """What of the course of a monitor is asked for. Raises `ValueError` where that is not known."""
    timing = prepared.timing
    if timing.kind == "steady" or (reads_flights(requirement, prepared) and not requirement.course):
        return at_end
    course = _course(requirement, prepared)
    if reads_flights(requirement, prepared):
        raise ValueError("particles fly through the flow as it ended, so this has no course; read it at the end")
    values = np.array(history.monitors.get(requirement.name, []))
    if course == "end" or len(values) != len(history.time) or not len(values):
        return at_end
    return course_of(np.array(history.time), values, course, timing.average_from)


def _course(requirement: Requirement, prepared: Prepared) -> Any:
    """What of the course of a monitor counts."""
    return requirement.course or ("end" if _reads_averages(requirement, prepared) else prepared.timing.reads)


def _reads_averages(requirement: Requirement, prepared: Prepared) -> bool:
    """Whether something of a reading is a mean over time already."""
    waiting = [n.parts[1] for n in names_in(parse(requirement.reading)) if len(n.parts) == 3]
    while waiting:
        quantity = waiting.pop()
        if quantity in OF_AVERAGES:
            return True
        if quantity in prepared.places.own and prepared.places.own[quantity].text:
            waiting += [n.text for n in names_in(parse(prepared.places.own[quantity].text))]
    return False


def dimension_of_monitor(requirement: Requirement, prepared: Prepared) -> Dimension | None:
    """What a reading is at one moment."""
    try:
        return reading_dimension(requirement.reading, prepared.places, prepared.scope)
    except FormulaError:
        return None


def dimension_followed(study: Study, text: str, prepared: Prepared) -> Dimension | None:
    """What a reading is that a plot follows, by the name of its requirement or as it is written."""
    said = next((r for r in study.requirements if r.name == text), None)
    return dimension_of_monitor(said or Requirement.model_construct(name=text, title=text, reading=text), prepared)


def dimension_of_reading(requirement: Requirement, prepared: Prepared) -> Dimension | None:
    """What is read in the end."""
    dimension = dimension_of_monitor(requirement, prepared)
    return RATE if dimension is not None and requirement.course == "frequency" else dimension


def expected_words(requirement: Requirement, prepared: Prepared, value: float) -> str:
    """What was expected of a reading, and how far it is off that; '' where nothing was."""
    dimension = dimension_of_reading(requirement, prepared)
    expected = None if dimension is None else expected_value(requirement, dimension, prepared.scope)
    if dimension is None or expected is None:
        return ""
    apart = value - expected
    if dimension == DIMENSIONS["temperature"]:
        size = f"{round_text(abs(apart), 2)} K"
    else:
        size = (
            f"{round_text(100 * abs(apart / expected), 2)} %"
            if expected
            else show_reading(abs(apart), dimension, requirement.shown_in)
        )
    told = f"{requirement.expected_from.strip() or 'expected'} {show_reading(expected, dimension, requirement.shown_in, given=True)}"
    return (
        f"{told}: {size} {'above' if apart > 0 else 'under'} that"
        if abs(apart) > SAME * abs(expected)
        else f"{told}: just that"
    )


def judgement_of(requirement: Requirement, prepared: Prepared, value: float, half: float = 0.0) -> Judgement | None:
    """How a value, which may be off by `half` a band, stands against the requirement's limit as it is now."""
    dimension = dimension_of_reading(requirement, prepared)
    if dimension is None:
        return None
    try:
        limit = resolved_limit(requirement, dimension, prepared.scope)
    except ValueError:
        return None
    return judge(value, limit, dimension, requirement.shown_in, half)
