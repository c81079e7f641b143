"""Meshes of refined boxes, kept whole and fitted to the surface."""

from brook.core.mesh.boxes.build import Sizes, build
from brook.core.mesh.boxes.estimate import SpaceEstimate, estimate
from brook.core.mesh.boxes.layers import Layers
from brook.core.mesh.boxes.octree import MeshError
from brook.core.mesh.boxes.zones import Box, Near, Rod

__all__ = ["Box", "Layers", "MeshError", "Near", "Rod", "Sizes", "SpaceEstimate", "build", "estimate"]
