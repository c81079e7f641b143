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
from brook.core.mesh.boxes.faces import polygon_edges
from brook.core.mesh.boxes.links import distinct
from brook.core.mesh.boxes.octree import Octree

ASIDE = 1e-5 * np.array([0.37, 0.61, 0.83])  # of the finest box: how far middles are moved together
TEETH = 8  # times that sides sticking out of a sheet, or missing in it, are looked for


def doubled(surface: Surface) -> np.ndarray:
    """Which triangles (T,) stand twice on the same corners: both sides of a sheet."""
    _, of, uses = np.unique(np.sort(surface.triangles, axis=1), axis=0, return_inverse=True, return_counts=True)
    found: np.ndarray = uses[of.ravel()] > 1
    return found


def without_sheets(surface: Surface) -> Surface:
    """What goes round a body, without the sheets in it."""
    twice = doubled(surface)
    return surface if not twice.any() else surface.only(np.nonzero(~twice)[0])


def parted(
    octree: Octree, body: np.ndarray, sheet: np.ndarray, polygons: np.ndarray, corners: np.ndarray
) -> np.ndarray:
    """Which pairs of leaves (n,) of one body lie on two sides of a sheet, given as triangles (t, 3, 3): the line between their middles
    passes through it. `polygons` (n, 8) are the sides between them.

    Sides that hang on by one edge only, as at a rim that runs askew, are left out; such that are missing between others are put in.
    """
    leaf, _, other = octree.pairs
    same = np.nonzero((other >= 0) & (body[leaf] >= 0) & (body[leaf] == body[np.maximum(other, 0)]))[0]
    low, high = sheet.reshape(-1, 3).min(axis=0), sheet.reshape(-1, 3).max(axis=0)
    middle = (
        octree.centre + octree.grid.unit * ASIDE
    )  # a middle on the sheet lies on one side of it, for all its neighbours
    start, end = middle[leaf[same]], middle[other[same]]
    near = ((np.minimum(start, end) <= high) & (np.maximum(start, end) >= low)).all(axis=1)
    same, start, end = same[near], start[near], end[near]
    way = end - start
    length = np.linalg.norm(way, axis=1)
    tree = Nearest.of(sheet, np.zeros(len(sheet), np.int64))
    far, _ = tree.seen(start, way / length[:, None], float(length.max(initial=0.0)))
    cut = np.zeros(len(leaf), bool)
    cut[same[far <= length]] = True
    there = np.where(other >= 0, body[np.maximum(other, 0)], -1)
    skin = polygon_edges(polygons[body[leaf] != there], corners[body[leaf] != there])[:2]
    for _ in range(TEETH):
        alone, missing = _ragged(cut, same, polygons, corners, skin)
        if not (alone.any() or missing.any()):
            break
        cut = (cut & ~alone) | missing
    return cut


def _ragged(
    cut: np.ndarray, near: np.ndarray, polygon: np.ndarray, corners: np.ndarray, skin: tuple[np.ndarray, np.ndarray]
) -> tuple[np.ndarray, np.ndarray]:
    """Of pairs (n,) those of the sheet that have three edges at its rim, and others that have three edges there too. At edges of the `skin`
    a sheet does not end."""
    some = np.zeros(len(cut), bool)
    some[near] = True
    some |= cut
    chosen = np.nonzero(some)[0]
    start, end, face = polygon_edges(polygon[chosen], corners[chosen])
    nodes = int(max(polygon.max(), 0)) + 1
    key = np.minimum(start, end) * nodes + np.maximum(start, end)
    edge = distinct(key)[1]
    at_skin = np.isin(key, np.minimum(*skin) * nodes + np.maximum(*skin))
    inside = cut[chosen][face]
    uses = np.bincount(edge, inside)
    at_rim = np.bincount(face, (uses[edge] == 1) & ~at_skin, len(chosen)) / corners[chosen]
    alone, missing = np.zeros(len(cut), bool), np.zeros(len(cut), bool)
    alone[chosen] = cut[chosen] & (at_rim > 0.7)
    missing[chosen] = ~cut[chosen] & (at_rim > 0.7)
    return alone, missing


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
