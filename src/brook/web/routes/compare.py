"""Compare: one view of every variant, two in one picture, curves of all, the table, and inputs line by line."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.checks import declared_patches
from brook.core.editing import input_lines
from brook.core.results.quantities import OwnQuantity
from brook.web.pages import BODIES, StateHere, StudioHere, stage
from brook.web.routes.results import quantities
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def body(studio: Studio, state: StudyState, variant: VariantState | None, a: str = "", b: str = "") -> dict[str, Any]:
    done = [v for v in state.variants if v.run.summary is not None]
    kept = {tuple(v.run.summary.get("moments") or ()) for v in done if v.run.summary}
    return {
        "moments": list(next(iter(kept))) if len(kept) == 1 else [], "apart": len(kept) > 1,
        "done": done, "quantities": quantities([v.run.summary for v in done if v.run.summary], _own(done)),
        "plate": None, "inputs": inputs(state, a, b), "every_patch": sorted(declared_patches(state.study)),
    }  # fmt: skip


def inputs(state: StudyState, a: str, b: str) -> dict[str, Any]:
    """What differs between two variants; the first two when none are named."""
    names = [v.variant.name for v in state.variants]
    if len(names) < 2:
        return {}
    one, other = state.variant(a if a in names else names[0]), state.variant(b if b in names else names[1])
    lines, same = input_lines(state.study, one.variant, other.variant)
    return {
        "a": one.variant.name, "b": other.variant.name, "title_a": one.variant.title, "title_b": other.variant.title,
        "lines": lines, "same": same,
    }  # fmt: skip


def _own(done: list[VariantState]) -> dict[str, OwnQuantity]:
    return done[0].prepared.places.own if done else {}


BODIES["compare"] = body


@router.get("/studies/{slug}/compare")
def compare(
    studio: StudioHere, state: StateHere, part: str = "", plate: str = "", a: str = "", b: str = ""
) -> HTMLResponse:
    shown = next((p for p in state.study.plates if p.name == plate), None)
    more: dict[str, Any] = {"plate": shown, "inputs": inputs(state, a, b)}
    return stage(studio, state, "compare", None, whole=part != "body", **more)
