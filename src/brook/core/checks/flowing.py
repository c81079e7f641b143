"""What a flow through a drawing will be like, from what is said to enter."""

from __future__ import annotations

from collections.abc import Mapping
from math import pi
from types import MappingProxyType
from typing import Any

import numpy as np

from brook.core.checks.advice import Flowing, advice
from brook.core.checks.preparing import Prepared, prepare
from brook.core.geometry.plane import PlaneShape
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved, Study
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


def space_numbers(prepared: Prepared, areas: dict[str, float], volume: float) -> dict[str, Any] | None:
    """The same for a shape in space with patches of such `areas` in m² round a `volume` in m³, by the diameter of a circle as large as the patch that the
    flow enters by."""
    fluid = prepared.fluid
    for boundary in prepared.boundaries:
        area = areas.get(boundary.patch, 0.0)
        given = None if fluid is None else _entering(boundary, area, fluid.density)
        if fluid is None or not area or not given:
            continue
        length, flow = 2 * (area / pi) ** 0.5, given * area
        return {
            "speed": given, "reynolds": given * length / fluid.kinematic_viscosity, "flow": flow, "length": length,
            "turnover": volume / flow, "by": f"the diameter that the area of {boundary.patch} would have as a circle",
        }  # fmt: skip
    return None


def _entering(boundary: Resolved, area: float, density: float) -> float | None:
    """The speed in m/s at which a boundary lets in, None where it does not say one that is the same everywhere."""
    if boundary.kind == "stream":
        parts = [boundary.velocity_x, boundary.velocity_y, boundary.velocity_z]
        plain = None not in parts and not any(isinstance(v, Placed) for v in parts)
        return float(sum(v * v for v in parts) ** 0.5) if plain else None
    given = {"velocity": "speed", "flow": "volume_flow", "mass": "mass_flow"}.get(boundary.kind)
    value = None if given is None else getattr(boundary, given)
    if not value or isinstance(value, Placed) or not area:
        return None
    return float({"velocity": value, "flow": value / area, "mass": value / (density * area)}[boundary.kind])


def looked_at(study: Study, shapes: Mapping[str, Surface] = MappingProxyType({})) -> list[tuple[str, str]]:
    """Places and words of all that keeps no variant from running and is to be looked at all the same, each once; `shapes` are those of variants
    in space."""
    found: dict[tuple[str, str], None] = {}
    for variant in study.variants:
        prepared, shape = prepare(study, variant), shapes.get(variant.name)
        told = flow_numbers(prepared) or {}
        if shape is not None:
            areas = np.bincount(shape.patch, shape.areas, len(shape.patches))
            told = (
                space_numbers(prepared, dict(zip(shape.patches, areas.tolist(), strict=True)), abs(shape.volume)) or {}
            )
        flowing = Flowing(told.get("speed", 0.0), told.get("reynolds", 0.0))
        found |= {(a.path, a.message): None for a in advice(study, prepared, [], flowing)}
    return list(found)
