"""Results: fields on the canvas, readings, and the ledger of flow."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.results.quantities import DRAWN, QUANTITIES
from brook.core.units import sensible_unit, unit_factor
from brook.web.pages import BODIES, StateHere, StudioHere, stage, variant_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def quantities(runs: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The quantities that can be drawn, each with the unit that suits the values of these runs."""
    found = []
    for name in DRAWN:
        kind = QUANTITIES[name]
        size = max((abs(v) for run in runs for v in run["ranges"][name]), default=0.0)
        if kind.dimension == QUANTITIES["speed"].dimension:
            size = max((run["ranges"]["speed"][1] for run in runs), default=size)
        unit = sensible_unit(kind.dimension, 0.3 * size)
        found.append({"name": name, "words": kind.words, "signed": kind.signed, "unit": unit,
                      "factor": 1 / unit_factor(unit)[0]})  # fmt: skip
    return found


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    summary = variant.run.summary if variant else None
    return {"quantities": quantities([summary]) if summary else []}


BODIES["results"] = body


@router.get("/studies/{slug}/results")
@router.get("/studies/{slug}/results/{name}")
def results(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "results", variant_of(state, name), whole=part != "body")
