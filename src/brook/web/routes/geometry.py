"""Geometry: the drawing of a variant and the statements it is made of."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Form, Query
from fastapi.responses import HTMLResponse

from brook.core.checks import prepare
from brook.core.editing import EditRefused, handles, set_values
from brook.core.editing.space import FRESH
from brook.core.formulas import FormulaError, names_in, parse
from brook.core.geometry.files import FORMATS
from brook.core.geometry.steps import WORDS
from brook.core.mesh.files import MESH_FORMATS
from brook.core.study import Variant, formulas_of
from brook.core.study.space import SpaceGeometry, has_own_mesh
from brook.web.drawing import Drawing, Frame, drawing, thumbnail
from brook.web.pages import BODIES, StateHere, StudioHere, stage, templates, variant_of
from brook.web.routes.shapes import UNWRAPPED, Misfit, tried
from brook.web.shapes import (
    STEP_KINDS,
    headline,
    making_of,
    patch_rows,
    step_words,
    unit_choices,
    view_data,
)  # fmt: skip
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


def body(
    studio: Studio, state: StudyState, variant: VariantState | None, trial: str = ""
) -> dict[str, Any]:  # fmt: skip
    if variant is None:
        return {"drawing": None, "names": set(), "handles": [], "small": None}
    prepared = variant.prepared
    if variant.variant.geometry.kind == "space":
        return {"names": names_used(variant.variant), "small": None, **space_body(studio, state, variant, trial)}
    made = drawing(prepared.shape, prepared.said, geometry=prepared.geometry) if prepared.shape else None
    return {
        "drawing": made, "names": names_used(variant.variant), "small": thumbnail_of(variant),
        "handles": [asdict(h) for h in handles(state.study, variant.variant)],
    }  # fmt: skip


def space_body(studio: Studio, state: StudyState, variant: VariantState, trial: str) -> dict[str, Any]:
    """What the page of a shape in space shows; with a step that is tried, the shape as it would be."""
    shown, problem = (state, variant), ""
    if trial:
        try:
            shown = tried(studio, state, variant.variant.name, trial)
        except Misfit as error:
            problem = f"This step cannot be done: {error}."
    geometry = variant.variant.geometry
    assert isinstance(geometry, SpaceGeometry)
    making = making_of(studio, *shown)
    order = making.order if making is not None else None
    found: dict[str, Any] = {
        "making": making, "said": making.said if making is not None and order is not None else None, "trial": trial, "trial_problem": problem, "unwrapped": trial == UNWRAPPED,
        "swap": None, "formats": FORMATS, "mesh_formats": MESH_FORMATS, "own_mesh": has_own_mesh(variant.variant.geometry), "step_kinds": [(WORDS[kind], {"kind": kind, **step}) for kind, step in STEP_KINDS.items()], "solid_kinds": list(FRESH), "rows": [],
        "headline": ("", ""), "view_data": "", "notes": {}, "trial_note": None, "units": {},
        "axes": [(a, a) for a in ("x", "y", "z", "-x", "-y", "-z")],
        "trial_words": step_words(json.loads(trial)) if trial and trial != UNWRAPPED and not problem else "",
    }  # fmt: skip
    if making is None or making.said is None or order is None:
        return found
    said = making.said
    rows = patch_rows(said, variant.prepared.said, geometry.colours)
    before = (
        variant.prepared.space.key
        if trial and trial != UNWRAPPED and making.state == "done" and variant.prepared.space is not None
        else ""
    )
    notes = {n["pointer"]: n for n in said["notes"]}
    last = max((k for k in notes if k.startswith("/steps/")), key=lambda k: int(k[7:]), default="")
    found |= {
        "rows": rows, "headline": headline(said, has_own_mesh(variant.variant.geometry)), "view_data": view_data(said, rows, order, geometry.tunnel, before), "notes": notes,
        "units": {p: unit_choices(n["more"]) for p, n in notes.items() if "sizes" in n["more"]},
        "trial_note": notes.get(last) if making.state == "done" else None,
    }  # fmt: skip
    return found


def thumbnail_of(variant: VariantState) -> Drawing | None:
    prepared = variant.prepared
    return thumbnail(prepared.shape, prepared.boundaries) if prepared.shape else None


templates.globals["thumbnail_of"] = thumbnail_of


BODIES["geometry"] = body


@router.get("/studies/{slug}/geometry")
@router.get("/studies/{slug}/geometry/{name}")
def geometry(
    studio: StudioHere, state: StateHere, name: str | None = None, part: str = "",
    trial: Annotated[str, Query(alias="try", max_length=4000)] = "",
) -> HTMLResponse:  # fmt: skip
    variant = variant_of(state, name)
    more = body(studio, state, variant, trial) if trial and variant is not None else {}
    return stage(studio, state, "geometry", variant, whole=part != "body", **more)


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
    made = drawing(prepared.shape, prepared.said, geometry=prepared.geometry, frame=at)
    small = thumbnail(prepared.shape, prepared.boundaries)
    label = f"Drawing of {variant.variant.title}"
    return {
        "drawing": templates.get_template("geometry/preview.html").render(d=made, label=label),
        "thumbnail": templates.get_template("geometry/thumbnail.html").render(d=small, label=label),
    }  # fmt: skip
