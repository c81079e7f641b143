"""Mesh: the plan in statements, what it will cost, the mesh and its quality."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.checks.limits import reachable
from brook.core.formulas import FormulaError
from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES
from brook.core.mesh.boxes import SpaceEstimate
from brook.core.mesh.boxes.octree import MOST_BOXES
from brook.core.mesh.files import MESH_FORMATS
from brook.core.mesh.lines import Estimate, estimate
from brook.core.mesh.quality import LIMITS, WORDS
from brook.core.physics.plate import friction_speed
from brook.core.results.wall_notes import share_at
from brook.core.stages import expected
from brook.core.stages.following import FAR_OFF, far_off
from brook.core.study.space import has_own_mesh
from brook.core.units import DIMENSIONS, show
from brook.web.pages import BODIES, StateHere, StudioHere, stage, variant_of
from brook.web.shapes import making_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def bars(histogram: dict[str, list[float]], width: float = 200, height: float = 34) -> list[tuple[float, float, float]]:
    """(x, width, height) of the bars of a histogram, heights by square root so that few show too."""
    counts = histogram["counts"]
    most = max(counts) or 1
    step = width / len(counts)
    return [(k * step, step - 1, height * (c / most) ** 0.5 if c else 0.0) for k, c in enumerate(counts)]


def _space_estimate(studio: Studio, state: StudyState, variant: VariantState) -> SpaceEstimate | None:
    """What the mesh of a shape in space would cost; None while its body is not known or its plan not sound."""
    making = making_of(studio, state, variant)
    if making is None or making.state != "done":
        return None
    return expected.in_space(variant.prepared, (making.said or {}).get("bodies", []))


def _layer_notes(variant: VariantState) -> list[str]:
    """Of the layers, and of each group with its own: how thick they are together, or the first of them."""
    layers = variant.prepared.plan.layers
    return [] if layers is None else [_layer_note(variant, group) for group in (layers, *layers.groups)]


def _layer_note(variant: VariantState, layers: Any) -> str:
    if None in (layers.height, layers.growth, layers.y_plus, layers.speed, layers.long):
        return ""
    times = sum(layers.growth**k for k in range(layers.number))
    if layers.height_of == "y_plus":
        fluid = variant.prepared.fluid
        if fluid is None:
            return ""
        friction, speed = friction_speed(layers, fluid)
        first = 2 * layers.y_plus * fluid.kinematic_viscosity / speed
        reynolds = layers.speed * layers.long / fluid.kinematic_viscosity
        return (
            f"Re {reynolds:.2g}, c_f = 0.027 / Re^(1/7) = {friction:.2g}, u_τ {show(speed, DIMENSIONS['speed'])}: "
            f"the first {show(first, DIMENSIONS['length'])}, all together {show(first * times, DIMENSIONS['length'])}"
        )
    if layers.height_of == "first":
        return f"all together {show(layers.height * times, DIMENSIONS['length'])}"
    return f"the first {show(layers.height / times, DIMENSIONS['length'])}"


def _found_walls(variant: VariantState) -> dict[str, Any]:
    """Where first centres lay in the last run, of walls with layers, with the y⁺ that was `wanted` and the `share` that has it."""
    layers, summary = variant.prepared.plan.layers, variant.run.summary
    if layers is None or summary is None:
        return {}
    walls = []
    for wall in summary.get("walls", ()):
        group = next((g for g in layers.groups if wall["patch"] in g.patches), layers)
        if group is layers and layers.patches and wall["patch"] not in layers.patches:
            continue
        wanted = group.y_plus if group.height_of == "y_plus" else None
        share = share_at(wall["percentiles"], wanted) if wanted and wall.get("percentiles") else None
        walls.append({**wall, "wanted": wanted, "share": share})
    return {"found_walls": walls}


def _estimates(state: StudyState) -> dict[str, Estimate]:
    found = {}
    for v in state.variants:
        plan = v.prepared.plan
        values = (plan.bulk, plan.wall, plan.growth)
        if (
            plan.way == "lines"
            and v.prepared.shape is not None
            and None not in values
            and plan.growth > 1
            and plan.wall <= plan.bulk
        ):
            found[v.variant.name] = estimate(v.prepared.shape, plan)
    return found


def _reachable(state: StudyState, variant: VariantState | None) -> list[tuple[str, str]]:
    """Readings with their titles to which a flow carries something that boxes may follow for their sake."""
    found: list[tuple[str, str]] = []
    if variant is None:
        return found
    for requirement in state.study.requirements:
        with suppress(FormulaError):
            if reachable(requirement.reading, state.study, variant.prepared.places, variant.prepared.scope):
                found.append((requirement.reading, requirement.title))
    return found


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    measures = []
    if variant is not None and variant.mesh.summary is not None:
        summary = variant.mesh.summary
        for name, (words, unit) in WORDS.items():
            histogram = summary["histograms"][name]
            measures.append({
                "words": words, "unit": unit, "worst": summary["worst"][name], "limit": LIMITS[name][0],
                "bars": bars(histogram), "low": histogram["edges"][0], "high": histogram["edges"][-1],
            })  # fmt: skip
    found: dict[str, Any] = {"estimates": _estimates(state), "measures": measures, "space_estimate": None, "sized": [], "paired": [],
                             "words": WORDS, "layer_notes": [], "mesh_formats": MESH_FORMATS, "most_cells": MOST_BOXES, "own_mesh": False, "boxes": False,
                             "has_solids": False, "found_walls": [], "far_off": far_off, "far_off_words": FAR_OFF,
                             "readings": [("", "any reading"), *_reachable(state, variant)]}  # fmt: skip
    if variant is None:
        return found
    geometry: Any = variant.variant.geometry
    found["own_mesh"] = has_own_mesh(geometry)
    found["paired"] = [p for p in sorted(variant.prepared.patches or ()) if p not in (PLANE_SIDES, WEDGE_SIDES)]
    found["boxes"] = geometry.kind == "space" or state.study.mesh_plan.way == "boxes"
    if found["boxes"] and not found["own_mesh"]:
        in_space = geometry.kind == "space"
        found["space_estimate"] = (
            _space_estimate(studio, state, variant) if in_space else expected.in_plane(variant.prepared)
        )
        found["has_solids"] = in_space and any(b.holds == "solid" for b in geometry.bodies)
        found["sized"] = sorted(variant.prepared.patches or ())
        found["layer_notes"] = _layer_notes(variant)
        found |= _found_walls(variant)
    return found


BODIES["mesh"] = body


@router.get("/studies/{slug}/mesh")
@router.get("/studies/{slug}/mesh/{name}")
def mesh(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "mesh", variant_of(state, name), whole=part != "body")
