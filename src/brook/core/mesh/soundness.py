"""Whether the numbers of a mesh from elsewhere refer to what is there, so that compiled loops may run over it."""

from __future__ import annotations

import numpy as np

from brook.core.mesh.polyhedral import Mesh


def why_unsound(mesh: Mesh) -> str:
    """What is wrong with the numbers of a mesh, '' when nothing is."""
    faces, cells, points = mesh.face_count, mesh.cell_count, len(mesh.points)
    patches = [mesh.inner_count, *(edge for p in mesh.patches for edge in (p.start, p.end)), faces]
    if mesh.points.ndim != 2 or len(mesh.face_offsets) != faces + 1:
        return "its arrays do not fit together"
    bad = {
        "points have three coordinates": mesh.points.shape[1:] != (3,),
        "points stand at numbers": mesh.points.dtype.kind != "f" or not np.isfinite(mesh.points).all(),
        "faces have their corners": mesh.face_offsets[0] != 0 or mesh.face_offsets[-1] != len(mesh.face_points)
        or bool((np.diff(mesh.face_offsets.astype(np.int64)) < 3).any()),
        "corners are points": _outside(mesh.face_points, points),
        "sides of faces are cells": cells == 0 or _outside(mesh.owner, cells) or _outside(mesh.neighbour, cells)
        or mesh.inner_count > faces,
        "patches follow one another": patches[::2] != patches[1::2],
        "cells belong to bodies": _outside(mesh.body, len(mesh.bodies)),
        "walls have names": len(mesh.wall) not in (0, mesh.inner_count) or bool((mesh.wall < -1).any() or (mesh.wall >= len(mesh.walls)).any()),
    }  # fmt: skip
    return next((f"not all {words}" for words, wrong in bad.items() if wrong), "")


def _outside(numbers: np.ndarray, count: int) -> bool:
    return numbers.ndim != 1 or bool(len(numbers) and (numbers.min() < 0 or numbers.max() >= count))
