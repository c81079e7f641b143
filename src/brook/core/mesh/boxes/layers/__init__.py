"""Thin cells along walls: the mesh within is drawn back, and what is between is filled layer by layer."""

from brook.core.mesh.boxes.layers.growing import Layers, grow

__all__ = ["Layers", "grow"]
