"""Sheets for export and for the pages' plots: profiles with their reference points, forces."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from brook.core.checks import prepare
from brook.core.results.exports import FORMATS, Column, Curve, Sheet
from brook.core.results.profile import Profile
from brook.core.results.quantities import QUANTITIES
from brook.core.results.reference import difference
from brook.core.study import read_study
from brook.core.study.views import CurvePlot
from brook.core.units import DIMENSIONS, Dimension, even_unit, scale_of, sensible_unit, show
from brook.runs.readout import Source, forces, profiles

LENGTH = DIMENSIONS["length"]
AXES = {"distance": "distance along the line", "x": "x", "y": "y", "z": "z"}


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


def plot_data(shown: list[Shown], plot: CurvePlot) -> dict[str, Any]:
    """Curves and reference points of a plot in units that suit them, with differences.

    Raises `KeyError`, `FormulaError`, `ValueError`.
    """
    one = shown[0].source
    study = read_study(one.document)
    kinds = prepare(study, study.variant(one.variant)).places.quantities()
    kind = kinds[plot.quantity]
    found = []
    gaps: list[str] = []
    for result in shown:
        for line, made in zip(plot.lines, profiles(result.source, plot), strict=True):
            names = [result.title] if len(shown) > 1 else []
            names += [line.title] if len(plot.lines) > 1 else []
            title = ", ".join(names) or result.title
            title += " (no fluid along this line)" if np.isnan(made.values).all() else ""
            found.append((title, made.along(plot.along), made.values))
            gaps += _gap(title, made)
    references = [(r, np.array(r.position), np.array(r.value)) for r in plot.references]
    x_unit, x_factor, _ = unit_of(LENGTH, [x for _, x, _ in found] + [x for _, x, _ in references])
    y_unit, y_factor, y_shift = unit_of(
        kind.dimension, [y for _, _, y in found] + [y for _, _, y in references], plot.quantity not in QUANTITIES
    )
    curves = [{"title": t, "x": _list(x * x_factor), "y": _list(y * y_factor + y_shift)} for t, x, y in found]
    compared = []
    for reference, x, y in references:
        row: dict[str, Any] = {
            "title": reference.title, "source": reference.source, "x": _list(x * x_factor),
            "y": _list(y * y_factor + y_shift),
        }  # fmt: skip
        row["against"] = [
            {
                "title": title, "computed": _list(d.computed * y_factor + y_shift), "share": _list(100 * d.share),
                "largest": _number(100 * d.largest), "mean": _number(100 * d.mean),
            }
            for title, d in ((t, difference(cx, cy, x, y)) for t, cx, cy in found)
        ]  # fmt: skip
        compared.append(row)
    return {
        "title": plot.title, "note": plot.note, "words": f"mean {kind.words} of sections" if plot.over == "sections" else kind.words, "x_title": AXES[plot.along], "x_unit": x_unit,
        "y_unit": y_unit, "x_factor": x_factor, "y_factor": y_factor, "y_shift": y_shift, "curves": curves, "references": compared, "gaps": gaps,
        "x_range": [v * x_factor for v in plot.position_range] if plot.position_range else None,
        "y_range": [v * y_factor + y_shift for v in plot.value_range] if plot.value_range else None,
    }  # fmt: skip


def _gap(title: str, made: Profile) -> list[str]:
    """In words, how much of a line lies in no fluid between places that do."""
    known = np.nonzero(np.isfinite(made.values))[0]
    if len(known) < 2 or known[-1] - known[0] + 1 == len(known):
        return []
    steps = np.diff(made.distance)[known[0] : known[-1]]
    out = ~np.isfinite(made.values)[known[0] : known[-1]]
    return [f"{title}: the line passes {show(float(steps[out].sum()), LENGTH)} where there is no fluid"]


def _list(values: np.ndarray) -> list[float | None]:
    return [_number(v) for v in values.tolist()]


def _number(value: float) -> float | None:
    return value if np.isfinite(value) else None


def plot_sheets(shown: list[Shown], plot: CurvePlot) -> list[Sheet]:
    """A plot as sheets: its curves, and one for each set of reference points with the differences."""
    data = plot_data(shown, plot)
    columns = []
    for curve in data["curves"]:
        columns.append(Column(f"{data['x_title']}, {curve['title']}", data["x_unit"], curve["x"]))
        columns.append(Column(f"{data['words']}, {curve['title']}", data["y_unit"], curve["y"]))
    curves = [Curve(c["title"], _gaps(c["x"]), _gaps(c["y"])) for c in data["curves"]]
    curves += [Curve(r["title"], _gaps(r["x"]), _gaps(r["y"]), points=True) for r in data["references"]]
    sheets = [
        Sheet(
            data["title"], tuple(columns), data["note"], tuple(curves), _titled(data["x_title"], data["x_unit"]),
            _titled(data["words"], data["y_unit"]), _pair(data["x_range"]), _pair(data["y_range"]),
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
