"""Union, difference and intersection of closed surfaces; patches keep their names as long as something is left of them."""

from __future__ import annotations

import manifold3d
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from brook.core.geometry.parts import without_empty
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import surface_of

FLAT = 1e-9  # sine of the angle between normals of one flat piece


class NotClosed(ValueError):
    """A surface that encloses nothing, so that it cannot be put together with another one."""


def together(surfaces: list[Surface]) -> Surface:
    """All triangles of some surfaces; patches of the same name are one. Points at the same place stay apart."""
    names = list(dict.fromkeys(n for s in surfaces for n in s.patches))
    offsets = np.cumsum([0, *(len(s.points) for s in surfaces)])
    points = np.concatenate([s.points for s in surfaces] or [np.zeros((0, 3))])
    triangles = np.concatenate(
        [s.triangles + o for s, o in zip(surfaces, offsets, strict=False)] or [np.zeros((0, 3), np.int64)]
    )
    numbers = [np.array([names.index(n) for n in s.patches], np.int64)[s.patch] for s in surfaces]
    return Surface(points, triangles, np.concatenate(numbers or [np.zeros(0, np.int64)]), tuple(names))


def combined(one: Surface, other: Surface, action: str) -> Surface:
    """`add` is the union, `take` the first without the second, `keep` what lies in both. Raises `NotClosed`."""
    (a, mine), (b, theirs) = _solid(one, "what is there so far"), _solid(other, "this part")
    made = a + b if action == "add" else a - b if action == "take" else a ^ b
    return _surface(made, {mine: one, theirs: other})


def united(surface: Surface) -> Surface:
    """Closed shells that overlap or touch made one. Raises `NotClosed`."""
    shells = surface.shells
    parts = [surface.only(shells == k) for k in range(int(shells.max(initial=-1)) + 1)]
    if len(parts) < 2:
        return surface
    solids = [_solid(p, f"a shell of {p.count} triangles") for p in parts]
    of = {number: p for (_, number), p in zip(solids, parts, strict=True)}
    return _surface(manifold3d.Manifold.batch_boolean([s for s, _ in solids], manifold3d.OpType.Add), of)


def _solid(surface: Surface, what: str) -> tuple[manifold3d.Manifold, int]:
    """The surface for the library, and the number by which its triangles are known again."""
    number = manifold3d.Manifold.reserve_ids(1)
    mesh = manifold3d.Mesh64(
        vert_properties=surface.points.copy(), tri_verts=np.ascontiguousarray(surface.triangles, np.uint64),
        run_index=np.array([0, 3 * surface.count], np.uint64), run_original_id=np.array([number], np.uint32),
        face_id=_flat_pieces(surface).astype(np.uint64),
    )  # fmt: skip
    made = manifold3d.Manifold(mesh)
    if made.status() != manifold3d.Error.NoError:
        raise NotClosed(f"{what} is not closed, so nothing can be added to or taken from it; mend it first")
    return made, number


def _flat_pieces(surface: Surface) -> np.ndarray:
    """A number (T,) for each flat piece of a patch: within one the library may divide anew as it likes."""
    pairs = surface.edges.pairs
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    across = np.linalg.norm(np.cross(normal[pairs[:, 0]], normal[pairs[:, 1]]), axis=1)
    ahead = np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]]) > 0
    joined = pairs[(across < FLAT) & ahead & (surface.patch[pairs[:, 0]] == surface.patch[pairs[:, 1]])]
    graph = coo_matrix((np.ones(len(joined)), (joined[:, 0], joined[:, 1])), shape=(surface.count, surface.count))
    return connected_components(graph, directed=False)[1]


def _surface(made: manifold3d.Manifold, of: dict[int, Surface]) -> Surface:
    """Back from the library: each triangle knows which one of which surface it is a piece of."""
    mesh = made.to_mesh64()
    names = list(dict.fromkeys(n for s in of.values() for n in s.patches))
    points = np.asarray(mesh.vert_properties)[:, :3]
    triangles = np.asarray(mesh.tri_verts, np.int64)
    face, ends = np.asarray(mesh.face_id, np.int64), np.asarray(mesh.run_index, np.int64) // 3
    patch = np.zeros(len(triangles), np.int64)
    for k, number in enumerate(mesh.run_original_id):
        source = of[number]
        pieces = _flat_pieces(source)
        table = np.zeros(int(pieces.max()) + 1, np.int64)
        table[pieces] = np.array([names.index(n) for n in source.patches], np.int64)[source.patch]
        run = slice(ends[k], ends[k + 1])
        patch[run] = table[face[run]]
    found = surface_of(points, triangles, patch, names)
    a, b, c = found.triangles.T
    whole = (a != b) & (b != c) & (c != a)
    return without_empty(found if whole.all() else found.only(whole))
