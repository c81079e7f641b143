"""Sheets without thickness that have one body on both sides: which sides of boxes they pass between, and skins that part there.

A sheet stands twice in the surface of its body, once looking to each side. Between boxes whose middles it parts their side is of
the skin of both; after fitting, points on it are told apart by the cells that hang together round them.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.core import Core
from brook.core.mesh.boxes.octree import Octree

ASIDE = 1e-5 * np.array([0.37, 0.61, 0.83])  # of the finest box: how far middles are moved together
AROUND = 2.0  # sides of a box: what is farther off has nothing to do with a sheet


def doubled(surface: Surface) -> np.ndarray:
    """Which triangles (T,) stand twice on the same corners: both sides of a sheet."""
    corners = np.sort(surface.triangles, axis=1)
    order = np.lexsort(corners.T)
    same = (np.diff(corners[order], axis=0) == 0).all(axis=1)
    found = np.zeros(surface.count, bool)
    found[order[1:][same]] = found[order[:-1][same]] = True
    return found


def without_sheets(surface: Surface) -> Surface:
    """What goes round a body, without the sheets in it."""
    twice = doubled(surface)
    return surface if not twice.any() else surface.only(np.nonzero(~twice)[0])


def parted(octree: Octree, body: np.ndarray, sheet: np.ndarray) -> np.ndarray:
    """Which pairs of leaves (n,) of one body lie on two sides of a sheet, given as triangles (t, 3, 3): the line between their middles
    passes through it."""
    leaf, _, other = octree.pairs
    low, high = sheet.reshape(-1, 3).min(axis=0), sheet.reshape(-1, 3).max(axis=0)
    room = AROUND * octree.size[:, None]
    beside = ((octree.centre >= low - room) & (octree.centre <= high + room)).all(axis=1)
    near = np.nonzero(beside[leaf])[0]
    leaf, other = leaf[near], other[near]
    there = np.where(other >= 0, body[np.maximum(other, 0)], -1)
    same = np.nonzero((body[leaf] >= 0) & (body[leaf] == there))[0]
    middle = octree.grid.unit * ASIDE  # one on the sheet lies on one side of it, for all its neighbours
    start, end = octree.centre[leaf[same]] + middle, octree.centre[other[same]] + middle
    way = end - start
    length = np.linalg.norm(way, axis=1)
    tree = Nearest.of(sheet, np.zeros(len(sheet), np.int64))
    far, _ = tree.seen(start, way / length[:, None], float(length.max(initial=0.0)))
    found = np.zeros(len(octree.pairs[0]), bool)
    found[near[same[far <= length]]] = True
    return found


def split(core: Core, sheet: np.ndarray) -> Core:
    """The same with points of skin faces marked in `sheet` (skin faces,) told apart by the cells that hang together round them over faces
    between cells: each side of a sheet has its own, but for its rim."""
    if not sheet.any():
        return core
    flat, offsets, _ = core.skin
    at_sheet = np.zeros(len(core.points), bool)
    at_sheet[flat[np.repeat(sheet, np.diff(offsets))]] = True
    face = np.repeat(np.arange(len(core.owner)), np.diff(core.offsets))
    corner = np.nonzero(at_sheet[core.flat])[0]
    point, face = core.flat[corner], face[corner]
    cells = len(core.size)
    mine, theirs = point * cells + core.owner[face], point * cells + core.neighbour[face]
    both = core.neighbour[face] >= 0
    keys, at = np.unique(np.concatenate([mine, theirs[both]]), return_inverse=True)
    one, other = at[: len(mine)][both], at[len(mine) :]
    graph = coo_matrix((np.ones(len(one)), (one, other)), shape=(len(keys), len(keys)))
    _, group = connected_components(graph, directed=False)
    # the first group round a point keeps it, each other has one of its own
    pairs, of = np.unique(np.stack([keys // cells, group], axis=1), axis=0, return_inverse=True)
    first = np.concatenate([[True], np.diff(pairs[:, 0]) != 0])
    number = pairs[:, 0].copy()
    number[~first] = len(core.points) + np.arange(int((~first).sum()))
    new = core.flat.copy()
    new[corner] = number[of.ravel()[at[: len(mine)]]]
    return replace(core, points=np.concatenate([core.points, core.points[pairs[~first, 0]]]), flat=new)
