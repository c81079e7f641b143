"""The wrap that a document asks for."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.geometry.surface import Surface
from brook.core.mesh.wrap.wrapping import Wish, wrapped
from brook.core.study import Resolved


def as_asked(surface: Surface, wrap: Resolved, tell: Callable[[str], None] = lambda _: None) -> Surface:
    """A surface wrapped as a resolved statement says. Raises `MeshError`, `Leak`."""
    wet = (wrap.x, wrap.y, wrap.z) if wrap.side == "inside" else None
    wish = Wish(wrap.size, wrap.closes, float(np.degrees(wrap.angle)), wet, wrap.patches, wrap.apart)
    return wrapped(surface, wish, tell)
