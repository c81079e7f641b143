"""The wrap that a document asks for."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.geometry.surface import Surface
from brook.core.mesh.wrap.wrapping import Wish, wrap_of
from brook.core.study import Resolved

MOST_SAID = 4


def as_asked(
    surface: Surface, wrap: Resolved, tell: Callable[[str], None] = lambda _: None
) -> tuple[Surface, list[str]]:  # fmt: skip
    """A surface wrapped as a resolved statement says, and what is to be said of it. Raises `MeshError`, `Leak`."""
    wet = (wrap.x, wrap.y, wrap.z) if wrap.side == "inside" else None
    angle = float(np.degrees(wrap.angle))
    made = wrap_of(surface, Wish(wrap.size, wrap.closes, angle, wet, wrap.patches, wrap.apart, wrap.thin), tell)
    said = [one.words for one in made.lost[:MOST_SAID]]
    if len(made.lost) > MOST_SAID:
        said.append(f"and something of {len(made.lost) - MOST_SAID} patches more")
    if len(made.crossing):
        x, y, z = (f"{1000 * v:.4g}" for v in made.crossing[0])
        said.append(
            f"{len(made.crossing)} triangles of it cross others, one at {x}, {y}, {z} mm; smaller ones there help"
        )
    return made.surface, said
