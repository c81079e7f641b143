"""Questions to the result reader about results in space: cuts anywhere, streamlines, how much lies above a value."""

from __future__ import annotations

from math import isfinite
from typing import Any

import numpy as np

from brook.core.formulas import evaluate, parse
from brook.core.mesh import Mesh
from brook.core.results.picture import PlanePolygons, corner_values
from brook.core.results.quantities import QUANTITIES
from brook.core.results.space import Line, area, from_patch, iso_surface, point_values, streamlines, volume_above
from brook.runs.readout import MOST_LINES, MOST_PLACES, Source, loaded, prepared_of, view_of


def box(source: Source) -> list[list[float]]:
    """The lower and the upper corner of the mesh in m."""
    points = loaded(source).fields.mesh.points
    return [points.min(axis=0).tolist(), points.max(axis=0).tolist()]


def cut_array(source: Source, axis: int, at: float, name: str) -> bytes:
    """`corners`, `offsets` or the values of a quantity at the corners of a cut across an axis at a place in m; of `frame.QUANTITY` the
    three together behind two whole numbers: how many offsets, how many corners.

    Raises `KeyError` for another name, `FormulaError`, and `ValueError` where the plane misses the mesh."""
    shapes, _ = loaded(source).cut(axis, at)
    return _array(source, shapes, name)


def _array(source: Source, shapes: PlanePolygons, name: str) -> bytes:
    if name.startswith("frame."):
        counts = np.array([len(shapes.offsets), len(shapes.corners)], "<u4").tobytes()
        return counts + b"".join(_array(source, shapes, n) for n in ("offsets", "corners", name.removeprefix("frame.")))
    if name == "corners":
        return np.ascontiguousarray(shapes.corners, "<f4").tobytes()
    if name == "offsets":
        return shapes.offsets.astype("<u4").tobytes()
    return np.ascontiguousarray(corner_values(view_of(source), name, shapes), "<f4").tobytes()


def lines_in_space(source: Source, patch: str, seeds: list[tuple[float, float, float]], count: int) -> dict[str, Any]:
    """Streamlines both ways from places that share the flow of a patch, or from `seeds` in m where there are any: places of
    each as x, y, z … in m and the seconds that its fluid takes; where they end, and how many do; seeds that lie in no fluid.

    Raises `KeyError` for an unknown patch, `ValueError` for one that nothing passes."""
    result, view = loaded(source), view_of(source)
    starts = np.array(seeds[:MOST_LINES], float) if seeds else from_patch(view, patch, min(count, MOST_LINES))
    lines = streamlines(result.locator, view, starts)
    kept = [line for line in lines if len(line.places) > 1]
    ends: dict[str, int] = {}
    for line in kept:
        ends[line.end] = ends.get(line.end, 0) + 1
    taken = np.array([np.ptp(line.seconds) for line in kept])
    through = {p.name for p in result.fields.mesh.patches}
    whole = np.array([line.begin in through and line.end in through for line in kept], bool)
    return {
        "lines": [_drawn(line) for line in kept], "ends": ends, "outside": len(lines) - len(kept), "through": int(whole.sum()),
        "seconds": [float(f(taken[whole])) for f in (np.min, np.median, np.max)] if whole.any() else None,
    }  # fmt: skip


def _drawn(line: Line) -> dict[str, Any]:
    """Thinned to what a picture can show, the last place kept."""
    thin = max(1, len(line.places) // MOST_PLACES)
    places = line.places[::thin]
    if not np.array_equal(places[-1], line.places[-1]):
        places = np.vstack([places, line.places[-1:]])
    return {"places": np.round(places, 7).ravel().tolist(), "seconds": float(np.ptp(line.seconds)), "end": line.end}


def above(source: Source, quantity: str, level: str) -> dict[str, float]:
    """Where a quantity is above a level, given as a formula: the volume in m³, what share of the mesh it is, and the area in m²
    of the surface where it has that level; the level, the least and the largest value at points of the mesh in SI units.

    Raises `KeyError`, `FormulaError`, and `ValueError` for a level of another kind."""
    mesh: Mesh = loaded(source).fields.mesh
    view, prepared = view_of(source), prepared_of(source)
    values = point_values(view, quantity)
    kind = QUANTITIES[quantity] if quantity in QUANTITIES else view.own[quantity].kind
    wanted = evaluate(parse(level), prepared.scope)
    at = float(wanted.value)
    if wanted.dimension != kind.dimension:
        hint = "a unit is missing" if wanted.dimension.is_none else f"this is a {wanted.dimension}"
        raise ValueError(f"{hint}; {kind.words} is a {kind.dimension}")
    if not isfinite(at):
        raise ValueError("this is not a number")
    volume = volume_above(mesh, values, at)
    try:
        surface = area(iso_surface(mesh, values, at))
    except ValueError:
        surface = 0.0
    return {"volume": volume, "share": volume / float(mesh.volume.sum()), "area": surface, "level": at,
            "least": float(values.min()), "most": float(values.max())}  # fmt: skip
