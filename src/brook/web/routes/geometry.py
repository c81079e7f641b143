"""Geometry: the drawing of a variant and the statements it is made of."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse

from brook.core.checks import prepare
from brook.core.editing import EditRefused, handles, set_values
from brook.core.formulas import FormulaError, names_in, parse
from brook.core.study import Variant, formulas_of
from brook.web.drawing import Drawing, Frame, drawing, thumbnail
from brook.web.pages import BODIES, StateHere, StudioHere, stage, templates, variant_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def names_used(variant: Variant) -> set[str]:
    """Named values that the geometry's formulas mention."""
    names: set[str] = set()
    for _, text in formulas_of(variant.geometry):
        try:
            names |= {r.text for r in names_in(parse(text))}
        except FormulaError:
            continue
    return names


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    if variant is None:
        return {"drawing": None, "names": set(), "handles": [], "small": None}
    prepared = variant.prepared
    made = drawing(prepared.shape, prepared.boundaries, geometry=prepared.geometry) if prepared.shape else None
    return {
        "drawing": made, "names": names_used(variant.variant), "small": thumbnail_of(variant),
        "handles": [asdict(h) for h in handles(state.study, variant.variant)],
    }  # fmt: skip


def thumbnail_of(variant: VariantState) -> Drawing | None:
    prepared = variant.prepared
    return thumbnail(prepared.shape, prepared.boundaries) if prepared.shape else None


templates.globals["thumbnail_of"] = thumbnail_of


BODIES["geometry"] = body


@router.get("/studies/{slug}/geometry")
@router.get("/studies/{slug}/geometry/{name}")
def geometry(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "geometry", variant_of(state, name), whole=part != "body")


@router.post("/studies/{slug}/geometry/{name}/preview")
def preview(
    studio: StudioHere, state: StateHere, name: str, pointer: Annotated[list[str], Form(max_length=8)],
    value: Annotated[list[str], Form(max_length=8)], frame: Annotated[list[float], Form(max_length=7)],
) -> dict[str, str]:  # fmt: skip
    """The drawing and the thumbnail as they would be, for a drag under way; changes nothing."""
    variant = variant_of(state, name)
    assert variant is not None
    try:
        study = set_values(state.study, dict(zip(pointer, value, strict=False)))
    except EditRefused as refused:
        return {"problem": refused.problems[0].message}
    except KeyError:
        return {"problem": "this shape was changed meanwhile"}
    prepared = prepare(study, study.variant(name))
    if prepared.shape is None:
        return {"problem": "this shape cannot be built"}
    at = Frame(*frame) if len(frame) == 7 else None
    made = drawing(prepared.shape, prepared.boundaries, geometry=prepared.geometry, frame=at)
    small = thumbnail(prepared.shape, prepared.boundaries)
    label = f"Drawing of {variant.variant.title}"
    return {
        "drawing": templates.get_template("geometry/preview.html").render(d=made, label=label),
        "thumbnail": templates.get_template("geometry/thumbnail.html").render(d=small, label=label),
    }  # fmt: skip
