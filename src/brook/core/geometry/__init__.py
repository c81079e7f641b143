"""Shapes: what the document says, made into closed outlines with named patches."""

from brook.core.geometry.outlines import outline
from brook.core.geometry.plane import Edge, PlaneShape, build_plane

__all__ = ["Edge", "PlaneShape", "build_plane", "outline"]
