"""Handles: which typed values a dragged edge of the drawing changes, and by how much.

An edge may stand there as a formula (`depth - hanging`). What a drag then changes is a plain value that the
edge follows from, found by moving each plain value a little and looking at what moves with it. Of all values
that move the edge and leave the opposite one, the one that moves least else is taken; values shared by all
variants come last.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np

from brook.core.editing.pointers import holder_of, walk
from brook.core.formulas import FormulaError, Number, evaluate, parse
from brook.core.study import PlaneGeometry, Study, Variant, named_scope, resolve
from brook.core.units import DIMENSIONS, UnitError, unit_factor

LENGTH = DIMENSIONS["length"]
SHARED, KEEPS_LESS, PAIR = 30.0, 8.0, 0.5
MOST = 200


@dataclass(frozen=True)
class Leaf:
    """A typed length that a handle changes: by `slope` m for each m of the drag. `factor` is its unit in m."""

    pointer: str
    text: str
    unit: str
    factor: float
    value: float
    slope: float


@dataclass(frozen=True)
class Handle:
    """A place to take hold of, in m. `axis` is x or y; `name` says what it is; no leaf means it cannot be dragged."""

    name: str
    axis: str
    x: float
    y: float
    leaves: tuple[Leaf, ...]
    label: str
    shared: bool


@dataclass(frozen=True)
class _Target:
    name: str
    axis: str
    place: tuple[float, float]
    moves: tuple[str, ...]
    keeps: tuple[str, ...]
    fields: tuple[tuple[str, float], ...]


def handles(study: Study, variant: Variant) -> list[Handle]:
    """Handles of every dimension of a variant's shape; none when it cannot be evaluated."""
    index = study.variants.index(variant)
    base = _positions(study, variant)
    if base is None:
        return []
    raw = study.model_dump(mode="json")
    leaves = _plain_lengths(raw, index)
    size = max(abs(v) for v in base.values()) or 1.0
    step = 1e-4 * size
    moved = {}
    for pointer, (_, unit, factor, value) in leaves.items():
        positions = _moved(raw, index, pointer, f"{(value + step) / factor!r} {unit}")
        if positions is not None:
            moved[pointer] = {k: (positions[k] - base[k]) / step for k in base}
    found = []
    for target in _targets(variant.geometry, base, f"/variants/{index}/geometry"):
        chosen = _driver(target, moved, leaves)
        if chosen is None:
            found += _by_number(study, target, raw, index)
            continue
        parts = tuple(Leaf(p, leaves[p][0], leaves[p][1], leaves[p][2], leaves[p][3], slope) for p, slope in chosen)
        shared = any(p.startswith("/named_values") for p, _ in chosen)
        label = " and ".join(p.rsplit("/", 1)[1].replace("_", " ") for p, _ in chosen)
        found.append(Handle(target.name, target.axis, *target.place, parts, label, shared))
    return found[:MOST]


def _by_number(study: Study, target: _Target, raw: dict[str, Any], index: int) -> list[Handle]:
    """A handle that puts a number in the place of a formula, where nothing typed moves an edge by itself."""
    if not target.keeps:
        return []  # a whole piece moves only by what is its own
    parts = []
    scope = named_scope(study, study.variants[index])
    for pointer, slope in target.fields:
        text = walk(raw, pointer)
        try:
            value = float(evaluate(parse(text), scope).value)
        except FormulaError:
            return []
        parts.append(Leaf(pointer, text, "mm", 1e-3, value, slope))
    label = " and ".join(p.rsplit("/", 1)[1] for p, _ in target.fields) + " (a number instead of the formula)"
    return [Handle(target.name, target.axis, *target.place, tuple(parts), label, False)]


def _positions(study: Study, variant: Variant) -> dict[str, float] | None:
    """Where all edges and ends stand, in m, by name."""
    problems: list[Any] = []
    geometry = resolve(variant.geometry, named_scope(study, variant), "", problems)
    if problems:
        return None
    found: dict[str, float] = {}
    for name, shape in [("outer", geometry.outer), *((f"shape {k}", s) for k, s in enumerate(geometry.shapes))]:
        found |= {
            f"{name} left": shape.left, f"{name} right": shape.left + shape.width,
            f"{name} bottom": shape.bottom, f"{name} top": shape.bottom + shape.height,
        }  # fmt: skip
    for k, opening in enumerate(geometry.openings):
        found |= {f"opening {k} start": opening.start, f"opening {k} end": opening.end}
    return found


def _moved(raw: dict[str, Any], index: int, pointer: str, text: str) -> dict[str, float] | None:
    holder, last = holder_of(raw, pointer)
    kept = holder[last]
    holder[last] = text
    try:
        variant = Variant.model_validate(raw["variants"][index])
        study = Study.model_construct(named_values=raw["named_values"], variants=(variant,))
        return _positions(study, variant)
    finally:
        holder[last] = kept


def _plain_lengths(raw: dict[str, Any], index: int) -> dict[str, tuple[str, str, float, float]]:
    """(text, unit, factor, value in m) of every typed length without a formula that the shape may follow from."""
    geometry = f"/variants/{index}/geometry"
    pointers = [f"/variants/{index}/named_values/{n}" for n in raw["variants"][index]["named_values"]]
    shapes = [f"{geometry}/outer"]
    shapes += [f"{geometry}/shapes/{k}" for k in range(len(raw["variants"][index]["geometry"]["shapes"]))]
    pointers += [f"{s}/{f}" for s in shapes for f in ("left", "bottom", "width", "height")]
    openings = raw["variants"][index]["geometry"]["openings"]
    pointers += [f"{geometry}/openings/{k}/{f}" for k in range(len(openings)) for f in ("start", "end")]
    pointers += [f"/named_values/{n}" for n in raw["named_values"] if n not in raw["variants"][index]["named_values"]]
    found = {}
    for pointer in pointers:
        text = walk(raw, pointer)
        try:
            tree = parse(text)
            if isinstance(tree, Number) and tree.unit:
                factor, _, dimension = unit_factor(tree.unit)
                if dimension == LENGTH:
                    found[pointer] = (text, tree.unit, factor, tree.value * factor)
        except (FormulaError, UnitError):
            continue
    return found


def _targets(geometry: PlaneGeometry, at: dict[str, float], path: str) -> list[_Target]:
    found = []
    shapes = [("outer", geometry.outer.name, f"{path}/outer")]
    shapes += [(f"shape {k}", s.name, f"{path}/shapes/{k}") for k, s in enumerate(geometry.shapes)]
    for key, name, here in shapes:
        left, right, bottom, top = (at[f"{key} {side}"] for side in ("left", "right", "bottom", "top"))
        words, (mx, my) = name.replace("_", " "), ((left + right) / 2, (bottom + top) / 2)
        for side, other, axis, place in (
            ("left", "right", "x", (left, my)), ("right", "left", "x", (right, my)),
            ("bottom", "top", "y", (mx, bottom)), ("top", "bottom", "y", (mx, top)),
        ):  # fmt: skip
            extent = "width" if axis == "x" else "height"
            fields = ((f"{here}/{extent}", 1.0),) if side in ("right", "top") else (
                (f"{here}/{side}", 1.0), (f"{here}/{extent}", -1.0))  # fmt: skip
            found.append(
                _Target(f"{side} edge of {words}", axis, place, (f"{key} {side}",), (f"{key} {other}",), fields)
            )
        if key != "outer":
            for axis, low, high in (("x", "left", "right"), ("y", "bottom", "top")):
                moves = (f"{key} {low}", f"{key} {high}")
                name_of = f"{words} {'sideways' if axis == 'x' else 'up and down'}"
                found.append(_Target(name_of, axis, (mx, my), moves, (), ((f"{here}/{low}", 1.0),)))
    for k, opening in enumerate(geometry.openings):
        axis = "y" if opening.side in ("left", "right") else "x"
        for end, other in (("start", "end"), ("end", "start")):
            along, across = at[f"opening {k} {end}"], at[f"outer {opening.side}"]
            place = (across, along) if axis == "y" else (along, across)
            words = f"{end} of {opening.patch.replace('_', ' ')}"
            keys = (f"opening {k} {end}",), (f"opening {k} {other}",)
            found.append(_Target(words, axis, place, *keys, ((f"{path}/openings/{k}/{end}", 1.0),)))
    return found


def _driver(
    target: _Target, moved: dict[str, dict[str, float]], leaves: dict[str, Any]
) -> tuple[tuple[str, float], ...] | None:
    """The values to change for a target, with how much of each for one m; None when only a formula could be replaced."""
    best: tuple[float, tuple[tuple[str, float], ...]] | None = None
    useful = [p for p, d in moved.items() if any(abs(d[k]) > 1e-9 for k in (*target.moves, *target.keeps))]
    for chosen in [(p,) for p in useful] + list(combinations(useful, 2)):
        wanted = np.array([1.0] * len(target.moves) + [0.0] * len(target.keeps))
        keys = (*target.moves, *target.keeps)
        matrix = np.array([[moved[p][k] for p in chosen] for k in keys])
        slopes, *_ = np.linalg.lstsq(matrix, wanted, rcond=None)
        made = matrix @ slopes
        if np.abs(made[: len(target.moves)] - 1.0).max() > 1e-6 or np.abs(slopes).min() < 1e-9:
            continue
        others = [k for k in next(iter(moved.values())) if k not in keys]
        side = sum(abs(sum(moved[p][k] * s for p, s in zip(chosen, slopes, strict=True))) > 1e-6 for k in others)
        cost = side + PAIR * (len(chosen) - 1)
        cost += SHARED * sum(p.startswith("/named_values") for p in chosen)
        cost += KEEPS_LESS * float(np.abs(made[len(target.moves) :]).max(initial=0.0) > 1e-6)
        if best is None or cost < best[0] - 1e-9:
            best = (cost, tuple((p, float(s)) for p, s in zip(chosen, slopes, strict=True)))
    # moving a whole piece only by what is its own; a piece's edge not by what drags all else along
    limit = 3.0 if not target.keeps else 100.0 if target.moves[0].startswith("outer") else 34.0
    return best[1] if best is not None and best[0] < limit else None
