"""Boxes that follow a run: which one, under what key the sizes that it asks for are kept, and how they are made."""

from __future__ import annotations

import hashlib
import json

import numpy as np

from brook.core.checks import Prepared
from brook.core.mesh import boxes
from brook.core.results.bend import bend_of
from brook.core.results.reach import reach_of
from brook.core.results.readings import places_read
from brook.core.solve import Fields
from brook.core.study import is_about
from brook.core.study.resolve import Resolved, plain

FOLLOW_VERSION = 2
SIZES = "sizes.npz"
NEAR = 0.25  # of the cells wished: more or less of them are told
FAR_OFF = "halving and joining once comes no nearer, or there are other layers than the run had"


def follow_of(prepared: Prepared) -> Resolved | None:
    """The run that the boxes of a variant follow, None for none."""
    return next((f for f in prepared.plan.follows if is_about(f.variant, prepared.variant)), None)


def far_off(cells: int, wished: int) -> bool:
    """Whether so many cells are told to be others than wished."""
    return abs(cells - wished) > NEAR * wished


def follow_key(prepared: Prepared) -> str:
    """The key of the sizes that the run asks for which boxes follow; the same wherever they are made."""
    follow, stretch = _said(prepared)
    said = [follow.run, follow.quantity, follow.cells, f"{follow.bulk:.9g}", f"{follow.least:.9g}", FOLLOW_VERSION]
    more = {"where": follow.where} if follow.where != "everywhere" else {}
    if follow.reaches:
        read = {p for _, p, _ in places_read(follow.reaches, prepared.places, prepared.scope)}
        more |= {
            "reaches": [follow.reaches, {n: plain(s) for n, s in sorted(prepared.places.boxes.items()) if n in read}]
        }
    more |= {"stretch": [f"{by:.9g}" for by in stretch]} if any(by != 1 for by in stretch) else {}
    return hashlib.sha256(json.dumps([*said, *([more] if more else [])]).encode()).hexdigest()[:20]


def file_of(prepared: Prepared) -> str:
    """What the file of these sizes is called beside a study."""
    return f"sizes-{follow_key(prepared)}.npz"


def sizes_of_run(prepared: Prepared, fields: Fields) -> boxes.Following:
    """The sizes that the run asks for which boxes follow. Raises `ValueError` for a quantity that it does not have, or that does not bend,
    `FormulaError` for a reading that cannot be read in it."""
    follow, stretch = _said(prepared)
    try:
        bend = bend_of(prepared.places.view(fields), follow.quantity, stretch)
    except KeyError:
        raise ValueError(f"the run that boxes follow has no {follow.quantity}; choose another quantity") from None
    if not bend.any():
        raise ValueError(f"{follow.quantity} bends nowhere in the run that boxes follow; choose another quantity")
    if follow.reaches:
        spreads = _spreading(prepared, follow.quantity, fields)
        bend = bend * reach_of(follow.reaches, prepared.places, prepared.scope, fields, spreads)
    return boxes.following(fields.mesh, bend, follow.bulk, follow.least, follow.cells, stretch)


def _spreading(prepared: Prepared, quantity: str, fields: Fields) -> np.ndarray:
    """By how much a quantity that is carried spreads by itself in cells (C,), in kg/(m s): as momentum does where nothing else is known."""
    mixed = fields.more["eddy_viscosity"][0] if "eddy_viscosity" in fields.more else np.zeros(fields.mesh.cell_count)
    scalar = next((s for s in prepared.scalars if s.name == quantity), None)
    if scalar is not None and getattr(scalar, "diffusivity", None):
        return fields.density * scalar.diffusivity + mixed
    fluid = prepared.fluid
    if scalar is None and fluid is not None and fluid.conductivity and fluid.heat_capacity:
        return np.full(fields.mesh.cell_count, fluid.conductivity / fluid.heat_capacity) + mixed
    return fields.viscosity + mixed


def _said(prepared: Prepared) -> tuple[Resolved, tuple[float, float, float]]:
    follow, plan = follow_of(prepared), prepared.plan
    assert follow is not None
    return follow, (plan.stretch.x, plan.stretch.y, plan.stretch.z)
