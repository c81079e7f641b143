"""How readings went on in runs: their curves with means, spectra and what is to be said of them, for pages and files."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError
from brook.core.results.quantities.coefficients import area_and_length
from brook.core.results.quantities.pressure_coefficient import inflow_speed
from brook.core.results.readings import read_value, words_of
from brook.core.results.spectrum import Spectrum, Window, spectrum_of, window_of
from brook.core.solve.history import lifted
from brook.core.stages.readings import dimension_followed
from brook.core.study import Study, Value, read_study, value_at
from brook.core.study.curves import Axis, CoursePlot
from brook.core.units import DIMENSIONS, Dimension, show
from brook.runs.readout import Source, loaded, prepared_of, time_of, view_of
from brook.runs.sheets import Scale, Shown, against, scale, sheets_of, write
from brook.store.files import ResultFiles, moment_file

TIME, RATE, NUMBER = DIMENSIONS["time"], DIMENSIONS["rate"], DIMENSIONS["number"]
WORDS = {"values": "", "mean": "running mean", "spectrum": "amplitude"}
LONGEST = 20  # letters of a reading that an axis has room for
SHOWN_TO = 5.0  # times the highest frequency of a peak
FEWEST, MOST_MOMENTS = 4, 400  # moments of which something is read that was not watched
FIRST_LEFT_OUT = 3  # iterations of a steady run, which flatten all others


@dataclass(frozen=True, eq=False)
class Course:
    """One reading of one run: what it is called, alone and with its run, its dimension and places on the axes (n,) in SI units or iterations, what is said of
    it or why it has none, and up to what frequency its swings go in 1/s."""

    reading: str
    title: str
    dimension: Dimension
    x: np.ndarray
    y: np.ndarray
    says: str
    swings_to: float = 0.0


def course_data(shown: list[Shown], plot: CoursePlot) -> dict[str, Any]:
    """What `sheets.plot_data` gives of a plot along lines. Raises `ValueError`, `KeyError`."""
    found = [course for result in shown for course in _courses(result, plot, len(shown) > 1)]
    first = next((c.dimension for c in found if len(c.x)), found[0].dimension)
    left, right = [c for c in found if c.dimension == first], [c for c in found if c.dimension != first]
    others = {c.dimension for c in right if len(c.x)}
    if len(others) > 1:
        raise ValueError("these readings are of three kinds or more; a plot has two axes: take some out")
    steady = prepared_of(shown[0].source).timing.kind == "steady"
    along = ("frequency", RATE) if plot.shows == "spectrum" else ("iteration", NUMBER) if steady else ("time", TIME)
    x = _scale(along[0], along[1], [c.x for c in found] + [np.array(r.position) for r in plot.references])
    y = _scale(_words(plot, left), first, [c.y for c in left] + [np.array(r.value) for r in plot.references])
    data = {
        "title": plot.title, "note": plot.note, "words": y.words, "x_title": x.words, "x_unit": x.unit, "y_unit": y.unit,
        "x_factor": x.factor, "y_factor": y.factor, "y_shift": y.shift, "gaps": [c.says for c in found if c.says],
        "curves": [{"title": c.title, "x": _list(x.of(c.x)), "y": _list(y.of(c.y)), "places": []} for c in left if len(c.x)],
        "references": [_compared(reference, left, x, y) for reference in plot.references], "second": None,
        "x_range": x.ends(plot.position_range or _range(found)), "y_range": y.ends(plot.value_range),
    }  # fmt: skip
    if others:
        z = _scale(_words(plot, right), others.pop(), [c.y for c in right])
        data["second"] = {
            "words": z.words, "unit": z.unit, "range": None,
            "curves": [{"title": c.title, "x": _list(x.of(c.x)), "y": _list(z.of(c.y))} for c in right if len(c.x)],
        }  # fmt: skip
    return data


def export_course(suffix: str, shown: list[Shown], plot: CoursePlot) -> bytes:
    """The bytes of a file of what a plot shows."""
    return write(suffix, sheets_of(course_data(shown, plot)))


def _range(courses: list[Course]) -> tuple[float, float] | None:
    """The frequencies that are shown where nothing is said: up to some times those of the swings."""
    highest = max(c.swings_to for c in courses)
    known = max((float(c.x[-1]) for c in courses if len(c.x)), default=0.0)
    return (0.0, min(SHOWN_TO * highest, known)) if highest else None


def _scale(words: str, dimension: Dimension, values: list[np.ndarray]) -> Scale:
    return scale(
        Axis(title=words, unit="Hz" if words == "frequency" else ""),
        words,
        dimension,
        values,
        even=dimension == DIMENSIONS["temperature"] and words.startswith("amplitude"),
    )


def _words(plot: CoursePlot, courses: list[Course]) -> str:
    """What an axis shows: the one reading, or that there are several."""
    names = {c.reading for c in courses}
    name = names.pop() if len(names) == 1 else "readings"
    return (
        f"{WORDS[plot.shows]} of {name}"
        if plot.shows != "values" and len(name) <= LONGEST
        else WORDS[plot.shows] or name
    )


def _courses(result: Shown, plot: CoursePlot, several: bool) -> list[Course]:
    prepared, study = prepared_of(result.source), read_study(result.source.document)
    folder = ResultFiles(Path(result.source.root)).folder("run", result.source.run_key)
    history = lifted(json.loads((folder / "history.json").read_text()))
    steady = prepared.timing.kind == "steady"
    if steady and plot.shows != "values":
        raise ValueError("a steady run has iterations and no time; only a flow in time has a mean or a spectrum")
    window = (None, None) if steady else tuple(_moment(prepared, text) for text in (plot.begin, plot.end))
    found = []
    for name in plot.readings:
        requirement = next((r for r in study.requirements if r.name == name), None)
        reading = requirement.title if requirement else words_of(name) if "." in name else name
        alone = len(plot.readings) == 1
        title = result.title if several and alone else f"{result.title}, {reading}" if several else reading
        dimension = dimension_followed(study, name, prepared) or NUMBER
        times, says = history.get("time") or [], ""
        values = np.array([np.nan if v is None else v for v in history["monitors"].get(name, [])], float)
        nothing = np.zeros(0)
        if not len(values) and not steady:
            times, values, says = _of_moments(result.source, requirement.reading if requirement else name)
        if not len(values):
            found.append(Course(reading, title, dimension, nothing, nothing, f"{title}: this run did not watch it"))
        elif steady:
            places = np.arange(1, len(values) + 1)[FIRST_LEFT_OUT:]
            found.append(Course(reading, title, dimension, places.astype(float), values[FIRST_LEFT_OUT:], ""))
        else:
            try:
                seen = window_of(np.array(times), values, *window)
                course = _in_time(plot, result.source, (reading, title), dimension, seen)
                found.append(replace(course, says=f"{course.says}{says}"))
            except ValueError as error:
                found.append(Course(reading, title, dimension, nothing, nothing, f"{title}: {error}"))
    return found


def _of_moments(source: Source, text: str) -> tuple[list[float], np.ndarray, str]:
    """Times and values of a reading that a run did not watch, of the moments that it kept; and words about that."""
    prepared = prepared_of(source)
    folder = ResultFiles(Path(source.root)).folder("run", source.run_key)
    names = sorted(path.stem.removeprefix("at-") for path in folder.glob(moment_file("[0-9]*")))
    if len(names) < FEWEST:
        return [], np.zeros(0), ""
    times, values = [], []
    for name in names[-MOST_MOMENTS:]:
        moment = replace(source, moment=name)
        times.append(time_of(moment))
        try:
            values.append(read_value(text, prepared.places, prepared.scope, loaded(moment).fields))
        except FormulaError:
            values.append(np.nan)
    left = f" the last {MOST_MOMENTS} of" if len(names) > MOST_MOMENTS else ""
    words = f"; read of{left} {len(names)} moments that the run kept, as it did not watch this: run it anew to follow it step by step; of what swings faster than once in two moments this tells nothing"
    return times, np.array(values), words


def _moment(prepared: Prepared, text: str) -> float | None:
    """A time in s by formula, None where nothing is said. Raises `ValueError`."""
    try:
        return value_at(text, Value("time", "not_negative"), prepared.scope) if text.strip() else None
    except FormulaError as error:
        raise ValueError(f"the window: {error.message}") from None


def _in_time(plot: CoursePlot, source: Source, names: tuple[str, str], dimension: Dimension, window: Window) -> Course:
    reading, title = names
    even = DIMENSIONS["temperature"] == dimension
    spread = f"{window.fluctuation:.3g} K" if even else show(window.fluctuation, dimension)
    says = f"{title}: mean {show(window.mean, dimension)}, fluctuation {spread}, from {show(float(window.value.min()), dimension)} to {show(float(window.value.max()), dimension)}"
    if plot.shows == "mean":
        return Course(reading, title, dimension, window.time, window.running_mean, says)
    if plot.shows == "values":
        return Course(reading, title, dimension, window.time, window.value, says)
    spectrum = spectrum_of(window)
    highest = max((peak.frequency for peak in spectrum.peaks), default=0.0)
    swings = _swings(spectrum, source, dimension)
    return Course(
        reading, title, dimension, spectrum.frequency[1:], spectrum.amplitude[1:], f"{says}; {swings}", highest
    )


def _swings(spectrum: Spectrum, source: Source, dimension: Dimension) -> str:
    """The main peaks in words, with their Strouhal numbers f L/U where a length and a speed are known."""
    if not spectrum.peaks:
        return "no swing stands out that the window holds twice"
    ratio, over = _strouhal(source)
    each = []
    for peak in spectrum.peaks:
        size = f"{peak.amplitude:.3g} K" if dimension == DIMENSIONS["temperature"] else show(peak.amplitude, dimension)
        number = f", Strouhal number {peak.frequency * ratio:.3g}" if ratio else ""
        each.append(f"{show(peak.frequency, RATE, 'Hz')}{number} (amplitude {size})")
    return f"it swings at {'; '.join(each)}; the window tells {show(spectrum.step, RATE, 'Hz')} apart{over}"


def _strouhal(source: Source) -> tuple[float, str]:
    """L/U in s of the reference values, and these in words; a length that is not said is that of the first patch whose force is asked for along the stream."""
    view = view_of(source)
    speed = view.references.speed if view.references.speed is not None else inflow_speed(view)
    length = view.references.length
    if length is None:
        patch = _body_patch(read_study(source.document), [p.name for p in view.fields.mesh.patches])
        length = area_and_length(view, view.fields.mesh.patch(patch).faces)[1] if patch else None
    if not length or not speed:
        return 0.0, "; say a reference length for Strouhal numbers"
    return (
        length / speed,
        f"; f L/U with L = {show(length, DIMENSIONS['length'])}, U = {show(speed, DIMENSIONS['speed'])}",
    )


def _body_patch(study: Study, patches: list[str]) -> str:
    """The patch of which a requirement reads a force or a coefficient."""
    for requirement in study.requirements:
        for patch in patches:
            if any(f"{patch}.{what}" in requirement.reading for what in ("force_", "drag_", "lift_", "moment_")):
                return patch
    return ""


def _compared(reference: Any, courses: list[Course], x: Scale, y: Scale) -> dict[str, Any]:
    along, values = np.array(reference.position), np.array(reference.value)
    compared = [against(c.title, (c.x, c.y), (along, values), y) for c in courses if len(c.x)]
    return {
        "title": reference.title,
        "source": reference.source,
        "x": _list(x.of(along)),
        "y": _list(y.of(values)),
        "against": compared,
    }


def _list(values: np.ndarray) -> list[float | None]:
    return [_number(v) for v in values.tolist()]


def _number(value: float) -> float | None:
    return value if np.isfinite(value) else None
