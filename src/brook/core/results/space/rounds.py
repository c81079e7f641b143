"""Lines on patches: round their rims, and where a plane cuts them."""

from __future__ import annotations

from collections import defaultdict

import numpy as np

from brook.core.results.quantities import View
from brook.core.results.space.curves import Curve

MOST_PARTS = 6  # of which a line may consist; the longest are shown
TOUCH = 1e-6  # of the size of a patch, by which a plane that only touches it is moved into it


def rims(view: View, quantity: str, patch: str) -> list[Curve]:
    """The quantity round each rim of a patch, as the patch has it, the longest first.

    Raises `KeyError` for an unknown patch, `ValueError` for one without a rim."""
    points, offsets, values = _patch(view, quantity, patch)
    pairs = np.stack([points, points[_following(offsets)]], axis=1)
    low, high = pairs.min(axis=1), pairs.max(axis=1)
    order = np.lexsort((high, low))
    fresh = np.concatenate([[True], np.any(np.diff(np.stack([low, high], axis=1)[order], axis=0) != 0, axis=1)])
    alone = np.diff(np.concatenate([np.nonzero(fresh)[0], [len(order)]])) == 1
    rim = pairs[order[fresh][alone]]
    if not len(rim):
        raise ValueError(f"{patch} closes on itself, so it has no rim")
    mesh = view.fields.mesh
    return _curves(rim, mesh.points, values, None)


def belts(view: View, quantity: str, patch: str, axis: int, at: float) -> list[Curve]:
    """The quantity along a patch where the plane across an axis (0, 1, 2) at a place on it in m cuts it, the longest part first: values
    between those of points, as the patch has them.

    Raises `KeyError` for an unknown patch, `ValueError` where the plane misses it."""
    points, offsets, values = _patch(view, quantity, patch)
    places = view.fields.mesh.points
    height = places[points, axis] - at
    size = float(np.ptp(places[points], axis=0).max())
    if (height >= 0).all() or (height < 0).all():  # it may still touch the patch, as the plane of a symmetry does
        height += TOUCH * size if (height < 0).all() else -TOUCH * size
        if (height >= 0).all() or (height < 0).all():
            raise ValueError(f"the plane does not cut {patch}")
    following = _following(offsets)
    crossed = np.nonzero((height >= 0) != (height[following] >= 0))[0]  # in pairs, side by side in a face
    low, high = points[crossed], points[following[crossed]]
    share = height[crossed] / (height[crossed] - height[following[crossed]])
    key = np.stack([np.minimum(low, high), np.maximum(low, high)], axis=1)
    _, first, number = np.unique(key, axis=0, return_index=True, return_inverse=True)
    number = number.ravel()
    crossing = (1 - share)[:, None] * places[low] + share[:, None] * places[high]
    between = (1 - share) * values[low] + share * values[high]
    return _curves(number.reshape(-1, 2), crossing[first], between[first], axis)


def _patch(view: View, quantity: str, patch: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Points of the faces of a patch, where each face begins, and the patch's own value at every point of the mesh, nan elsewhere."""
    mesh, inner = view.fields.mesh, view.fields.stencil.inner
    faces = mesh.patch(patch).faces
    if faces.stop > view.fields.stencil.active:
        raise ValueError(f"nothing is known on {patch}")
    begin = mesh.face_offsets[faces.start : faces.stop + 1].astype(np.int64)
    points, offsets = mesh.face_points[begin[0] : begin[-1]].astype(np.int64), begin - begin[0]
    weight = np.repeat(mesh.face_areas(faces), np.diff(offsets))
    value = np.repeat(view.values(quantity)[1][faces.start - inner : faces.stop - inner], np.diff(offsets))
    whole = np.bincount(points, weight, len(mesh.points))
    total = np.bincount(points, weight * value, len(mesh.points))
    return points, offsets, np.divide(total, whole, out=np.full(len(whole), np.nan), where=whole > 0)


def _following(offsets: np.ndarray) -> np.ndarray:
    following = np.arange(1, offsets[-1] + 1)
    following[offsets[1:] - 1] = offsets[:-1]
    return following


def _curves(pairs: np.ndarray, places: np.ndarray, values: np.ndarray, axis: int | None) -> list[Curve]:
    """Curves of pairs (k, 2) of places (n, 3) that follow one another."""
    found = []
    for chain in chains(pairs):
        chain = _begun(chain, places, axis)
        at = places[chain]
        way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(at, axis=0), axis=1))])
        found.append(Curve(at, way, values[chain]))
    return sorted(found, key=lambda c: -c.way[-1])


def chains(pairs: np.ndarray) -> list[np.ndarray]:
    """Numbers that follow one another by pairs (k, 2), each pair once; one that closes has its first number at its end again."""
    beside: dict[int, list[int]] = defaultdict(list)
    for k, (a, b) in enumerate(pairs.tolist()):
        if a != b:
            beside[a].append(k)
            beside[b].append(k)
    used = pairs[:, 0] == pairs[:, 1]
    found = []
    ends = [n for n, near in beside.items() if len(near) != 2]
    for start in [*ends, *beside]:
        while open_pairs := [k for k in beside[start] if not used[k]]:
            chain, at, k = [start], start, open_pairs[0]
            while True:
                used[k] = True
                at = int(pairs[k, 1] if pairs[k, 0] == at else pairs[k, 0])
                chain.append(at)
                onward = [j for j in beside[at] if not used[j]]
                if len(beside[at]) != 2 or not onward:
                    break
                k = onward[0]
            found.append(np.array(chain))
    return found


def _begun(chain: np.ndarray, places: np.ndarray, axis: int | None) -> np.ndarray:
    """A chain from where x, then y, then z is least; one that closes goes anticlockwise seen from the axis, or from the one along which
    it looks largest."""
    at = places[chain]
    if chain[0] != chain[-1]:
        return chain if tuple(at[0]) <= tuple(at[-1]) else chain[::-1]
    chain, at = chain[:-1], at[:-1]
    first = int(np.lexsort(at.T[::-1])[0])
    chain = np.roll(chain, -first)
    at = places[chain] - places[chain].mean(axis=0)
    round_ = np.cross(at, np.roll(at, -1, axis=0)).sum(axis=0)
    turn = round_[axis] if axis is not None else round_[int(np.argmax(np.abs(round_)))]
    if turn < 0.0:
        chain = np.concatenate([chain[:1], chain[:0:-1]])
    return np.concatenate([chain, chain[:1]])
