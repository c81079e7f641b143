"""What pages and programs say of a run without loading its arrays."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from brook.core.mesh import Patch
from brook.core.mesh.opening import BEHIND
from brook.core.results.quantities import View, drawn_of
from brook.core.results.wall_notes import wall_notes, weighted_median
from brook.core.solve import Fields, Outcome
from brook.core.solve.turbulence import CLOSURES
from brook.core.solve.turbulence.two_layer import TwoLayer
from brook.core.study import Study


def run_summary(study: Study, outcome: Outcome) -> dict[str, Any]:
    """What the pages say of a run without loading its arrays."""
    fields, history, turbulence = outcome.fields, outcome.history, study.set_up.turbulence
    view = View(fields)
    two_layer = turbulence is not None and isinstance(CLOSURES[turbulence.kind], TwoLayer)
    ranges = {q: [float(v.min()), float(v.max())] for q in drawn_of(fields) for v in [view.values(q)[0]]}
    thin = max(1, len(history) // 60)
    return {
        "state": outcome.state, "message": outcome.message, "iterations": outcome.iterations,
        "seconds": history.seconds[-1] if len(history) else 0.0, "cells": fields.mesh.cell_count,
        "imbalance": fields.imbalance(), "inflow": fields.inflow(), "backflow": outcome.backflow,
        "steady": outcome.steady, "swing": asdict(outcome.swing) if outcome.swing else None, "left": outcome.left, "ranges": ranges,
        "residual_curve": history.worst[::thin].tolist(),
        "mass_flows": {p.name: fields.mass_flow(p.name) for p in _wet(fields)},
        "flows": {p.name: fields.flow(p.name) for p in _wet(fields)},
        "heat": _heat_of(fields), "heat_sum": _heat_sum(fields), "heat_put": [[p.what, p.body, p.value] for p in outcome.put], "end": history.time[-1] if history.time else None,
        "began": next((words for at, words in history.marks if at == 0), ""),
        "averaged": "fluctuation" in fields.more, "eddies": "eddy_viscosity" in fields.more, "y_plus": _heights(fields),
        "walls": [asdict(note) for note in wall_notes(view, two_layer)],
        "mean_pressures": {p.name: _mean_pressure(fields, p.name) for p in _wet(fields)},
    }  # fmt: skip


def _heights(fields: Fields) -> list[float]:
    """The least, the median by area and the largest y⁺ of first cells at walls; nothing in a laminar run."""
    if "y_plus" not in fields.more:
        return []
    stencil, walls = fields.stencil, fields.more["friction_velocity"][1] > 0
    found = fields.more["y_plus"][1][walls]
    size = np.linalg.norm(stencil.area[stencil.inner :][walls], axis=1)
    return [float(found.min()), weighted_median(found, size), float(found.max())] if len(found) else []


def _heat_of(fields: Fields) -> dict[str, float]:
    """Heat in W out of the bodies through each patch, what flows counted from the coldest temperature; {} without heat."""
    if "heat" not in fields.more:
        return {}
    stencil, leaving = fields.stencil, fields.more["heat"][1]
    lowest = float(fields.more["temperature"][0].min())
    carried = fields.flux[stencil.inner :] * fields.flowing_capacity[stencil.face_cell] * lowest
    return {
        p.name: float((leaving - carried)[stencil.boundary_faces(p)].sum())
        for p in stencil.patches if not p.name.endswith(BEHIND)
    }  # fmt: skip


def _heat_sum(fields: Fields) -> float:
    """Heat in W out of all bodies together: what sources set free, once nothing gets warmer."""
    return float(fields.more["heat"][1].sum()) if "heat" in fields.more else 0.0


def _wet(fields: Fields) -> list[Patch]:
    """Patches that a fluid touches."""
    stencil = fields.stencil
    return [p for p in stencil.patches if fields.viscosity[stencil.face_cell[stencil.boundary_faces(p)]].any()]


def _mean_pressure(fields: Fields, patch_name: str) -> float:
    patch = fields.mesh.patch(patch_name)
    values = fields.boundary_pressure[fields.stencil.boundary_faces(patch)]
    return float(np.average(values, weights=fields.mesh.face_areas(patch.faces)))
