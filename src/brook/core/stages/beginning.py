"""A run that begins with the fields of another one, on another mesh and of another shape even, or with velocities by formula."""

from __future__ import annotations

import numpy as np

from brook.core.checks import Prepared
from brook.core.mesh import Mesh
from brook.core.results.carrying import Carrying
from brook.core.results.quantities import View
from brook.core.solve import Checkpoint, Fields
from brook.core.solve.flow import FlowSolver
from brook.core.solve.history import History
from brook.core.solve.still import SolidSolver
from brook.core.stages.assembly import flow_of, run_mesh
from brook.core.study import Resolved, Study
from brook.core.study.placed import at_places

BEGUN = "began with the fields of the run that the boxes follow"
BY_FORMULA = "began with velocities by formula"
BEYOND = 0.1  # of the volume: so much may lie where the other mesh has no cell
# arrays of equations by the names that fields have for them; of what has no name here, a scalar, `value` is that of its own name
NAMES = {
    ("heat", "value"): "temperature",
    ("turbulence", "k"): "turbulent_energy",
    ("turbulence", "omega"): "dissipation_rate",
    ("turbulence", "eddy"): "eddy_viscosity",
}


def begun_with(study: Study, prepared: Prepared, mesh: Mesh, fields: Fields, mark: str = BEGUN) -> Checkpoint | None:
    """The state in which a run begins with fields of another mesh, made to keep mass; where that has no cell, with those nearest to it. None
    where that mesh does not have every body of this one, or where much of this one lies beyond it. The history has a `mark` of it."""
    flow, whole = flow_of(study, prepared, mesh)[0], run_mesh(prepared, mesh)
    if not set(whole.bodies) <= set(fields.mesh.bodies):
        return None
    carry, view = Carrying(fields.mesh, whole), View(fields)
    if float(whole.volume @ carry.beyond) > BEYOND * float(whole.volume.sum()):
        return None
    if isinstance(flow, SolidSolver):
        state = flow.state()
        state[flow.name]["value"] = _carried(flow.name, "value", state[flow.name]["value"], fields, carry)
        flow.restore(state)
        return Checkpoint.of(flow, History(()), 0).going_on(mark, anew=True)
    every = carry  # of heat, which is also in bodies in which nothing flows
    if flow.stencil.mesh.bodies != whole.bodies:
        carry = Carrying(fields.mesh, flow.stencil.mesh)
    velocity = np.stack([carry(fields.velocity[:, k], view.velocity_slope[:, k]) for k in range(3)], axis=1)
    state = {
        name: {
            part: _carried(name, part, values, fields, every if name == "heat" else carry)
            for part, values in arrays.items()
        }
        for name, arrays in flow.state().items()
    }
    for equation in flow.model.equations:
        mine = state[equation.name]
        if getattr(equation, "per_volume", False):  # pages show it for each m³, what is carried is for each kg
            mine["value"] = mine["value"] / flow.medium.density
        equation.restore(mine, flow)
    pressure = carry(fields.pressure, view.slope("pressure"))
    if flow.model.frame is not None:
        pressure -= flow.model.frame.borne(flow.stencil.mesh.centre, flow.model.frame.density)
    flow.start_from(velocity, pressure)
    return Checkpoint.of(flow, History(()), 0).going_on(mark, anew=True)


def with_velocities(flow: FlowSolver, start: Resolved) -> Checkpoint:
    """The state of a flow, which takes over velocities by formula."""
    centre = flow.stencil.mesh.centre
    parts = (start.velocity_x, start.velocity_y, start.velocity_z)
    flow.start_from(np.stack([at_places(part, centre) for part in parts], axis=1), flow.pressure)
    return Checkpoint.of(flow, History(()), 0).going_on(BY_FORMULA, anew=True)


def _carried(equation: str, part: str, values: np.ndarray, fields: Fields, carry: Carrying) -> np.ndarray:
    name = NAMES.get((equation, part), equation if part == "value" else "")
    if name not in fields.more:
        return values
    known = fields.more[name][0]
    return carry(known, low=0.0 if known.min() >= 0 else -np.inf)
