"""Mesh: the plan in statements, what it will cost, the mesh and its quality."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.mesh import boxes
from brook.core.mesh.boxes import SpaceEstimate
from brook.core.mesh.lines import Estimate, estimate
from brook.core.mesh.quality import LIMITS, WORDS
from brook.core.pipeline import space_layers, space_sizes
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
    prepared = variant.prepared
    making = making_of(studio, state, variant)
    if making is None or making.state != "done" or prepared.space is None or prepared.space.patches is None:
        return None
    bodies = [b for b in (making.said or {}).get("bodies", ()) if not b["problem"]]
    if not bodies or [p for p in prepared.problems if p.path.startswith("/mesh_plan")]:
        return None
    areas = {p["name"]: p["area"] for p in bodies[0]["patches"]}
    layers = space_layers(state.study, prepared, tuple(areas))
    return boxes.estimate(bodies[0]["volume"], areas, space_sizes(prepared, tuple(areas)), layers)


def _layer_note(variant: VariantState) -> str:
    """How thick all layers are together, or the first of them."""
    layers = variant.prepared.plan.layers
    if layers is None or None in (layers.height, layers.growth):
        return ""
    times = sum(layers.growth**k for k in range(layers.number))
    if layers.height_of == "first":
        return f"all together {show(layers.height * times, DIMENSIONS['length'])}"
    return f"the first {show(layers.height / times, DIMENSIONS['length'])}"


def _estimates(state: StudyState) -> dict[str, Estimate]:
    found = {}
    for v in state.variants:
        plan = v.prepared.plan
        values = (plan.bulk, plan.wall, plan.growth)
        if v.prepared.shape is not None and None not in values and plan.growth > 1 and plan.wall <= plan.bulk:
            found[v.variant.name] = estimate(v.prepared.shape, plan)
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
    found: dict[str, Any] = {"estimates": _estimates(state), "measures": measures, "space_estimate": None, "sized": [],
                             "words": WORDS, "layer_note": ""}  # fmt: skip
    if variant is not None and variant.variant.geometry.kind == "space":
        found["space_estimate"] = _space_estimate(studio, state, variant)
        found["sized"] = sorted(variant.prepared.patches or ())
        found["layer_note"] = _layer_note(variant)
    return found


BODIES["mesh"] = body


@router.get("/studies/{slug}/mesh")
@router.get("/studies/{slug}/mesh/{name}")
def mesh(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "mesh", variant_of(state, name), whole=part != "body")
