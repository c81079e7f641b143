"""What the lines of a plot read from a result."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.results.plane import point_values
from brook.core.results.profile import Profile, profile
from brook.core.results.quantities import View
from brook.core.results.space import Curve, belts, curve, rims, section_means, widened
from brook.core.results.space.rounds import MOST_PARTS
from brook.core.study import Part, Problem, Resolved, resolve
from brook.core.study.curves import CurvePlot
from brook.runs.readout import Loaded, Source, loaded, prepared_of, view_of

Reader = Callable[[Loaded, View, CurvePlot, str, Resolved], list[Profile]]


def profiles(source: Source, plot: CurvePlot, quantity: str) -> list[list[Profile]]:
    """A quantity along each line of a plot: one profile, or one for each part of a line. Of a line that reads nothing all values are
    nan, and it says why.

    Raises `KeyError` for an unknown quantity, `FormulaError`, `ValueError` for a line without numbers."""
    result, view = loaded(source), view_of(source)
    view.values(quantity)  # what is wrong with a quantity is not taken for a line that misses
    found = []
    for line in plot.lines:
        resolved = resolved_line(line, source)
        try:
            found.append(READERS[line.kind](result, view, plot, quantity, resolved))
        except KeyError as error:
            found.append([_nothing(result, f"there is no patch '{error.args[0]}'")])
        except ValueError as error:
            found.append([_nothing(result, str(error))])
    return found


def resolved_line(line: Part, source: Source) -> Resolved:
    """A line with numbers for its formulas. Raises `ValueError` where one has none."""
    problems: list[Problem] = []
    resolved = resolve(line, prepared_of(source).scope, "", problems)
    if problems:
        raise ValueError(f"'{resolved.title}': {problems[0].message}")
    return resolved


def _nothing(result: Loaded, why: str) -> Profile:
    axes = 2 if result.fields.mesh.is_plane else 3
    return Profile(np.zeros((2, axes)), np.array([0.0, 0.0]), np.full(2, np.nan), why=why)


def corners_of(line: Resolved) -> np.ndarray:
    """The corners (k, 3) in m of a line that goes from place to place."""
    ends = [tuple(getattr(line, f"{which}_{axis}") for axis in "xyz") for which in ("start", "end")]
    return np.array([ends[0], *((p.x, p.y, p.z) for p in line.via), ends[1]], float)


def _along(result: Loaded, view: View, plot: CurvePlot, quantity: str, line: Resolved) -> list[Profile]:
    corners = corners_of(line)
    if not result.fields.mesh.is_plane:
        return [_over(result, view, plot, quantity, corners)]
    made = profile(result.triangles, point_values(view, quantity, result.shapes), corners[:, :2])
    if np.isnan(made.values).all():
        raise ValueError("no fluid along this line")
    return [made]


def _over(result: Loaded, view: View, plot: CurvePlot, quantity: str, corners: np.ndarray) -> Profile:
    """In space, on the line itself or over sections across it."""
    try:
        if plot.over == "line":
            return _profile(curve(result.locator, view, quantity, corners))
        return _profile(section_means(result.locator, view, quantity, corners, through=plot.over == "through"))
    except ValueError:
        raise ValueError("no fluid along this line") from None


def _rims(result: Loaded, view: View, plot: CurvePlot, quantity: str, line: Resolved) -> list[Profile]:
    if result.fields.mesh.is_plane:
        raise ValueError("rims are of patches in space")
    return _parts(rims(view, quantity, line.patch))


def _belts(result: Loaded, view: View, plot: CurvePlot, quantity: str, line: Resolved) -> list[Profile]:
    mesh = result.fields.mesh
    if not mesh.is_plane:
        return _parts(belts(view, quantity, line.patch, "xyz".index(line.across), line.at))
    found = belts(view, quantity, line.patch, 2, float(mesh.points[:, 2].mean()))
    return _parts([Curve(c.places[:, :2], c.way, c.values) for c in found])


def _middle(result: Loaded, view: View, plot: CurvePlot, quantity: str, line: Resolved) -> list[Profile]:
    if result.fields.mesh.is_plane:
        raise ValueError("lines through the middle are for results in space")
    return [_over(result, view, plot, quantity, result.middle(view, line.start, line.end))]


def _parts(found: list[Curve]) -> list[Profile]:
    """The longest parts of a line, numbered where there are several."""
    shown = found[:MOST_PARTS]
    of = f" of {len(found)}" if len(found) > 1 else ""
    return [_profile(c, f"part {k}{of}" if of else "") for k, c in enumerate(shown, 1)]


def _profile(made: Curve, words: str = "") -> Profile:
    return Profile(made.places, made.way, made.values, words, wide=None if made.areas is None else widened(made.areas))


READERS: dict[str, Reader] = {"line": _along, "rim": _rims, "belt": _belts, "middle": _middle}
