"""Meshes of cells in rows, put together from dimensions."""

from __future__ import annotations

from collections.abc import Callable

from brook.core.mesh.ordered import collar, sheet, tube
from brook.core.mesh.ordered.drawn import OrderedError
from brook.core.mesh.polyhedral import Mesh
from brook.core.study import Resolved

BUILD: dict[str, Callable[[Resolved], Mesh]] = {"sheet": sheet.build, "collar": collar.build, "tube": tube.build}


def build(part: Resolved) -> Mesh:
    """The mesh of a resolved part of a kind in `ORDERED`. Raises `OrderedError` for one that cannot be made."""
    mesh = BUILD[part.kind](part)
    bad = int((mesh.volume <= 0).sum())
    if bad:
        x, y, z = mesh.centre[int(mesh.volume.argmin())]
        raise OrderedError(
            f"{bad} cells of {part.name} are turned inside out, the first near ({x:.4g}, {y:.4g}, {z:.4g}) m: "
            "its edges cross, or the rows bend too far"
        )
    return mesh


__all__ = ["OrderedError", "build"]
