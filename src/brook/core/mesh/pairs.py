"""Periodic pairs of patches, and planes of symmetry: whether a mesh has them as it should."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from brook.core.geometry.placing import rotation
from brook.core.mesh import kernels
from brook.core.mesh.polyhedral import Mesh, Patch

NEAR = 1e-4  # of the side of a face: how far its partner's middle may be off
FLAT = np.cos(np.radians(1.0))
AXES = {"x": (1, 0, 0), "y": (0, 1, 0), "z": (0, 0, 1), "-x": (-1, 0, 0), "-y": (0, -1, 0), "-z": (0, 0, -1)}


@dataclass(frozen=True, eq=False)
class Motion:
    """A turn (3, 3) about a place (3,) and a shift (3,) after it."""

    turn: np.ndarray
    through: np.ndarray
    shift: np.ndarray

    @classmethod
    def shifted(cls, by: tuple[float, float, float]) -> Motion:
        """A shift in m."""
        return cls(np.eye(3), np.zeros(3), np.array(by, float))

    @classmethod
    def turned(cls, axis: str, angle: float, through: tuple[float, float, float]) -> Motion:
        """A turn by an angle in rad about an axis through a place in m."""
        return cls(rotation(np.array(AXES[axis], float), angle), np.array(through, float), np.zeros(3))

    def places(self, at: np.ndarray) -> np.ndarray:
        """Where places (n, 3) in m come to lie."""
        return (at - self.through) @ self.turn.T + self.through + self.shift

    def places_back(self, at: np.ndarray) -> np.ndarray:
        """Where places (n, 3) come from."""
        return (at - self.through - self.shift) @ self.turn + self.through


@dataclass(frozen=True, eq=False)
class Pair:
    """A patch, and the motion after which it lies on its partner."""

    patch: str
    motion: Motion


@dataclass(frozen=True, eq=False)
class Match:
    """Faces (n,) of a patch and their partners (n,) of another; how far (m) these are off at most, and what is wrong."""

    faces: np.ndarray
    partners: np.ndarray
    other: str
    off: float
    problem: str = ""


def match(mesh: Mesh, name: str, motion: Motion) -> Match:
    """The faces that those of a patch lie on after a motion. Raises `KeyError` for a patch that the mesh has not."""
    patch = mesh.patch(name)
    faces = np.arange(patch.start, patch.end)
    skin = np.arange(mesh.inner_count, mesh.face_count)
    centre, area = mesh.face_centres(), mesh.face_areas()
    there = motion.places(centre[faces])
    far, nearest = cKDTree(centre[skin]).query(there)
    partners = skin[nearest]
    side = np.sqrt(area[faces])
    facing = -np.einsum("ij,ij->i", mesh.face_vector[faces] @ motion.turn.T, mesh.face_vector[partners])
    alike = np.abs(facing - area[faces] ** 2) <= 2e-3 * area[faces] ** 2
    good = (far <= NEAR * side) & alike
    names = np.array([p.name for p in mesh.patches])
    of = np.repeat(np.arange(len(names)), [p.count for p in mesh.patches])[partners - mesh.inner_count]
    other = str(names[np.bincount(of, minlength=len(names)).argmax()])
    off = float(far.max(initial=0.0))
    if not good.any():
        return Match(faces, partners, other, off, "nothing lies there; check the shift, or the axis and the angle")
    if other == name:
        return Match(
            faces, partners, other, off, "it comes to lie on itself; check the shift, or the axis and the angle"
        )
    if not good.all():
        words = f"{int((~good).sum())} of {len(faces)} sides have no partner on {other}; make cells of both alike"
        return Match(faces, partners, other, off, words)
    if len(np.unique(partners)) < len(partners) or mesh.patch(other).count != len(faces):
        words = f"{other} has {mesh.patch(other).count} sides and {name} {len(faces)}; make cells of both alike"
        return Match(faces, partners, other, off, words)
    return Match(faces, partners, other, off)


def paired_first(mesh: Mesh, pairs: Sequence[Pair]) -> Mesh:
    """The mesh with the patches of pairs before all others; one without any as it is."""
    names = [p.name for p in mesh.patches]
    first = [n for p in pairs if p.patch in names for n in (p.patch, match(mesh, p.patch, p.motion).other)]
    order = sorted(mesh.patches, key=lambda p: (p.name not in first, p.start))
    if [p.name for p in order] == names:
        return mesh
    faces = np.concatenate([np.arange(mesh.inner_count), *(np.arange(p.start, p.end) for p in order)])
    flat, offsets = kernels.chosen_faces(mesh.face_points, mesh.face_offsets, faces, np.zeros(mesh.face_count, bool))
    ends = mesh.inner_count + np.cumsum([0, *(p.count for p in order)])
    patches = tuple(Patch(p.name, int(a), int(b)) for p, a, b in zip(order, ends[:-1], ends[1:], strict=True))
    return replace(mesh, face_points=flat, face_offsets=offsets, owner=mesh.owner[faces], patches=patches)


def bent(mesh: Mesh, name: str) -> float:
    """By how much (rad) the sides of a patch that should be flat look in other directions than most of it."""
    vector = mesh.face_vector[mesh.patch(name).faces]
    mean = vector.sum(axis=0)
    alike = vector @ mean / np.maximum(np.linalg.norm(vector, axis=1) * np.linalg.norm(mean), 1e-300)
    return float(np.arccos(np.clip(alike.min(initial=1.0), -1, 1)))
