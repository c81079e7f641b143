"""Values by formula of the time or of the place as graphs beside their statements."""

from __future__ import annotations

from math import isfinite
from typing import Any

import numpy as np

from brook.core.formulas import FormulaError
from brook.core.geometry.plane import PlaneShape
from brook.core.study import Value, named_scope
from brook.core.study.moving import MovingValue, moving_values
from brook.core.study.patterns import each
from brook.core.study.placed import Placed, is_placed
from brook.core.units import DIMENSIONS, Dimension, from_si, pretty_unit, sensible_unit, show
from brook.web.graph import graph
from brook.web.state import StudyState, VariantState

SAMPLES, MOST = 160, 12
ALIKE = 1e-9  # of a value: what it may differ by along a line and be the same
ALIGNED = 0.999  # of the length of a line along one axis
Points = list[tuple[float, float]]
Spans = dict[str, list[list[list[float]]]]  # both ends in m of lines through the middle of each patch
Line = tuple[str, list[float], np.ndarray]  # what it is in words, how far along it in m, and where (n, 3)


def formula_graphs(
    state: StudyState, variant: VariantState | None, spans: Spans | None = None
) -> dict[str, list[dict[str, Any]]]:
    """What a template draws, by the pointer of the statement: over the time of a flow in time, along a patch of a drawing, or along the `spans` of one in space."""
    if variant is None:
        return {}
    found: dict[str, list[dict[str, Any]]] = {}
    set_up = state.study.set_up
    said: list[tuple[str, Any]] = [(f"/set_up/boundaries/{k}", b) for k, b in enumerate(set_up.boundaries)]
    said += [(f"/set_up/within/{k}", w) for k, w in enumerate(set_up.within)]
    for pointer, statement in said:
        if sum(len(graphs) for graphs in found.values()) >= MOST:
            break
        made = [*_over_time(state, variant, statement), *_over_place(state, variant, pointer, spans or {})]
        if made:
            found[pointer] = made
    return found


def _over_time(state: StudyState, variant: VariantState, statement: Any) -> list[dict[str, Any]]:
    timing = variant.prepared.timing
    if timing.kind != "in_time" or not timing.duration:
        return []
    times = np.linspace(0.0, timing.duration, SAMPLES + 1)
    found = []
    for moving in moving_values(state.study, variant.variant, statement):
        points = [(t, v) for t in times.tolist() if (v := _at(state, variant, moving, t)) is not None]
        if len(points) > 1:
            words = (
                ""
                if len(points) == len(times)
                else f"It has no value at {len(times) - len(points)} of {len(times)} moments."
            )
            placed = moving.value.placed and is_placed(moving.text)
            words = f"{words} It is that at the origin.".strip() if placed else words
            found.append(_drawn(points, "time", "t", moving.value.dimension, _called(moving.field), words))
    return found


def _at(state: StudyState, variant: VariantState, moving: MovingValue, time: float) -> float | None:
    """A value in SI units at a time in s, at the origin where it depends on the place too; None where there is none."""
    try:
        value = float(moving.at(named_scope(state.study, variant.variant, time)))
    except FormulaError:
        return None
    return value if isfinite(value) else None


def _over_place(state: StudyState, variant: VariantState, pointer: str, spans: Spans) -> list[dict[str, Any]]:
    """Along the patches of a statement: from where the outline of one in a drawing begins, or straight through the middle of one in space."""
    shape, boundaries = variant.prepared.shape, state.study.set_up.boundaries
    known = shape.patches if shape is not None else list(spans)
    if not known or not pointer.startswith("/set_up/boundaries/"):
        return []
    number = int(pointer.rsplit("/", 1)[1])
    patches = [b.patch for k, b in each(boundaries, known) if k == number]
    found = []
    for resolved in (b for b in variant.prepared.boundaries if b.patch in patches):
        for name, info in type(boundaries[number]).model_fields.items():
            value, mark = getattr(resolved, name, None), next((m for m in info.metadata if isinstance(m, Value)), None)
            if isinstance(value, Placed) and mark is not None:
                lines = _along(shape, resolved.patch) if shape else _through(resolved.patch, spans[resolved.patch])
                found += [made for line in lines if (made := _along_line(value, line, mark.dimension, name))]
    return found


def _along_line(value: Placed, line: Line, dimension: Dimension, name: str) -> dict[str, Any] | None:
    """A value along a line, where it has one there."""
    words, along, places = line
    points = [(s, v) for s, place in zip(along, places, strict=True) if (v := _there(value, place)) is not None]
    if len(points) < 2:
        return None
    beyond = value.beyond(places)
    told = f"{beyond:.0%} of it lies beyond the ends of its table." if beyond else ""
    return _drawn(points, "length", words, dimension, _called(name), told)


def _through(patch: str, ends: list[list[list[float]]]) -> list[Line]:
    """Lines through the middle of a patch in space."""
    found = []
    for (begin, end), words in zip(ends, ("along", "across"), strict=False):
        first, way = np.array(begin), np.array(end) - np.array(begin)
        shares = np.linspace(0.0, 1.0, SAMPLES + 1)
        found.append(
            (f"{words} {patch}{_axis(way)}", (shares * np.linalg.norm(way)).tolist(), first + shares[:, None] * way)
        )
    return found


def _axis(way: np.ndarray) -> str:
    """Which axis a line lies along, if it does."""
    k = int(np.argmax(np.abs(way)))
    return f", {'xyz'[k]}" if abs(way[k]) > ALIGNED * float(np.linalg.norm(way)) else ""


def _there(value: Placed, place: np.ndarray) -> float | None:
    try:
        found = float(value.at(place[None])[0])
    except FormulaError:
        return None
    return found if isfinite(found) else None


def _along(shape: PlaneShape, patch: str) -> list[Line]:
    """The line that a patch of a drawing is."""
    edges = [e for e in shape.edges() if e.patch == patch]
    each_has = max(2, SAMPLES // max(1, len(edges)))
    along, places, before = [], [], 0.0
    for edge in edges:
        for share in np.linspace(0.0, 1.0, each_has).tolist():
            along.append(before + share * edge.length)
            places.append((edge.x0 + share * (edge.x1 - edge.x0), edge.y0 + share * (edge.y1 - edge.y0), 0.0))
        before += edge.length
    return [(f"along {patch}", along, np.array(places))]


def _called(field: str) -> str:
    return field.replace("_", " ")


def _drawn(points: Points, across: str, word: str, dimension: Dimension, called: str, words: str) -> dict[str, Any]:
    x_unit = sensible_unit(DIMENSIONS[across], max(abs(x) for x, _ in points))
    y_unit = sensible_unit(dimension, max(abs(y) for _, y in points))
    line = [(from_si(x, x_unit), from_si(y, y_unit)) for x, y in points]
    low, high = min(y for _, y in points), max(y for _, y in points)
    unit = pretty_unit(y_unit)
    first, last = show(low, dimension, y_unit), show(high, dimension, y_unit)
    said = f"It is {first} all along." if high - low <= ALIKE * abs(high) else f"From {first} to {last}."
    return {
        **graph({"line": line, "points": [], "logarithmic": False}),
        "x": f"{word} in {pretty_unit(x_unit)}", "y": f"{called} in {unit}" if unit else called,
        "words": " ".join(w for w in (said, words) if w),
        "title": f"{called[0].upper()}{called[1:]}",
    }  # fmt: skip
