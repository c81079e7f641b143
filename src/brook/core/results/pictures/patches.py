"""Patches of the boundary with the values that hold on them, and the outline of a mesh."""

from __future__ import annotations

import numpy as np

from brook.core.mesh import Mesh
from brook.core.results.forces import face_forces
from brook.core.results.pictures.base import Drawn, Seen, fans, once, sides
from brook.core.results.pictures.cuts import evenly
from brook.core.study.layers import PatchLayer

SHARP = 30.0  # degrees, over which sides of the boundary meet in an edge that is drawn


def boundary(mesh: Mesh) -> Drawn:
    """The boundary of a mesh as triangles, patch by patch, and the edges at which it bends or one patch meets another. `starts`
    numbers the first triangle of each patch; the numbers name patches and say where the middle of each is, on it."""
    at, triangles, starts, names, middles = [], [], [0], [], []
    count = 0
    for patch in mesh.patches:
        points, offsets, _ = _polygons(mesh, mesh.patch(patch.name).faces)
        used, corners = np.unique(points, return_inverse=True)
        at.append(mesh.points[used])
        triangles.append(corners[fans(offsets)] + count)
        count += len(used)
        starts.append(starts[-1] + len(triangles[-1]))
        names.append(patch.name)
        middles.append(_middle(mesh, patch.faces))
    arrays = {
        "at": np.concatenate(at), "triangles": np.concatenate(triangles), "starts": np.array(starts), "outline": edges(mesh),
    }  # fmt: skip
    box = [mesh.points.min(axis=0).tolist(), mesh.points.max(axis=0).tolist()]
    return Drawn(arrays, {"patches": names, "middles": middles, "box": box, "cells": mesh.cell_count})


def _middle(mesh: Mesh, faces: slice) -> list[float] | None:
    """The middle of the face that is nearest to the middle of a patch."""
    if faces.stop == faces.start:
        return None
    centre, size = mesh.face_centres(faces), mesh.face_areas(faces)
    middle = (size @ centre) / size.sum()
    nearest: list[float] = centre[int(np.argmin(np.linalg.norm(centre - middle, axis=1)))].tolist()
    return nearest


def drawn(layer: PatchLayer, seen: Seen) -> Drawn:
    """Raises `KeyError` for a patch that is not there."""
    mesh, inner = seen.view.fields.mesh, seen.view.fields.stencil.inner
    active = seen.view.fields.stencil.active
    values = seen.view.values(seen.quantity)[1]
    at, triangles, lines, found, shown = [], [], [], [], []
    area = total = 0.0
    count = 0
    for name in layer.patches or tuple(p.name for p in mesh.patches if p.start < active):
        faces = mesh.patch(name).faces
        points, offsets, which = _polygons(mesh, faces)
        if len(which) and which[-1] >= active:
            continue  # a plane mesh has no values before and behind
        shown.append(name)
        used, corners = np.unique(points, return_inverse=True)
        size = mesh.face_areas(faces)
        spread = np.diff(offsets)
        weight = np.bincount(corners, np.repeat(size, spread))
        found.append(np.bincount(corners, np.repeat(size * values[which - inner], spread)) / weight)
        at.append(mesh.points[used])
        triangles.append(corners[fans(offsets)] + count)
        if layer.mesh_lines:
            lines.append(once(corners[sides(offsets)], len(used))[0] + count)
        count += len(used)
        area += float(size.sum())
        total += float((size * values[which - inner]).sum())
    if not at:
        raise ValueError("there is no boundary to draw")
    arrays = {"at": np.concatenate(at), "triangles": np.concatenate(triangles)}
    if not layer.plain:
        arrays["values"] = np.concatenate(found)
    if layer.mesh_lines:
        arrays["sides"] = np.concatenate(lines)
    if layer.arrows:
        arrays |= _friction(shown, seen)
    return Drawn(arrays, {"area": area, "mean": total / area})


def _friction(names: list[str], seen: Seen) -> dict[str, np.ndarray]:
    """The friction of the fluid along patches in Pa, at places that lie evenly on them."""
    fields, mesh = seen.view.fields, seen.view.fields.mesh
    faces = np.concatenate([np.arange(mesh.patch(n).faces.start, mesh.patch(n).faces.stop) for n in names])
    centre, area = mesh.face_centres()[faces], mesh.face_vector[faces]
    size = np.linalg.norm(area, axis=1)[:, None]
    force = np.concatenate([face_forces(fields, mesh.patch(n), seen.view.velocity_slope)[1] for n in names])
    normal = area / size
    along = (force - np.einsum("ij,ij->i", force, normal)[:, None] * normal) / size
    chosen, step = evenly(centre)
    return {
        "arrows_at": centre[chosen] - 1e-3 * step * normal[chosen], "arrows_way": along[chosen], "arrows_step": np.array([step]),
        "arrows_across": normal[chosen],
    }  # fmt: skip


def edges(mesh: Mesh) -> np.ndarray:
    """Places (k, 2, 3) of both ends of each edge at which the boundary bends by more than `SHARP`, or patches meet."""
    faces = np.arange(mesh.inner_count, mesh.face_count)
    points, offsets, _ = _polygons(mesh, slice(mesh.inner_count, mesh.face_count))
    pairs = points[sides(offsets)]
    of = np.repeat(np.arange(len(faces)), np.diff(offsets))
    low, high = pairs.min(axis=1).astype(np.int64), pairs.max(axis=1)
    key = low * len(mesh.points) + high
    order = np.argsort(key, kind="stable")
    key, of = key[order], of[order]
    first = np.nonzero(np.concatenate([[True], np.diff(key) != 0]))[0]
    times = np.diff(np.concatenate([first, [len(key)]]))
    vector = mesh.face_vector[faces]
    normal = vector / np.linalg.norm(vector, axis=1)[:, None]
    patch = np.empty(len(faces), np.int64)
    for k, one in enumerate(mesh.patches):
        patch[one.start - mesh.inner_count : one.end - mesh.inner_count] = k
    a, b = of[first], of[np.minimum(first + 1, len(of) - 1)]
    drawn = (
        (times != 2)
        | (patch[a] != patch[b])
        | (np.einsum("ij,ij->i", normal[a], normal[b]) < np.cos(np.radians(SHARP)))
    )
    ends = np.stack(np.divmod(key[first[drawn]], len(mesh.points)), axis=1)
    placed: np.ndarray = mesh.points[ends]
    return placed


def _polygons(mesh: Mesh, faces: slice) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Points of faces that follow one another, where each begins, and their numbers."""
    begin = mesh.face_offsets[faces.start : faces.stop + 1].astype(np.int64)
    return mesh.face_points[begin[0] : begin[-1]], begin - begin[0], np.arange(faces.start, faces.stop)
