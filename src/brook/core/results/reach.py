"""How far what a flow carries reaches from a cell to where a reading reads it: where a mesh has to be finer for its sake.

The flow is taken as it was. Of what leaves a cell the share w comes to the place: Σ max(φ, 0) (w - w') + Σ D (w - w') = 0 over its faces, where φ
is the mass that flows out and D the conductance of what spreads by itself. This is the transpose of the transport of a quantity, so that an error of
it made in a cell changes a mean over the place by w times itself. w is 1 in the place itself, and 0 for what leaves elsewhere.
"""

from __future__ import annotations

import numpy as np

from brook.core.formulas import Scope
from brook.core.numerics.general import GeneralSolver
from brook.core.numerics.matrix import Matrix
from brook.core.results.places import box_cells, spot_cells
from brook.core.results.readings import Places, places_read
from brook.core.solve import Fields

HELD = 1e6  # times its own terms: how hard a cell of the place is held at 1
LEAST = 1e-12  # of the largest terms: what ties a cell to nothing where nothing else does
ENOUGH = 1e-4  # of the right-hand side: an estimate needs no more


def reach_of(text: str, places: Places, named: Scope, fields: Fields, spreads: np.ndarray) -> np.ndarray:
    """Of each cell (C,), from 0 to 1, how far what it holds reaches what a reading reads, where that `spreads` (C,) by itself, in kg/(m s). Bodies
    in which nothing of it is read count as a whole. Raises `FormulaError` for a reading that cannot be read, `Unsolved`."""
    mesh, s = fields.mesh, fields.stencil
    read, through = np.zeros(mesh.cell_count, bool), np.zeros(s.active - s.inner, bool)
    for kind, place, _ in places_read(text, places, named):
        if kind == "body":
            read |= mesh.body == mesh.bodies.index(place)
        elif kind == "patch":
            through[s.boundary_faces(mesh.patch(place))] = True
        else:
            spot = places.boxes[place]
            read[spot_cells(fields, spot) if hasattr(spot, "kind") else box_cells(mesh, spot)[0]] = True
    beside = np.isin(mesh.body, np.unique(np.concatenate([mesh.body[read], mesh.body[s.face_cell[through]]])))
    return np.where(beside, np.clip(carried(fields, read, through, spreads), 0.0, 1.0), 1.0)


def carried(fields: Fields, read: np.ndarray, through: np.ndarray, spreads: np.ndarray) -> np.ndarray:
    """What share (C,) of what leaves each cell comes to cells that are `read` (C,) or boundary faces that it is read `through` (B,). What
    enters, times this of the cells that it enters, is what leaves by these faces."""
    s = fields.stencil
    owner, neighbour = s.owner[: s.inner], s.mesh.neighbour[: s.inner]
    between = 0.5 * (spreads[owner] + spreads[neighbour]) * s.geometric_diffusion[: s.inner]
    out, back = np.maximum(fields.flux[: s.inner], 0.0) + between, np.maximum(-fields.flux[: s.inner], 0.0) + between
    leaving = np.maximum(fields.flux[s.inner : s.active], 0.0)
    # what leaves there is read; where nothing does, what is beside it
    ends = np.where(through & (leaving == 0), spreads[s.face_cell] * s.geometric_diffusion[s.inner : s.active], leaving)
    diagonal = (
        np.bincount(owner, out, s.cells)
        + np.bincount(neighbour, back, s.cells)
        + np.bincount(s.face_cell, ends, s.cells)
    )
    least = LEAST * float(diagonal.max(initial=0.0)) + 1e-300
    hold = np.where(read, HELD * np.maximum(diagonal, least), least)
    right = np.bincount(s.face_cell, np.where(through, ends, 0.0), s.cells) + np.where(read, hold, 0.0)
    scale = 1.0 / (diagonal + hold)  # rows differ as cells do
    rows = Matrix.of_faces(s, np.ones(s.cells), -out * scale[owner], -back * scale[neighbour])
    return GeneralSolver().solve(rows, None, right * scale, ENOUGH)
