"""The polyhedral mesh, the ways to make one, and its quality."""

from brook.core.mesh.polyhedral import PLANE_SIDES, WEDGE_SIDES, Mesh, Patch
from brook.core.mesh.quality import Quality, measure

__all__ = ["PLANE_SIDES", "WEDGE_SIDES", "Mesh", "Patch", "Quality", "measure"]
