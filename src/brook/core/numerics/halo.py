"""Cells beyond faces at which a mesh goes on somewhere else: copies of cells, moved to where they would lie.

A periodic pair has a copy behind each of its faces. Fields stand for cells only; whoever looks over faces takes them with
their copies behind (`Stencil.across`), those of vectors turned. Matrices see the cells themselves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from brook.core.mesh import Mesh
from brook.core.mesh.pairs import Motion, Pair, match


@dataclass(frozen=True, eq=False)
class Joint:
    """One pair: places in the halo of the copies behind its patch, `near` (n,), and behind its partner, `far` (n,), face by
    face, and the motion from the patch to the partner."""

    patch: str
    other: str
    near: np.ndarray
    far: np.ndarray
    motion: Motion

    @property
    def turn(self) -> np.ndarray | None:
        """By what (3, 3) vectors turn on the way, None for a shift."""
        return None if np.array_equal(self.motion.turn, np.eye(3)) else self.motion.turn

    @property
    def shift(self) -> np.ndarray:
        """The shift (3,) in m."""
        return self.motion.shift


@dataclass(frozen=True, eq=False)
class Halo:
    """`source` (H,): the cell that each copy is of; `centre` (H, 3) in m; faces stand in the order of the mesh, first of its
    boundary faces. `turned` (k,) are copies whose vectors turn, by `turns` (k, 3, 3)."""

    source: np.ndarray
    centre: np.ndarray
    joints: tuple[Joint, ...]
    turned: np.ndarray
    turns: np.ndarray

    @classmethod
    def none(cls) -> Halo:
        """That of a mesh without periodic pairs."""
        return cls(np.zeros(0, np.int64), np.zeros((0, 3)), (), np.zeros(0, np.int64), np.zeros((0, 3, 3)))

    @classmethod
    def of(cls, mesh: Mesh, pairs: Sequence[Pair]) -> Halo:
        """That of a mesh whose paired patches come first. Raises `ValueError` where a pair does not match."""
        if not pairs:
            return cls.none()
        matches = []
        for pair in pairs:
            found = match(mesh, pair.patch, pair.motion)
            if found.problem:
                raise ValueError(f"{pair.patch} has no partner: {found.problem}")
            matches.append(found)
        first = mesh.inner_count
        every = np.concatenate([part for m in matches for part in (m.faces, m.partners)])
        count = len(every)
        if len(np.unique(every)) < count:
            raise ValueError("a patch belongs to two periodic pairs; keep one of them")
        if every.max() >= first + count:
            raise ValueError("patches of periodic pairs have to be the first of a mesh")
        source, turns = np.empty(count, np.int64), np.tile(np.eye(3), (count, 1, 1))
        joints = []
        for pair, found in zip(pairs, matches, strict=True):
            near, far, motion = found.faces - first, found.partners - first, pair.motion
            here, there = mesh.owner[found.faces], mesh.owner[found.partners]
            if (mesh.body[here] != mesh.body[there]).any():
                raise ValueError(f"{pair.patch} and {found.other} belong to different bodies")
            source[near], source[far] = there, here
            turns[near], turns[far] = motion.turn.T, motion.turn
            joints.append(Joint(pair.patch, found.other, near, far, motion))
        turned = np.nonzero(np.any(turns != np.eye(3), axis=(1, 2)))[0]
        return cls(source, np.empty((count, 3)), tuple(joints), turned, turns[turned]).at(mesh)

    def at(self, mesh: Mesh) -> Halo:
        """The same where cells lie as they do in a mesh."""
        centre = mesh.centre[self.source] if len(self) else self.centre
        for joint in self.joints:
            centre[joint.near] = joint.motion.places_back(centre[joint.near])
            centre[joint.far] = joint.motion.places(centre[joint.far])
        return replace(self, centre=centre)

    def __len__(self) -> int:
        return len(self.source)

    def behind(self, values: np.ndarray) -> np.ndarray:
        """Values of cells, (C,), vectors (C, 3) or gradients of vectors (C, 3, 3), with those of their copies behind them."""
        copies = values[self.source]
        if len(self.turned) and values.ndim == 2:
            copies[self.turned] = np.einsum("hij,hj->hi", self.turns, copies[self.turned])
        elif len(self.turned) and values.ndim == 3:
            copies[self.turned] = np.einsum("hik,hkl,hjl->hij", self.turns, copies[self.turned], self.turns)
        return np.concatenate([values, copies])

    def mirror(self, faces: np.ndarray, sign: float = 1.0, whole: float = 0.0) -> None:
        """Makes what belongs to the faces of partners that of the faces of patches: `whole` + `sign` times it, vectors turned.
        In place; `faces` (H,) or (H, 3) of the faces of the halo."""
        for joint in self.joints:
            there = faces[joint.near]
            if faces.ndim == 2 and joint.turn is not None:
                there = there @ joint.turn.T
            faces[joint.far] = whole + sign * there
