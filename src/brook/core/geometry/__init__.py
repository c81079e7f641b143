"""Shapes: what the document says, made into closed outlines with named patches."""

from brook.core.geometry.outlines import outline
from brook.core.geometry.plane import PlaneShape, build_plane
from brook.core.geometry.rings import Edge

__all__ = ["Edge", "PlaneShape", "build_plane", "outline"]
