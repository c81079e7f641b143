"""A face-addressed mesh from cells that are each told by their own sides, as blocks and files do."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brook.core.mesh.ordering import order_by
from brook.core.mesh.polyhedral import PLANE_SIDES, Mesh, Patch

# Corners of the sides of cells with straight edges, looking out, and -1 where a side has one less. Corners are numbered
# as in the CGNS standard: a ring of the base, anticlockwise seen from within, then those above.
SIDES = {
    "tetra": [[0, 2, 1, -1], [0, 1, 3, -1], [1, 2, 3, -1], [2, 0, 3, -1]],
    "pyramid": [[0, 3, 2, 1], [0, 1, 4, -1], [1, 2, 4, -1], [2, 3, 4, -1], [3, 0, 4, -1]],
    "wedge": [[0, 1, 4, 3], [1, 2, 5, 4], [2, 0, 3, 5], [0, 2, 1, -1], [3, 4, 5, -1]],
    "hexahedron": [[0, 3, 2, 1], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [0, 4, 7, 3], [4, 5, 6, 7]],
}  # fmt: skip
CORNERS = {"tetra": 4, "pyramid": 5, "wedge": 6, "hexahedron": 8}


class AssemblyError(ValueError):
    """Cells that do not make a mesh; the message says what does not fit and where."""


@dataclass(frozen=True, eq=False)
class Polygons:
    """Polygons as CSR: corners flat (n,) and offsets (F + 1,)."""

    flat: np.ndarray
    offsets: np.ndarray

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.offsets) - 1

    @property
    def corners(self) -> np.ndarray:
        """How many corners (n,) each has."""
        return np.diff(self.offsets)

    @classmethod
    def rows(cls, rows: np.ndarray) -> Polygons:
        """Of rows (F, m) with -1 behind the corners of shorter ones; corners that follow on themselves are left out,
        and what is no polygon then has none."""
        before = np.full(rows.shape, -1)
        width = (rows >= 0).sum(axis=1)
        every = np.arange(len(rows))
        before[:, 1:] = rows[:, :-1]
        before[:, 0] = rows[every, np.maximum(width - 1, 0)]
        kept = (rows >= 0) & ((rows != before) | (width == 1)[:, None])
        count = kept.sum(axis=1)
        kept &= (count >= 3)[:, None]
        return cls(rows[kept], np.concatenate([[0], np.cumsum(kept.sum(axis=1))]))

    def part(self, chosen: np.ndarray) -> Polygons:
        """Those at places (n,), in that order."""
        counts = self.corners[chosen]
        offsets = np.concatenate([[0], np.cumsum(counts)])
        at = np.repeat(self.offsets[:-1][chosen] - offsets[:-1], counts) + np.arange(offsets[-1])
        return Polygons(self.flat[at], offsets)

    def and_(self, other: Polygons) -> Polygons:
        """These, and others behind them."""
        return Polygons(
            np.concatenate([self.flat, other.flat]),
            np.concatenate([self.offsets, self.offsets[-1] + other.offsets[1:]]),
        )

    @classmethod
    def joined(cls, parts: Sequence[Polygons]) -> Polygons:
        """All of one or more, one behind the other."""
        ends = np.cumsum([0, *(len(p.flat) for p in parts)])
        offsets = [p.offsets[1:] + begin for p, begin in zip(parts, ends[:-1], strict=True)]
        return cls(np.concatenate([p.flat for p in parts]), np.concatenate([[0], *offsets]))

    def turned(self) -> Polygons:
        """The same looking the other way, from the same first corner."""
        counts = self.corners
        first = np.repeat(self.offsets[:-1], counts)
        within = np.arange(len(self.flat)) - first
        return Polygons(self.flat[first + (-within) % np.repeat(counts, counts)], self.offsets)

    @property
    def keys(self) -> np.ndarray:
        """A number (F,) that is the same for polygons with the same corners."""
        mixed = self.flat.astype(np.uint64) + np.uint64(0x9E3779B97F4A7C15)
        for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
            mixed = (mixed ^ (mixed >> np.uint64(shift))) * np.uint64(factor)
        mixed ^= mixed >> np.uint64(31)
        total = np.concatenate([np.zeros(1, np.uint64), np.cumsum(mixed, dtype=np.uint64)])
        return total[self.offsets[1:]] - total[self.offsets[:-1]] + self.corners.astype(np.uint64)


def sides_of(kind: str, corners: np.ndarray) -> np.ndarray:
    """Sides (n, sides, 4) of cells (n, corners) of a kind of `SIDES`."""
    table = np.array(SIDES[kind])
    return np.where(table >= 0, corners[:, np.maximum(table, 0)], -1)


def assembled(
    points: np.ndarray, sides: Polygons, cell: np.ndarray, patches: list[tuple[str, Polygons]], rest: str,
    bodies: tuple[str, ...] = ("fluid",), body: np.ndarray | None = None, apart: np.ndarray | None = None,
) -> Mesh:  # fmt: skip
    """The mesh of cells whose sides look out: `cell` (F,) says whose each is, the cells counted from 0.

    Boundary sides that `patches` has none for go to the patch `rest`, behind which only `PLANE_SIDES` may stand. Faces
    between two bodies are called as the patch that has them, or as `between` says. Sides marked in `apart` (F,) are of no two cells, as
    those of a sheet.
    Raises `AssemblyError` for sides that more than two cells have.
    """
    real = sides.corners > 0
    if not real.all():
        sides, cell = sides.part(np.nonzero(real)[0]), cell[real]
        apart = None if apart is None else apart[real]
    keys = sides.keys
    order = np.lexsort((cell, keys))
    same = keys[order][1:] == keys[order][:-1]
    if apart is not None:
        same &= ~apart[order][1:] & ~apart[order][:-1]
    if (same[1:] & same[:-1]).any():
        k = order[1:][np.nonzero(same[1:] & same[:-1])[0][0]]
        at = points[sides.flat[sides.offsets[k] : sides.offsets[k + 1]]].mean(axis=0)
        raise AssemblyError(f"more than two cells have the side at ({at[0]:.4g}, {at[1]:.4g}, {at[2]:.4g}) m")
    one, other = order[:-1][same], order[1:][same]
    alone = np.ones(len(cell), bool)
    alone[one] = alone[other] = False
    skin = np.nonzero(alone)[0]
    number = _numbered(keys[skin], patches)
    names = [name for name, _ in patches]
    if (number == len(patches)).any():
        names.append(rest)
    if PLANE_SIDES in names:  # they stand last
        k = names.index(PLANE_SIDES)
        to_last = np.array([len(names) - 1 if n == k else n - (n > k) for n in range(len(names))])
        number = to_last[number]
        names = [*names[:k], *names[k + 1 :], PLANE_SIDES]
    inner = order_by(cell[one], cell[other])
    one, other = one[inner], other[inner]
    by_patch = order_by(number, cell[skin])
    skin, number = skin[by_patch], number[by_patch]
    counts = np.bincount(number, minlength=len(names))
    ends = len(one) + np.concatenate([[0], np.cumsum(counts)])
    faces = sides.part(np.concatenate([one, skin]))
    used = np.zeros(len(points), bool)
    used[faces.flat] = True
    renumber = np.cumsum(used) - 1
    cells = int(cell.max()) + 1
    of = np.zeros(cells, np.int64) if body is None else body
    wall, walls = _walls(of[cell[one]], of[cell[other]], _numbered(keys[one], patches), patches, bodies)
    return Mesh(
        np.ascontiguousarray(points[used]), renumber[faces.flat], faces.offsets.astype(np.int64),
        np.concatenate([cell[one], cell[skin]]), cell[other],
        tuple(Patch(n, int(a), int(b)) for n, a, b in zip(names, ends[:-1], ends[1:], strict=True) if b > a),
        bodies, of, wall=wall, walls=walls,
    )  # fmt: skip


def _walls(
    one: np.ndarray, other: np.ndarray, number: np.ndarray, patches: list[tuple[str, Polygons]], bodies: tuple[str, ...]
) -> tuple[np.ndarray, tuple[str, ...]]:
    """Of faces between cells of bodies `one` and `other` (n,), of which `number` (n,) is that of the patch that has them: the
    places (n,) of their names, -1 within a body, and these names."""
    if len(bodies) <= 1:
        return np.zeros(0, np.int64), ()
    pair = np.sort(np.stack([one, other], axis=1), axis=1)
    wall = np.where(pair[:, 0] != pair[:, 1], number, -1)
    nameless = np.nonzero(wall == len(patches))[0]
    pairs, which = np.unique(pair[nameless], axis=0, return_inverse=True)
    wall[nameless] += which.ravel()
    return wall, (*(name for name, _ in patches), *(between(bodies[a], bodies[b]) for a, b in pairs))


def between(one: str, other: str) -> str:
    """What a wall between two bodies is called that has no name."""
    return f"{one[:16]}_to_{other[:16]}"


def _numbered(keys: np.ndarray, patches: list[tuple[str, Polygons]]) -> np.ndarray:
    """Which patch has each of the sides, one more than the last where none has."""
    number = np.full(len(keys), len(patches))
    known = [faces.keys for _, faces in patches]
    if not known:
        return number
    every = np.concatenate(known)
    whose = np.repeat(np.arange(len(known)), [len(k) for k in known])
    order = np.argsort(every, kind="stable")
    every, whose = every[order], whose[order]
    if not len(every):
        return number
    at = np.minimum(np.searchsorted(every, keys), len(every) - 1)
    return np.where(every[at] == keys, whose[at], number)
