"""A run that begins with the fields of another one, on another mesh of the same space."""

from __future__ import annotations

import numpy as np

from brook.core.checks import Prepared
from brook.core.mesh import Mesh
from brook.core.results.carrying import Carrying
from brook.core.results.quantities import View
from brook.core.solve import Checkpoint, Fields
from brook.core.solve.flow import FlowSolver
from brook.core.solve.history import History
from brook.core.stages.assembly import flow_of
from brook.core.study import Study

BEGUN = "began with the fields of the run that the boxes follow"
# arrays of equations by the names that fields have for them; of what has no name here, a scalar, `value` is that of its own name
NAMES = {
    ("heat", "value"): "temperature",
    ("turbulence", "k"): "turbulent_energy",
    ("turbulence", "omega"): "dissipation_rate",
    ("turbulence", "eddy"): "eddy_viscosity",
}


def begun_with(study: Study, prepared: Prepared, mesh: Mesh, fields: Fields) -> Checkpoint | None:
    """The state in which a run begins with fields of another mesh of its space; None where nothing flows, or on a mesh with other bodies."""
    flow, _ = flow_of(study, prepared, mesh)
    if not isinstance(flow, FlowSolver) or flow.stencil.mesh.bodies != fields.mesh.bodies:
        return None
    carry, view = Carrying(fields.mesh, flow.stencil.mesh), View(fields)
    velocity = np.stack([carry(fields.velocity[:, k], view.velocity_slope[:, k]) for k in range(3)], axis=1)
    state = {
        name: {part: _carried(name, part, values, fields, carry) for part, values in arrays.items()}
        for name, arrays in flow.state().items()
    }
    for equation in flow.model.equations:
        mine = state[equation.name]
        if getattr(equation, "per_volume", False):  # pages show it for each m³, what is carried is for each kg
            mine["value"] = mine["value"] / flow.medium.density
        equation.restore(mine, flow)
    flow.start_from(velocity, carry(fields.pressure, view.slope("pressure")))
    return Checkpoint.of(flow, History(()), 0).going_on(BEGUN, anew=True)


def _carried(equation: str, part: str, values: np.ndarray, fields: Fields, carry: Carrying) -> np.ndarray:
    name = NAMES.get((equation, part), equation if part == "value" else "")
    if name not in fields.more:
        return values
    known = fields.more[name][0]
    return carry(known, low=0.0 if known.min() >= 0 else -np.inf)
