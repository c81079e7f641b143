"""The area that faces show to a stream: their shadow along a direction, whatever of them lies behind others counted once."""

from __future__ import annotations

from itertools import pairwise
from weakref import WeakKeyDictionary

import numpy as np
from PIL import Image, ImageDraw

from brook.core.mesh import Mesh

_KNOWN: WeakKeyDictionary[Mesh, dict[tuple[float, ...], float]] = WeakKeyDictionary()
ACROSS = 2000  # pixels of the longer side of a shadow


def shadow_of_edges(ends: np.ndarray, along: np.ndarray) -> float:
    """The length of the shadow in m of edges (n, 2, 2) of a drawing along a direction in it."""
    across = np.array([-along[1], along[0]])
    spans = np.sort(ends @ across, axis=1)
    spans = spans[np.argsort(spans[:, 0])]
    reached = np.maximum.accumulate(spans[:, 1])
    begins = np.maximum(spans[1:, 0], reached[:-1])
    return float(spans[0, 1] - spans[0, 0] + np.maximum(spans[1:, 1] - begins, 0.0).sum())


def frontal_area(mesh: Mesh, faces: slice, along: np.ndarray) -> float:
    """In m², of faces of a mesh along a direction (3,); to about a part in a thousand in space, exactly in drawings. Found once for a mesh: readings ask
    for it in each iteration of a run."""
    known, asked = _KNOWN.setdefault(mesh, {}), (faces.start, faces.stop, *(float(x) for x in along))
    if asked not in known:
        known[asked] = _area(mesh, faces, along)
    return known[asked]


def _area(mesh: Mesh, faces: slice, along: np.ndarray) -> float:
    first, last, _ = faces.indices(mesh.face_count)
    if last <= first:
        return 0.0
    offsets = mesh.face_offsets[first : last + 1]
    corners = [mesh.points[mesh.face_points[a:b]] for a, b in pairwise(offsets)]
    if mesh.is_plane:
        if abs(along[2]) > 0:
            return 0.0
        depth = float(np.ptp(mesh.points[:, 2]))
        ends = np.array([_ends(c) for c in corners])
        return shadow_of_edges(ends, along[:2] / np.linalg.norm(along[:2])) * depth
    return _shadow(corners, along / np.linalg.norm(along))


def _ends(corners: np.ndarray) -> np.ndarray:
    """The two ends (2, 2) of a face that stands across a drawing."""
    flat = np.unique(np.round(corners[:, :2], 12), axis=0)
    return np.array([flat[0], flat[-1]])


def _shadow(corners: list[np.ndarray], along: np.ndarray) -> float:
    """Painted onto a grid of pixels: what is painted is counted."""
    one = np.cross(along, np.eye(3)[int(np.abs(along).argmin())])
    one /= np.linalg.norm(one)
    other = np.cross(along, one)
    flat = [c @ np.stack([one, other], axis=1) for c in corners]
    every = np.concatenate(flat)
    low, span = every.min(axis=0), np.ptp(every, axis=0)
    size = float(span.max())
    if not size > 0:
        return 0.0
    scale = ACROSS / size
    shape = [int(np.ceil(s * scale)) + 1 for s in span]
    image = Image.new("1", (shape[0], shape[1]))
    draw = ImageDraw.Draw(image)
    for polygon in flat:
        # a pixel is one whose middle lies inside
        draw.polygon([tuple(p) for p in ((polygon - low) * scale - 0.5).tolist()], fill=1)
    return float(np.count_nonzero(np.asarray(image))) / scale**2
