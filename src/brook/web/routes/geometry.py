"""Geometry: the drawing of a variant and the statements it is made of."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.formulas import FormulaError, names_in, parse
from brook.core.study import Variant
from brook.web.drawing import drawing
from brook.web.pages import BODIES, StateHere, StudioHere, stage, variant_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def names_used(variant: Variant) -> set[str]:
    """Named values that the geometry's formulas mention."""
    geometry = variant.geometry
    texts = [geometry.depth]
    for shape in (geometry.outer, *geometry.shapes):
        texts += [shape.left, shape.bottom, shape.width, shape.height]
    texts += [t for o in geometry.openings for t in (o.start, o.end)]
    names: set[str] = set()
    for text in texts:
        try:
            names |= {r.text for r in names_in(parse(text))}
        except FormulaError:
            continue
    return names


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    if variant is None:
        return {"drawing": None, "names": set()}
    prepared = variant.prepared
    made = drawing(prepared.shape, prepared.boundaries, geometry=prepared.geometry) if prepared.shape else None
    return {"drawing": made, "names": names_used(variant.variant)}


BODIES["geometry"] = body


@router.get("/studies/{slug}/geometry")
@router.get("/studies/{slug}/geometry/{name}")
def geometry(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "geometry", variant_of(state, name), whole=part != "body")
