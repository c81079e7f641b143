"""Measures of a mesh that say whether it will do."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from brook.core.mesh import kernels
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh

# Limits from Ferziger & Perić and common practice: warn above the first, refuse above the second.
LIMITS = {
    "non_orthogonality": (65.0, 85.0),
    "skewness": (1.0, 4.0),
    "aspect_ratio": (100.0, 5000.0),
    "growth": (10.0, 200.0),
}
WORDS = {
    "non_orthogonality": ("Non-orthogonality", "°"),
    "skewness": ("Skewness", ""),
    "aspect_ratio": ("Aspect ratio", ""),
    "growth": ("Growth between neighbours", ""),
}


@dataclass(frozen=True, eq=False)
class Quality:
    """Per face: angle between normal and line of centres in degrees (inner,), distance of that line
    from the face centroid over its length or half the face's size, whichever is greater (inner,); one over 1 too where it
    meets the face's plane not between both centres, ratio of the distances of both centres from that plane (inner,).
    Per cell: longest over shortest side (C,), volume in m³ (C,), and how far from closed its faces are."""

    non_orthogonality: np.ndarray
    skewness: np.ndarray
    growth: np.ndarray
    aspect_ratio: np.ndarray
    smallest_volume: float
    openness: float

    def worst(self) -> dict[str, float]:
        """The worst value of each measure."""
        return {name: float(np.max(getattr(self, name), initial=0.0)) for name in LIMITS}

    def verdict(self) -> tuple[str, str]:
        """`good`, `poor` or `bad`, and a sentence that says so."""
        if self.smallest_volume <= 0 or self.openness > 1e-9:
            return "bad", "This mesh is broken: a cell has no volume or is not closed."
        worst = self.worst()
        for level, state in ((1, "bad"), (0, "poor")):
            over = [n for n in LIMITS if worst[n] > LIMITS[n][level]]
            if over:
                words, unit = WORDS[over[0]]
                verdict = "will not do" if state == "bad" else "will do with care"
                return state, f"This mesh {verdict}: {words.lower()} reaches {worst[over[0]]:.3g}{unit}."
        return "good", "This mesh will do."


def measure(mesh: Mesh) -> Quality:
    """How good each cell and face of a mesh is."""
    inner = mesh.inner_count
    centres = mesh.centres_with_cells()[:inner]
    angle, skewness, growth = kernels.face_measures(
        mesh.owner, mesh.neighbour, mesh.face_vector, centres, mesh.centre,
        float(np.ptp(mesh.points[:, 2])) if mesh.is_plane else 0.0,
    )  # fmt: skip
    low, high = mesh.cell_box
    sides = (high - low)[:, :2] if mesh.is_plane else high - low
    return Quality(
        non_orthogonality=angle,
        skewness=skewness,
        growth=growth,
        aspect_ratio=sides.max(axis=1) / sides.min(axis=1),
        smallest_volume=float(mesh.volume.min()),
        openness=float(kernels.openness(mesh.owner, mesh.neighbour, mesh.face_vector, mesh.cell_count)),
    )


def per_cell(mesh: Mesh, values: np.ndarray) -> np.ndarray:
    """The largest value (C,) of the inner faces (inner,) of each cell."""
    found = np.zeros(mesh.cell_count)
    np.maximum.at(found, mesh.owner[: mesh.inner_count], values)
    np.maximum.at(found, mesh.neighbour, values)
    return found


@dataclass(frozen=True)
class Place:
    """A cell that is among the worst: by which measure, how bad, where (m), how large (m)."""

    measure: str
    value: float
    at: tuple[float, float, float]
    size: float


def worst_places(mesh: Mesh, quality: Quality, most: int = 3) -> list[Place]:
    """The worst cells of every measure, the worst first, none that is better than half its limit."""
    found = []
    for name in LIMITS:
        values = quality.aspect_ratio if name == "aspect_ratio" else per_cell(mesh, getattr(quality, name))
        for cell in np.argsort(-values)[:most]:
            if values[cell] > LIMITS[name][0] / 2:
                at = mesh.centre[cell]
                size = float(np.cbrt(mesh.volume[cell]))
                found.append(Place(name, float(values[cell]), (float(at[0]), float(at[1]), float(at[2])), size))
    return found


def layer_coverage(mesh: Mesh, along: Iterable[str]) -> dict[str, float]:
    """The share of the area of each patch that layers were wanted along on which they stand; 0 for one without sides."""
    found = dict.fromkeys(along, 0.0)
    for patch in mesh.patches:
        if patch.name in found:
            area = mesh.face_areas(patch.faces)
            found[patch.name] = float(area[mesh.layer[mesh.owner[patch.faces]] == 1].sum() / area.sum())
    return found


def plane_sides_of(mesh: Mesh) -> np.ndarray:
    """Faces that lie in the two planes of a plane mesh, the front ones (z up) first in each cell."""
    if not mesh.is_plane:
        raise ValueError("this mesh is not a plane one")
    patch = mesh.patch(PLANE_SIDES)
    return np.arange(patch.start, patch.end)
