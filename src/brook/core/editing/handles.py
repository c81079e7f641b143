"""Handles: which typed values a dragged dimension of the drawing changes, and by how much.

An edge may stand there as a formula (`depth - hanging`). What a drag then changes is a plain value that the
edge follows from, found by moving each plain value a little and looking at what moves with it. Of all values
that move the edge and leave the opposite one, the one that moves least else is taken; values shared by all
variants come last.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from itertools import combinations
from typing import Any

import numpy as np

from brook.core.editing.dimensions import Target, positions, targets
from brook.core.editing.pointers import holder_of, walk
from brook.core.formulas import FormulaError, Number, evaluate, parse
from brook.core.study import Resolved, Study, Variant, formulas_of, named_scope, resolve
from brook.core.units import DIMENSIONS, UnitError, unit_factor

LENGTH = DIMENSIONS["length"]
ANGLE_STEP = 1e-4
SHARED, KEEPS_LESS, PAIR = 30.0, 8.0, 0.5
MOST = 200


@dataclass(frozen=True)
class Leaf:
    """A typed length or angle that a handle changes: by `slope` for each m or rad of the drag along `axis`.

    `factor` is its unit in m or rad.
    """

    pointer: str
    text: str
    unit: str
    factor: float
    value: float
    slope: float
    axis: str


@dataclass(frozen=True)
class Handle:
    """A place to take hold of, in m; `name` says what it is.

    `axis` is x, y or xy, or round `centre`: away from it, or turn.
    """

    name: str
    axis: str
    x: float
    y: float
    leaves: tuple[Leaf, ...]
    label: str
    shared: bool
    centre: tuple[float, float] | None = None


def handles(study: Study, variant: Variant) -> list[Handle]:
    """Handles of every dimension of a variant's shape; none when it cannot be evaluated."""
    index = study.index_of(variant)
    geometry = _resolved(study, variant) if variant.geometry.kind == "plane" else None
    if geometry is None:
        return []
    base = positions(geometry)
    raw = study.model_dump(mode="json")
    leaves = _plain_lengths(raw, index)
    size = max(geometry.outer.width, geometry.outer.height)
    moved = {}
    for pointer, (_, unit, factor, value) in leaves.items():
        corner = re.fullmatch(rf"/variants/{index}/geometry/shapes/(\d+)/corners/(\d+)/([xy])", pointer)
        if corner:  # there may be many, and each moves nothing but itself
            moved[pointer] = {"shape {} {} {}".format(*corner.groups()): 1.0}
            continue
        step = 1e-4 * size if unit_factor(unit)[2] == LENGTH else ANGLE_STEP
        there = _moved(raw, index, pointer, f"{(value + step) / factor!r} {unit}")
        if there is not None:
            moved[pointer] = {k: (there[k] - base[k]) / step for k in base if there[k] != base[k]}
    found: list[Handle] = []
    for target in targets(geometry, f"/variants/{index}/geometry"):
        chosen = _driver(target, moved, leaves)
        if chosen is None:
            found += _by_number(study, target, raw, index)
            continue
        parts = tuple(Leaf(p, *leaves[p], slope, target.axis) for p, slope in chosen)
        shared = any(p.startswith("/named_values") for p, _ in chosen)
        label = " and ".join(p.rsplit("/", 1)[1].replace("_", " ") for p, _ in chosen)
        found.append(Handle(target.name, target.axis, *target.place, parts, label, shared, target.centre))
    return _free(found)[:MOST]


def _free(found: list[Handle]) -> list[Handle]:
    """Two handles of one name, along x and along y, as one that moves freely unless both change the same value."""
    free: dict[str, Handle] = {}
    for handle in found:
        other = free.get(handle.name)
        if other is None:
            free[handle.name] = handle
        elif not {leaf.pointer for leaf in other.leaves} & {leaf.pointer for leaf in handle.leaves}:
            label = " and ".join((other.label, handle.label))
            free[handle.name] = replace(
                other, axis="xy", leaves=(*other.leaves, *handle.leaves), label=label,
                shared=other.shared or handle.shared,
            )  # fmt: skip
    return list(free.values())


def _by_number(study: Study, target: Target, raw: dict[str, Any], index: int) -> list[Handle]:
    """A handle that puts a number in the place of a formula, where nothing typed moves an edge by itself."""
    if target.whole:
        return []
    parts = []
    scope = named_scope(study, study.variants[index])
    for pointer, slope in target.fields:
        text = walk(raw, pointer)
        try:
            value = float(evaluate(parse(text), scope).value)
        except FormulaError:
            return []
        unit, factor = ("deg", np.pi / 180) if target.axis == "turn" else ("mm", 1e-3)
        parts.append(Leaf(pointer, text, unit, factor, value, slope, target.axis))
    label = " and ".join(p.rsplit("/", 1)[1] for p, _ in target.fields) + " (a number instead of the formula)"
    return [Handle(target.name, target.axis, *target.place, tuple(parts), label, False, target.centre)]


def _resolved(study: Study, variant: Variant) -> Resolved | None:
    problems: list[Any] = []
    geometry = resolve(variant.geometry, named_scope(study, variant), "", problems)
    return None if problems else geometry


def _moved(raw: dict[str, Any], index: int, pointer: str, text: str) -> dict[str, float] | None:
    holder, last = holder_of(raw, pointer)
    kept = holder[last]
    holder[last] = text
    try:
        variant = Variant.model_validate(raw["variants"][index])
        study = Study.model_construct(named_values=raw["named_values"], variants=(variant,))
        geometry = _resolved(study, variant)
        return positions(geometry) if geometry else None
    finally:
        holder[last] = kept


def _plain_lengths(raw: dict[str, Any], index: int) -> dict[str, tuple[str, str, float, float]]:
    """(text, unit, factor, value in m or rad) of every typed length or angle that the shape may follow from."""
    variant = raw["variants"][index]
    pointers = [f"/variants/{index}/named_values/{n}" for n in variant["named_values"]]
    geometry = Variant.model_validate(variant).geometry
    pointers += [f"/variants/{index}/geometry{p}" for p, _ in formulas_of(geometry) if p != "/depth"]
    pointers += [f"/named_values/{n}" for n in raw["named_values"] if n not in variant["named_values"]]
    found = {}
    for pointer in pointers:
        text = walk(raw, pointer)
        try:
            tree = parse(text)
            if isinstance(tree, Number) and tree.unit:
                factor, _, dimension = unit_factor(tree.unit)
                if dimension == LENGTH or tree.unit in ("deg", "rad"):
                    found[pointer] = (text, tree.unit, factor, tree.value * factor)
        except (FormulaError, UnitError):
            continue
    return found


def _driver(
    target: Target, moved: dict[str, dict[str, float]], leaves: dict[str, Any]
) -> tuple[tuple[str, float], ...] | None:
    """The values to change for a target, with how much of each for one m; None when only a formula could be replaced."""
    best: tuple[float, tuple[tuple[str, float], ...]] | None = None
    useful = [p for p, d in moved.items() if any(abs(d.get(k, 0.0)) > 1e-9 for k in (*target.moves, *target.keeps))]
    for chosen in [(p,) for p in useful] + list(combinations(useful, 2)):
        wanted = np.array([1.0] * len(target.moves) + [0.0] * len(target.keeps))
        keys = (*target.moves, *target.keeps)
        matrix = np.array([[moved[p].get(k, 0.0) for p in chosen] for k in keys])
        slopes, *_ = np.linalg.lstsq(matrix, wanted, rcond=None)
        made = matrix @ slopes
        if np.abs(made[: len(target.moves)] - 1.0).max() > 1e-6 or np.abs(slopes).min() < 1e-9:
            continue
        others = {k for p in chosen for k in moved[p]} - set(keys)
        side = sum(
            abs(sum(moved[p].get(k, 0.0) * s for p, s in zip(chosen, slopes, strict=True))) > 1e-6 for k in others
        )
        cost = side + PAIR * (len(chosen) - 1)
        cost += SHARED * sum(p.startswith("/named_values") for p in chosen)
        cost += KEEPS_LESS * float(np.abs(made[len(target.moves) :]).max(initial=0.0) > 1e-6)
        if best is None or cost < best[0] - 1e-9:
            best = (cost, tuple((p, float(s)) for p, s in zip(chosen, slopes, strict=True)))
    # moving a whole piece only by what is its own; a piece's edge not by what drags all else along
    limit = 3.0 if target.whole else 100.0 if target.moves[0].startswith("outer") else 34.0
    return best[1] if best is not None and best[0] < limit else None
