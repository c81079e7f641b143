"""What is looked at in space: cuts, surfaces of equal value, places, curves, streamlines, one mesh seen from another."""

from brook.core.results.space.curves import Curve, curve, piece_at, section_means, widened
from brook.core.results.space.locator import Locator
from brook.core.results.space.middle import middle_line
from brook.core.results.space.rounds import belts, rims
from brook.core.results.space.streamlines import Line, from_patch, streamlines
from brook.core.results.space.surfaces import (
    Polygons,
    area,
    corner_values,
    crossed_cells,
    iso_surface,
    mean_over,
    plane_cut,
    point_values,
    volume_above,
)

__all__ = [
    "Curve", "Line", "Locator", "Polygons", "area", "belts", "corner_values", "crossed_cells", "curve", "from_patch", "iso_surface", "mean_over", "middle_line", "piece_at", "plane_cut",
    "point_values", "rims", "section_means", "streamlines", "volume_above", "widened",
]  # fmt: skip
