"""A run of a variant."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from brook.core.checks import Prepared
from brook.core.mesh import Mesh
from brook.core.solve import (
    Checkpoint,
    Outcome,
    Rules,
    Watch,
    run_in_time,
    run_steady,
)  # fmt: skip
from brook.core.solve.energy import EnergyEquation
from brook.core.solve.flow import FlowSolver
from brook.core.solve.put import Put
from brook.core.solve.run import UNWATCHED, Monitor
from brook.core.solve.still import SolidSolver
from brook.core.stages.assembly import flow_of
from brook.core.stages.beginning import with_velocities
from brook.core.stages.in_time import conditions_in_time, fastest, timing_of
from brook.core.stages.readings import followed, is_readable, reads_flights, watched_value
from brook.core.stages.within import heat_put
from brook.core.study import Study


def rules_of(prepared: Prepared) -> Rules:
    """When a run of a variant may stop."""
    rules = prepared.rules
    return Rules(rules.residual, rules.monitor_change, rules.monitor_window, rules.iterations)


def solve(
    study: Study,
    prepared: Prepared,
    mesh: Mesh,
    watch: Watch = UNWATCHED,
    start: Checkpoint | None = None,
    enough: dict[str, float] | None = None,
) -> Outcome:
    """Runs the flow of a variant; every requirement is a monitor. `start` is a state on the same mesh; a steady run may end as soon as no reading has more
    to come than is `enough` (SI units), which has to be said of all."""
    assert prepared.fluid is not None
    flow, stencil = flow_of(study, prepared, mesh)
    if start is None and prepared.start.kind == "formula" and isinstance(flow, FlowSolver):
        begun = with_velocities(flow, prepared.start)
        start = begun if prepared.timing.kind == "steady" else None
    flow.reference_speed = max(flow.reference_speed, fastest(study, prepared, stencil))
    monitors: dict[str, Monitor] = {
        r.name: partial(watched_value, r, prepared)
        for r in study.requirements
        if is_readable(r, prepared) and not reads_flights(r, prepared)
    }
    if prepared.timing.kind != "steady":  # what a plot follows besides decides nothing
        monitors |= followed(study, prepared)
    if prepared.timing.kind == "steady":
        rules = rules_of(prepared)
        if enough and {r.name for r in study.requirements} == set(monitors) <= set(enough):
            rules = replace(rules, enough=dict(enough))
        outcome = run_steady(flow, rules, monitors, watch, start)
    else:
        conditions = conditions_in_time(study, prepared, stencil)
        outcome = run_in_time(flow, timing_of(prepared), monitors, watch, start, conditions)
    return replace(outcome, put=tuple(_put(study, prepared, flow, outcome)))


def _put(study: Study, prepared: Prepared, flow: FlowSolver | SolidSolver, outcome: Outcome) -> list[Put]:
    """Heat that came in at the end of a run otherwise than through patches."""
    time = outcome.history.time[-1] if outcome.history.time else 0.0
    found = heat_put(study, prepared, outcome.fields.mesh, time)
    if isinstance(flow, FlowSolver):
        for equation in flow.model.equations:
            if isinstance(equation, EnergyEquation):
                found += equation.put(flow)
    return found
