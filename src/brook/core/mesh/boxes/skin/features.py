"""A surface taken apart for fitting: smooth regions, the lines where they meet, and the corners where lines do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Edges, Surface

ANGLE = 35.0  # degrees: edges that bend more are kept sharp


@dataclass(frozen=True, eq=False)
class Features:
    """`region` (T,) of each triangle and the `patch` (R,) of each region; `normal` (T, 3).

    `pairs` (L, 2) are the regions, the smaller first, of each label of `lines`; `corners` (K, 3) are points where
    three regions or more meet, `of_corner` (K, R) which. A sheet ends in lines between its region and none, the number of regions; `ends`
    (n, 3) are points where such a line turns, or meets another region.
    """

    surface: Surface
    region: np.ndarray
    patch: np.ndarray
    normal: np.ndarray
    faces: Nearest
    pairs: np.ndarray
    lines: Nearest | None
    corners: np.ndarray
    of_corner: np.ndarray
    ends: np.ndarray

    def line_of(self, one: np.ndarray, other: np.ndarray) -> np.ndarray:
        """The label (n,) of the lines between regions (n,), -1 where they do not meet."""
        count = len(self.patch)
        key = np.minimum(one, other) * count + np.maximum(one, other)
        known = self.pairs[:, 0] * count + self.pairs[:, 1]
        at = np.minimum(np.searchsorted(known, key), max(len(known) - 1, 0))
        return np.where(known[at] == key, at, -1) if len(known) else np.full(len(key), -1)


def features_of(surface: Surface, angle: float = ANGLE, rims: bool = False) -> Features:
    """Regions of a surface, and the lines and corners between them, where it turns by more than an `angle` in degrees. With `rims` it may
    end in lines too."""
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    edges = surface.edges
    two = edges.uses == 2
    one, other = edges.pairs.T
    alike = np.einsum("ij,ij->i", normal[one], normal[other]) >= np.cos(np.radians(angle))
    smooth = alike & (surface.patch[one] == surface.patch[other]) & (edges.turns[two] == 0)
    graph = coo_matrix((np.ones(int(smooth.sum())), (one[smooth], other[smooth])), shape=(surface.count, surface.count))
    count, region = connected_components(graph, directed=False)
    patch = np.zeros(count, np.int64)
    patch[region] = surface.patch
    crowded, first, second = _crowded(edges)
    free = np.nonzero(edges.uses == 1)[0] if rims else np.zeros(0, np.int64)
    sharp = np.concatenate([np.nonzero(two)[0][~smooth], crowded, free])
    here = region[np.concatenate([one[~smooth], first, edges.by_edge[1][edges.by_edge[0][:-1][free]]])]
    there = np.concatenate([region[np.concatenate([other[~smooth], second])], np.full(len(free), count)])
    low, high = np.minimum(here, there), np.maximum(here, there)
    between = low != high  # a sharp edge that ends within a region parts nothing
    ends = edges.ends[sharp[between]]
    pairs, label = np.unique(np.stack([low[between], high[between]], axis=1), axis=0, return_inverse=True)
    lines = None
    if len(ends):
        lines = Nearest.of(surface.points[ends[:, [0, 1, 1]]], label.ravel())
    on_line = np.zeros(len(surface.points), bool)
    on_line[ends] = True
    of_point = np.unique(np.stack([surface.triangles.ravel(), np.repeat(region, 3)], axis=1), axis=0)
    meeting = np.bincount(of_point[:, 0], minlength=len(surface.points))
    chosen = np.nonzero(on_line & (meeting >= 3))[0]
    number = np.full(len(surface.points), -1)
    number[chosen] = np.arange(len(chosen))
    of_corner = np.zeros((len(chosen), count), bool)
    here = number[of_point[:, 0]] >= 0
    of_corner[number[of_point[here, 0]], of_point[here, 1]] = True
    faces = Nearest.of(surface.points[surface.triangles], region.astype(np.int64))
    return Features(
        surface, region, patch, normal, faces, pairs.reshape(-1, 2), lines, surface.points[chosen], of_corner,
        surface.points[_ends(surface, edges.ends[free], meeting, np.cos(np.radians(angle)))],
    )  # fmt: skip


def _ends(surface: Surface, free: np.ndarray, meeting: np.ndarray, least_alike: float) -> np.ndarray:
    """Points where lines of free edges (n, 2) turn by more than a cosine says, end, or touch more than one region (`meeting` (P,))."""
    point = np.concatenate([free[:, 0], free[:, 1]])
    way = surface.points[np.concatenate([free[:, 1], free[:, 0]])] - surface.points[point]
    way /= np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None]
    total = np.zeros((len(surface.points), 3))
    np.add.at(total, point, way)
    # two ways that go straight on are opposite: |a + b|² = 2 - 2 cos of the turn
    turned = (total**2).sum(axis=1) > 2 - 2 * least_alike
    found: np.ndarray = np.unique(point)
    uses = np.bincount(point, minlength=len(surface.points))[found]
    return found[turned[found] | (uses != 2) | (meeting[found] > 1)]


def _crowded(edges: Edges) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Edges where more than two triangles meet, as walls of several bodies do: each with every two of its triangles."""
    offsets, triangles = edges.by_edge
    found = []
    for uses in np.unique(edges.uses[edges.uses > 2]):
        edge = np.nonzero(edges.uses == uses)[0]
        at = offsets[:-1][edge]
        for i in range(int(uses)):
            found += [(edge, triangles[at + i], triangles[at + j]) for j in range(i + 1, int(uses))]
    if not found:
        nothing = np.zeros(0, np.int64)
        return nothing, nothing, nothing
    edge, one, other = (np.concatenate(parts) for parts in zip(*found, strict=True))
    return edge, one, other
