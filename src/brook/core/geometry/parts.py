"""Patches of a surface: splitting, joining, naming, and what their shape suggests they are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.geometry.findings.base import groups_of
from brook.core.geometry.surface import Surface


def _labels(surface: Surface, chosen: np.ndarray, joined: np.ndarray) -> np.ndarray:
    """Which of the chosen triangles (T,) hang together over those pairs (n, 2), the largest first; -1 for others."""
    pairs = joined[chosen[joined].all(axis=1)]
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(surface.count, surface.count))
    _, label = connected_components(graph, directed=False)
    label = np.where(chosen, label, -1)
    found, inverse = np.unique(label[chosen], return_inverse=True)
    areas = np.bincount(inverse, surface.areas[chosen], len(found))
    rank = np.empty(len(found), np.int64)
    rank[np.argsort(-areas, kind="stable")] = np.arange(len(found))
    made = np.full(surface.count, -1)
    made[chosen] = rank[inverse]
    return made


def smooth_regions(surface: Surface, angle: float, within: np.ndarray | None = None) -> np.ndarray:
    """The region (T,) of each triangle: neighbours whose normals differ by less than an angle in rad are of one.

    Regions are numbered by their area; triangles outside the mask `within` are -1.
    """
    chosen = np.ones(surface.count, bool) if within is None else within
    pairs = surface.edges.pairs
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    turn = np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]])
    return _labels(surface, chosen, pairs[turn > np.cos(angle)])


def split_by_angle(surface: Surface, patch: str, angle: float) -> Surface:
    """A patch split where it turns by more than an angle in rad. Raises `KeyError` for an unknown patch."""
    return _split(surface, patch, smooth_regions(surface, angle, _of(surface, patch)))


def split_by_shell(surface: Surface, patch: str) -> Surface:
    """A patch split into what hangs together. Raises `KeyError`."""
    return _split(surface, patch, _labels(surface, _of(surface, patch), surface.edges.pairs))


def split_by_plane(surface: Surface, patch: str, normal: np.ndarray, through: np.ndarray) -> Surface:
    """A patch split into triangles whose middles lie under and over a plane; none is cut. Raises `KeyError`."""
    middle = surface.points[surface.triangles].mean(axis=1)
    over = (middle - np.asarray(through, float)) @ np.asarray(normal, float) > 0
    return _split(surface, patch, np.where(_of(surface, patch), over.astype(np.int64), -1))


def split_by_box(surface: Surface, patch: str, low: np.ndarray, high: np.ndarray) -> Surface:
    """A patch split into triangles whose middles lie outside and inside a box. Raises `KeyError`."""
    middle = surface.points[surface.triangles].mean(axis=1)
    inside = np.all((middle >= low) & (middle <= high), axis=1)
    return _split(surface, patch, np.where(_of(surface, patch), inside.astype(np.int64), -1))


def named(surface: Surface, triangles: np.ndarray, name: str) -> Surface:
    """Some triangles made a patch, or part of the one that has the name."""
    names = surface.patches if name in surface.patches else (*surface.patches, name)
    patch = surface.patch.copy()
    patch[triangles] = names.index(name)
    return Surface(surface.points, surface.triangles, patch, names)


def renamed(surface: Surface, patch: str, to: str) -> Surface:
    """A patch under another name; one that is there already takes it in. Raises `KeyError`."""
    mine = _number(surface, patch)
    if to not in surface.patches:
        names = tuple(to if n == patch else n for n in surface.patches)
        return Surface(surface.points, surface.triangles, surface.patch, names)
    return without_empty(named(surface, surface.patch == mine, to), only=(patch,))


def without_empty(surface: Surface, only: tuple[str, ...] = ()) -> Surface:
    """The surface without patches that have no triangle, or without those of them that are named."""
    counts = np.bincount(surface.patch, minlength=len(surface.patches))
    kept = [k for k, n in enumerate(surface.patches) if counts[k] or (only and n not in only)]
    table = np.full(len(surface.patches), -1)
    table[kept] = np.arange(len(kept))
    return Surface(surface.points, surface.triangles, table[surface.patch], tuple(surface.patches[k] for k in kept))


def _number(surface: Surface, patch: str) -> int:
    if patch not in surface.patches:
        raise KeyError(f"there is no patch '{patch}'")
    return surface.patches.index(patch)


def _of(surface: Surface, patch: str) -> np.ndarray:
    return surface.patch == _number(surface, patch)


def _split(surface: Surface, patch: str, label: np.ndarray) -> Surface:
    """Label 0 keeps the name, others get numbers behind it; -1 stays what it is."""
    names, made = list(surface.patches), surface.patch.copy()
    number = 2
    for k in range(1, int(label.max(initial=0)) + 1):
        while f"{patch}_{number}" in names:
            number += 1
        made[label == k] = len(names)
        names.append(f"{patch}_{number}")
    return Surface(surface.points, surface.triangles, made, tuple(names))


@dataclass(frozen=True)
class Look:
    """What a patch looks like: `flat`, `round` (flat with a rim that is a circle), `bent`; its area in m², and the
    diameter of a round one in m."""

    patch: str
    kind: str
    area: float
    diameter: float | None

    @property
    def suggestion(self) -> str:
        """What it may be, nothing when its look says nothing."""
        return "a likely opening: flat and round" if self.kind == "round" else ""


def looks(surface: Surface) -> list[Look]:
    """What each patch with triangles looks like."""
    found = []
    for number, name in enumerate(surface.patches):
        mine = surface.patch == number
        if not mine.any():
            continue
        part = surface.only(mine)
        area = part.area
        flat = float(np.linalg.norm(part.vectors.sum(axis=0))) > (1 - 1e-4) * area
        diameter = _circle(part) if flat else None
        kind = "round" if diameter else "flat" if flat else "bent"
        found.append(Look(name, kind, area, diameter))
    return found


def _circle(part: Surface) -> float | None:
    """The diameter of a flat patch whose one rim is a circle of eight or more points."""
    edges = part.edges
    rim = edges.ends[edges.uses == 1]
    if len(groups_of(rim)) != 1 or len(rim) < 8:
        return None
    at = part.points[np.unique(rim)]
    radius = np.linalg.norm(at - at.mean(axis=0), axis=1)
    if np.ptp(radius) > 0.02 * radius.mean():
        return None
    return 2 * float(radius.mean())
