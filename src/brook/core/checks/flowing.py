"""What a flow through a drawing will be like, from what is said to enter."""

from __future__ import annotations

from typing import Any

from brook.core.checks.advice import Flowing, advice
from brook.core.checks.preparing import Prepared, prepare
from brook.core.geometry.plane import PlaneShape
from brook.core.study import Study
from brook.core.study.placed import Placed


def lengths_of(shape: PlaneShape) -> dict[str, float]:
    """How long each patch of a drawing is, in m."""
    lengths: dict[str, float] = {}
    for edge in shape.edges():
        lengths[edge.patch] = lengths.get(edge.patch, 0.0) + edge.length
    return lengths


def flow_numbers(prepared: Prepared) -> dict[str, Any] | None:
    """Mean inflow speed in m/s, Reynolds number by the inlet's height, volume flow in m³/s, turnovers per hour."""
    shape, fluid = prepared.shape, prepared.fluid
    if shape is None or fluid is None:
        return None
    lengths = lengths_of(shape)
    for boundary in prepared.boundaries:
        length = lengths.get(boundary.patch)
        if not length or boundary.kind not in ("velocity", "flow", "mass"):
            continue
        given = getattr(boundary, "speed", None) or getattr(boundary, "volume_flow", None)
        if boundary.kind == "mass" and boundary.mass_flow is not None:
            given = boundary.mass_flow / fluid.density
        if given is None or isinstance(given, Placed):
            continue
        speed = given if boundary.kind == "velocity" else given / (length * shape.depth)
        flow = speed * length * shape.depth
        return {
            "speed": speed, "reynolds": speed * length / fluid.kinematic_viscosity, "flow": flow, "length": length,
            "turnover": shape.area * shape.depth / flow, "by": "the height of the inlet",
        }  # fmt: skip
    return None


def looked_at(study: Study) -> list[tuple[str, str]]:
    """Places and words of all that keeps no variant from running and is to be looked at all the same, each once."""
    found: dict[tuple[str, str], None] = {}
    for variant in study.variants:
        prepared = prepare(study, variant)
        told = flow_numbers(prepared) or {}
        flowing = Flowing(told.get("speed", 0.0), told.get("reynolds", 0.0))
        found |= {(a.path, a.message): None for a in advice(study, prepared, [], flowing)}
    return list(found)
