"""From a mesh, a fluid and boundary conditions to fields and histories."""

from brook.core.solve.fields import Fields
from brook.core.solve.flow import Diverged, SteadyFlow
from brook.core.solve.run import History, Outcome, Rules, run_steady
from brook.core.solve.setup import boundary_conditions

__all__ = ["Diverged", "Fields", "History", "Outcome", "Rules", "SteadyFlow", "boundary_conditions", "run_steady"]
