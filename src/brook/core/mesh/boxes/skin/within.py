"""Points within a mesh of boxes that follow those of its skin, and no farther than all cells stay sound."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.mesh.boxes.faces import Frame
from brook.core.mesh.boxes.links import links_of
from brook.core.mesh.boxes.skin import kernels
from brook.core.mesh.kernels import chosen_faces

RINGS, SPREADS = 4, 16
STEPS_BACK, LEAST = 40, 1e-3


def spread(frame: Frame, move: np.ndarray, fixed: np.ndarray) -> np.ndarray:
    """Moves (P, 3) of the skin handed on over some rings of points within, fading."""
    links = links_of(frame.flat, frame.offsets, len(frame.points))
    _, ring = kernels.rings(links.indptr, links.indices, fixed, np.arange(len(frame.points)), RINGS)
    return kernels.handed_on(move, np.nonzero(ring > 0)[0], links.indptr, links.indices, SPREADS)


def validated(
    frame: Frame, move: np.ndarray, skin: np.ndarray, tell: Callable[[str], None]
) -> tuple[np.ndarray, np.ndarray]:
    """Points moved as far as all cells stay sound, and those (n,) of the skin that stay behind."""
    flat, offsets = frame.flat, frame.offsets
    share, changed = np.ones(len(frame.points)), (move != 0.0).any(axis=1)
    for step in range(STEPS_BACK):
        tell(f"checking cells, round {step + 1}")
        points = frame.points + share[:, None] * move
        # boxes are sound, and so is what was found to be and has not changed
        asked = kernels.cells_round(changed, flat, offsets, frame.owner, frame.neighbour, len(frame.size))
        faces = kernels.faces_near(frame.owner, frame.neighbour, asked)
        asked_flat, asked_offsets = chosen_faces(flat, offsets, faces, np.zeros(len(frame.owner), bool))
        bad = asked & kernels.unsound(
            points, asked_flat, asked_offsets, frame.owner[faces], frame.neighbour[faces], frame.size, LEAST
        )
        if not bad.any():
            break
        touched = kernels.points_of(bad, flat, offsets, frame.owner, frame.neighbour, len(points))
        share[touched] *= 0.75 if step < STEPS_BACK // 2 else 0.4
        if step >= STEPS_BACK - 3:
            share[touched] = 0.0
        changed = touched
    else:
        points = frame.points.copy()
        share[:] = 0.0
    return points, skin[share[skin] < 1.0]
