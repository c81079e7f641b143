"""Meshes of refined boxes, kept whole and fitted to the surface."""

from brook.core.mesh.boxes.build import Sizes, build
from brook.core.mesh.boxes.estimate import SpaceEstimate, estimate
from brook.core.mesh.boxes.layers import Layers
from brook.core.mesh.boxes.octree import MeshError

__all__ = ["Layers", "MeshError", "Sizes", "SpaceEstimate", "build", "estimate"]
