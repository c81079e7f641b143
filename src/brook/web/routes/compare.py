"""Compare: the same view of every variant with one colour range, and the table."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.results.quantities import OwnQuantity
from brook.web.pages import BODIES, StateHere, StudioHere, stage
from brook.web.routes.results import quantities
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    done = [v for v in state.variants if v.run.summary is not None]
    return {"done": done, "quantities": quantities([v.run.summary for v in done if v.run.summary], _own(done))}


def _own(done: list[VariantState]) -> dict[str, OwnQuantity]:
    return done[0].prepared.places.own if done else {}


BODIES["compare"] = body


@router.get("/studies/{slug}/compare")
def compare(studio: StudioHere, state: StateHere, part: str = "") -> HTMLResponse:
    return stage(studio, state, "compare", None, whole=part != "body")
