"""How rough a wall is."""

from __future__ import annotations

from brook.core.study.base import Length, Part, PatchName


class RoughWall(Part):
    """A wall feels as if sand grains of a `height` lay on it as densely as they can (Nikuradse 1933)."""

    patch: PatchName
    height: Length = "0.1 mm"
