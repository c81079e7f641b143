"""Triangle surfaces in three dimensions."""

from brook.core.geometry.surface.triangles import Edges, Surface, surface_of, welded

__all__ = ["Edges", "Surface", "surface_of", "welded"]
