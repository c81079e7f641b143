"""Meshes of refined boxes, kept whole and fitted to the surface."""

from brook.core.mesh.boxes.bodies import Solid, build_bodies
from brook.core.mesh.boxes.build import Sizes, build
from brook.core.mesh.boxes.core import Arrays, Keep
from brook.core.mesh.boxes.estimate import SpaceEstimate, estimate, estimate_plane
from brook.core.mesh.boxes.following import Following, following
from brook.core.mesh.boxes.layers import Layers
from brook.core.mesh.boxes.octree import MeshError
from brook.core.mesh.boxes.plane import build_plane
from brook.core.mesh.boxes.sheets import doubled
from brook.core.mesh.boxes.zones import Box, Near, Rod

__all__ = [
    "Arrays",
    "Box",
    "Following",
    "Keep",
    "Layers",
    "MeshError",
    "Near",
    "Rod",
    "Sizes",
    "Solid",
    "SpaceEstimate",
    "build",
    "build_bodies",
    "build_plane",
    "doubled",
    "estimate",
    "estimate_plane",
    "following",
]  # fmt: skip
