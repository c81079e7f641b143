"""Mesh: the plan in statements, what it will cost, the mesh and its quality."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.mesh.lines import Estimate, estimate
from brook.core.mesh.quality import LIMITS, WORDS
from brook.web.pages import BODIES, StateHere, StudioHere, stage, variant_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def bars(histogram: dict[str, list[float]], width: float = 200, height: float = 34) -> list[tuple[float, float, float]]:
    """(x, width, height) of the bars of a histogram, heights by square root so that few show too."""
    counts = histogram["counts"]
    most = max(counts) or 1
    step = width / len(counts)
    return [(k * step, step - 1, height * (c / most) ** 0.5 if c else 0.0) for k, c in enumerate(counts)]


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
    return {"estimates": _estimates(state), "measures": measures}


BODIES["mesh"] = body


@router.get("/studies/{slug}/mesh")
@router.get("/studies/{slug}/mesh/{name}")
def mesh(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "mesh", variant_of(state, name), whole=part != "body")
