"""Sheets for export and for the pages' plots: profiles with their reference points, forces."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from brook.core.formulas import Scope
from brook.core.results.axes import axis_dimension, axis_values
from brook.core.results.exports import FORMATS, Column, Curve, Sheet
from brook.core.results.profile import Profile
from brook.core.results.quantities import QUANTITIES
from brook.core.results.reference import difference, extremes
from brook.core.study.curves import Axis, CurvePlot
from brook.core.units import (
    DIMENSIONS,
    Dimension,
    UnitError,
    dimension_of,
    even_unit,
    round_text,
    scale_of,
    sensible_unit,
    show,
)
from brook.runs.profiles import profiles
from brook.runs.readout import Source, forces, prepared_of

LENGTH = DIMENSIONS["length"]
MOST_SAID = 8  # places named in a sentence
MOST_PLACES = 200  # of a line that is drawn in a picture
AXES = {"distance": "distance along the line", "x": "x", "y": "y", "z": "z"}
OVER = {"line": "{}", "sections": "mean {} of sections", "through": "{}, mean by flow"}


@dataclass(frozen=True)
class Shown:
    """A result to draw: its source, and the title of its variant."""

    source: Source
    title: str


def write(suffix: str, sheets: list[Sheet]) -> bytes:
    """The bytes of a file; raises `KeyError` for an unknown kind."""
    return FORMATS[suffix].write(sheets)


def unit_of(dimension: Dimension, values: list[np.ndarray], even: bool = False) -> tuple[str, float, float]:
    """The unit that suits values (SI), and factor and shift that make a value one of that unit; none but a factor where it
    has to be `even`."""
    found = np.concatenate([np.abs(v[np.isfinite(v)]) for v in values]) if values else np.zeros(0)
    unit = sensible_unit(dimension, 0.3 * float(found.max(initial=0.0)))
    unit = even_unit(unit) if even else unit
    return unit, *scale_of(unit)


@dataclass(frozen=True, eq=False)
class Read:
    """A curve of a plot: its title, places and values (n,) in SI units as the axes have them, what fell short, and of a line that is found by a patch
    where (k, d) it lies in m."""

    title: str
    x: np.ndarray
    y: np.ndarray
    gaps: list[str]
    places: list[list[float]] = field(default_factory=list)


@dataclass(frozen=True)
class Scale:
    """How an axis is shown: its words, its unit, and factor and shift that make a value of SI one of it."""

    words: str
    unit: str
    factor: float
    shift: float

    def of(self, values: np.ndarray) -> np.ndarray:
        return values * self.factor + self.shift

    def ends(self, of: tuple[float, float] | None) -> list[float] | None:
        return [v * self.factor + self.shift for v in of] if of else None


def scale(axis: Axis, words: str, dimension: Dimension, values: list[np.ndarray], even: bool = False) -> Scale:
    """The scale of an axis of some dimension whose own words come first; raises `ValueError` for a unit of something else."""
    words = axis.title or axis.formula or words
    if not axis.unit:
        return Scale(words, *unit_of(dimension, values, even or bool(axis.formula)))
    try:
        fits = dimension_of(axis.unit) == dimension
    except UnitError as error:
        raise ValueError(str(error)) from None
    if not fits:
        raise ValueError(f"'{axis.unit}' is no unit of a {dimension}")
    return Scale(words, axis.unit, *scale_of(axis.unit))


def against(
    title: str, curve: tuple[np.ndarray, np.ndarray], points: tuple[np.ndarray, np.ndarray], y: Scale
) -> dict[str, Any]:
    """How far a curve is from reference points: at each of them, at the most, on the mean, and at the extremes of both, shares in per cent."""
    d = difference(*curve, *points)
    return {
        "title": title, "computed": _list(y.of(d.computed)), "share": _list(100 * d.share),
        "largest": _number(100 * d.largest), "mean": _number(100 * d.mean),
        "extremes": [
            {"which": e.which, "reference": float(y.of(np.array(e.reference))), "computed": float(y.of(np.array(e.computed))), "share": _number(100 * e.share)}
            for e in extremes(*curve, *points)
        ],
    }  # fmt: skip


def plot_data(shown: list[Shown], plot: CurvePlot) -> dict[str, Any]:
    """Curves and reference points of a plot in units that suit them, with differences.

    Raises `KeyError`, `FormulaError`, `ValueError`.
    """
    one = prepared_of(shown[0].source)
    kinds = one.places.quantities()
    kind = kinds[plot.quantity]
    position = dimension_on(plot.position_axis, LENGTH, kind.dimension, one.scope)
    value = dimension_on(plot.value_axis, kind.dimension, kind.dimension, one.scope)
    found = read_curves(shown, plot, plot.quantity, plot.value_axis)
    references = [(r, np.array(r.position), np.array(r.value)) for r in plot.references]
    right = plot.second
    others = read_curves(shown, plot, right.quantity, right) if right else []
    if right:
        found = [replace(c, title=f"{c.title}, {kind.words}") for c in found]
    x = scale(
        plot.position_axis, AXES[plot.along], position, [c.x for c in [*found, *others]] + [r[1] for r in references]
    )
    y = scale(
        plot.value_axis, OVER[plot.over].format(kind.words), value, [c.y for c in found] + [r[2] for r in references],
        plot.quantity not in QUANTITIES,
    )  # fmt: skip
    curves = [{"title": c.title, "x": _list(x.of(c.x)), "y": _list(y.of(c.y)), "places": c.places} for c in found]
    compared = []
    for reference, along, values in references:
        row: dict[str, Any] = {
            "title": reference.title, "source": reference.source, "x": _list(x.of(along)), "y": _list(y.of(values)),
        }  # fmt: skip
        row["against"] = [against(c.title, (c.x, c.y), (along, values), y) for c in found]
        compared.append(row)
    data = {
        "title": plot.title, "note": plot.note, "words": y.words, "x_title": x.words, "x_unit": x.unit, "y_unit": y.unit,
        "x_factor": x.factor, "y_factor": y.factor, "y_shift": y.shift, "curves": curves, "references": compared,
        "gaps": [words for c in found for words in c.gaps], "second": None,
        "x_range": x.ends(plot.position_range), "y_range": y.ends(plot.value_range),
    }  # fmt: skip
    if right:
        other = kinds[right.quantity]
        made = dimension_on(right, other.dimension, other.dimension, one.scope)
        z = scale(
            right, OVER[plot.over].format(other.words), made, [c.y for c in others], right.quantity not in QUANTITIES
        )
        data["second"] = {
            "words": z.words, "unit": z.unit, "range": z.ends(right.range),
            "curves": [{"title": f"{c.title}, {other.words}", "x": _list(x.of(c.x)), "y": _list(z.of(c.y))} for c in others],
        }  # fmt: skip
    return data


def dimension_on(axis: Axis, plain: Dimension, value: Dimension, scope: Scope) -> Dimension:
    """The dimension of what an axis shows, where `plain` is that without a formula. Raises `FormulaError`."""
    return axis_dimension(axis.formula, value, scope) if axis.formula.strip() else plain


def read_curves(shown: list[Shown], plot: CurvePlot, quantity: str, value_axis: Axis) -> list[Read]:
    """A quantity of each result along each line of a plot, as its axes show it. Raises `KeyError`, `FormulaError`, `ValueError`."""
    found = []
    for result in shown:
        prepared = prepared_of(result.source)
        dimension = prepared.places.quantities()[quantity].dimension
        for line, parts in zip(plot.lines, profiles(result.source, plot, quantity), strict=True):
            for made in parts:
                names = [result.title] if len(shown) > 1 else []
                names += [line.title] if len(plot.lines) > 1 else []
                names += [made.words] if made.words else []
                title = ", ".join(names) or result.title
                title += f" ({made.why})" if made.why else ""
                x, y = (
                    axis_values(axis.formula, dimension, prepared.scope, made) if axis.formula.strip() else otherwise
                    for axis, otherwise in ((plot.position_axis, made.along(plot.along)), (value_axis, made.values))
                )
                gaps = _gap(title, made, plot.over == "through")
                missing = int((np.isfinite(made.values) & ~np.isfinite(x + y)).sum())
                if missing:
                    gaps.append(f"{title}: at {missing} of {len(x)} places the formula of an axis has no value")
                gaps += _wide(title, made)
                lies = [] if line.kind == "line" or made.why else _thinned(made.places)
                found.append(Read(title, x, y, gaps, lies))
    return found


def _gap(title: str, made: Profile, through: bool) -> list[str]:
    """In words, how much of a line lies in no fluid, or where as much flows back `through` sections, between places that do not."""
    known = np.nonzero(np.isfinite(made.values))[0]
    if len(known) < 2 or known[-1] - known[0] + 1 == len(known):
        return []
    steps = np.diff(made.distance)[known[0] : known[-1]]
    out = ~np.isfinite(made.values)[known[0] : known[-1]]
    where = "there is no fluid" if not through else "there is no fluid or as much flows back"
    return [f"{title}: the line passes {show(float(steps[out].sum()), LENGTH)} where {where}"]


def _wide(title: str, made: Profile) -> list[str]:
    """In words, where sections take in what branches off."""
    if made.wide is None or not made.wide.any():
        return []
    first = made.wide & ~np.concatenate([[False], made.wide[:-1]])
    unit, factor, _ = unit_of(LENGTH, [made.distance])
    at = [f"{round_text(v * factor, 3)}" for v in made.distance[first]]
    shown = ", ".join(at[:MOST_SAID]) + (f" and {len(at) - MOST_SAID} more" if len(at) > MOST_SAID else "")
    return [f"{title}: the section is wider than beside it near {shown} {unit}; what branches off there counts too"]


def _thinned(places: np.ndarray) -> list[list[float]]:
    """Some of the places, to be drawn."""
    step = max(1, len(places) // MOST_PLACES)
    kept: list[list[float]] = np.vstack([places[:-1:step], places[-1:]]).round(7).tolist()
    return kept


def _list(values: np.ndarray) -> list[float | None]:
    return [_number(v) for v in values.tolist()]


def _number(value: float) -> float | None:
    return value if np.isfinite(value) else None


def plot_sheets(shown: list[Shown], plot: CurvePlot) -> list[Sheet]:
    """A plot as sheets: its curves, and one for each set of reference points with the differences."""
    return sheets_of(plot_data(shown, plot))


def sheets_of(data: dict[str, Any]) -> list[Sheet]:
    """The same of what a plot shows."""
    right = data["second"] or {"curves": [], "words": "", "unit": "", "range": None}
    columns = []
    for curves, words, unit in (
        (data["curves"], data["words"], data["y_unit"]),
        (right["curves"], right["words"], right["unit"]),
    ):
        for curve in curves:
            columns.append(Column(f"{data['x_title']}, {curve['title']}", data["x_unit"], curve["x"]))
            columns.append(Column(f"{words}, {curve['title']}", unit, curve["y"]))
    drawn = [Curve(c["title"], _gaps(c["x"]), _gaps(c["y"])) for c in data["curves"]]
    drawn += [Curve(r["title"], _gaps(r["x"]), _gaps(r["y"]), points=True) for r in data["references"]]
    drawn += [Curve(c["title"], _gaps(c["x"]), _gaps(c["y"]), right=True) for c in right["curves"]]
    note = " ".join([data["note"], *(f"{words}." for words in data["gaps"])]).strip()
    sheets = [
        Sheet(
            data["title"], tuple(columns), note, tuple(drawn), _titled(data["x_title"], data["x_unit"]),
            _titled(data["words"], data["y_unit"]), _pair(data["x_range"]), _pair(data["y_range"]),
            right_title=_titled(right["words"], right["unit"]), right_range=_pair(right["range"]),
        )
    ]  # fmt: skip
    for reference in data["references"]:
        parts = [
            Column(data["x_title"], data["x_unit"], reference["x"]),
            Column("reference", data["y_unit"], reference["y"]),
        ]
        for against in reference["against"]:
            parts.append(Column(f"computed, {against['title']}", data["y_unit"], against["computed"]))
            parts.append(Column(f"difference, {against['title']}", "%", against["share"]))
        sheets.append(Sheet(reference["title"], tuple(parts)))
    return sheets


def _gaps(values: list[float | None]) -> list[float]:
    return [np.nan if v is None else v for v in values]


def _titled(title: str, unit: str) -> str:
    return f"{title} [{unit}]" if unit else title


def _pair(values: list[float] | None) -> tuple[float, float] | None:
    return (values[0], values[1]) if values else None


def force_sheets(shown: list[Shown]) -> list[Sheet]:
    """Forces on the patches of each variant, in N."""
    sheets = []
    for result in shown:
        rows = forces(result.source)
        columns = [Column("patch", "", [r["patch"] for r in rows])]
        for part in ("pressure", "friction", "total"):
            for axis, letter in enumerate("xyz"[: len(rows[0][part])] if rows else ""):
                columns.append(Column(f"{part} {letter}", "N", [r[part][axis] for r in rows]))
        sheets.append(Sheet(f"Forces, {result.title}", tuple(columns)))
    return sheets


def export_plot(suffix: str, shown: list[Shown], plot: CurvePlot) -> bytes:
    return write(suffix, plot_sheets(shown, plot))


def export_forces(suffix: str, shown: list[Shown]) -> bytes:
    return write(suffix, force_sheets(shown))
