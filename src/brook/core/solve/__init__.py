"""From a mesh, a fluid and boundary conditions to fields and histories."""

from brook.core.solve.checkpoint import Checkpoint
from brook.core.solve.fields import Fields
from brook.core.solve.flow import Diverged, FlowSolver
from brook.core.solve.history import Forecast, History, Rules, forecast
from brook.core.solve.model import FlowModel, GivenForce
from brook.core.solve.run import Outcome, Watch, run_steady
from brook.core.solve.settings import Settings
from brook.core.solve.setup import boundary_conditions
from brook.core.solve.transient import Timing, run_in_time

__all__ = [
    "Checkpoint", "Diverged", "Fields", "FlowModel", "FlowSolver", "Forecast", "GivenForce", "History", "Outcome", "Rules",
    "Settings", "Timing", "Watch", "boundary_conditions", "forecast", "run_in_time", "run_steady",
]  # fmt: skip
