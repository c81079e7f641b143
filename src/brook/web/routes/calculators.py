"""Calculators: small sums before a run, each with its formula and where that stands; in a study with its fluid and flow, and what is found can be kept there."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse

from brook.core.checks.flowing import lengths_of
from brook.core.editing import EditRefused
from brook.core.editing.pointers import value_of
from brook.core.editing.putting import spots_for
from brook.core.physics.reckoning import CALCULATORS, Calculator
from brook.core.study import named_scope
from brook.core.study.document import study_from
from brook.web.pages import BODIES, AuthorHere, StateHere, StudioHere, render, stage, variant_of
from brook.web.reckoned import PatchSize, card, known_of
from brook.web.routes.set_up import numbers_of
from brook.web.shapes import making_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
NO_STUDY = study_from({"format": "brook-study", "version": 1, "title": "none"})


def _sizes(studio: Studio, state: StudyState, variant: VariantState | None) -> list[PatchSize]:
    """The patches of a variant that can be picked; one of a drawing has an outline as if it were endless, as flat flows are."""
    if variant is None:
        return []
    shape = variant.prepared.shape
    if shape is not None:
        return [PatchSize(patch, long * shape.depth, 2 * shape.depth) for patch, long in lengths_of(shape).items()]
    making = making_of(studio, state, variant)
    told = making.said.get("patches", ()) if making is not None and making.said else ()
    return [PatchSize(p["name"], p["area"], p["rim"]) for p in told if p.get("rim") and p["area"]]


def _cards(
    studio: Studio, state: StudyState, variant: VariantState | None, picked: str, names: Iterable[str],
    typed: dict[str, str],
) -> list[dict[str, Any]]:  # fmt: skip
    patch = next((size for size in _sizes(studio, state, variant) if size.name == picked), None)
    known = known_of(variant, numbers_of(studio, state, variant) if variant else None, patch)
    scope = named_scope(state.study, variant.variant if variant else None)
    return [
        card(_named(n), typed, known, scope, state.row.slug, state.study, patch.name if patch else "") for n in names
    ]


def body(studio: Studio, state: StudyState, variant: VariantState | None, picked: str = "") -> dict[str, Any]:
    """Of the page in a study."""
    sizes = [size.name for size in _sizes(studio, state, variant)]
    return {
        "cards": _cards(studio, state, variant, picked, CALCULATORS, {}),
        "sizes": sizes,
        "picked": picked if picked in sizes else "",
    }


BODIES["calculators"] = body


@router.get("/calculators")
def alone() -> HTMLResponse:
    """All of them, without a study."""
    scope = named_scope(NO_STUDY, None)
    return render("calculators/alone.html", {"cards": [card(c, {}, {}, scope, "") for c in CALCULATORS.values()]})


@router.get("/calculators/{name}")
def one(name: str, request: Request) -> HTMLResponse:
    """A card for what was typed."""
    return render("calculators/card.html", {"card": card(_named(name), dict(request.query_params), {}, named_scope(NO_STUDY, None), "")})  # fmt: skip


@router.get("/studies/{slug}/calculators")
@router.get("/studies/{slug}/calculators/of/{variant}")
def page(
    studio: StudioHere, state: StateHere, variant: str | None = None, part: str = "", patch: str = ""
) -> HTMLResponse:
    chosen = variant_of(state, variant)
    return stage(studio, state, "calculators", chosen, whole=part != "body", **body(studio, state, chosen, patch))


@router.get("/studies/{slug}/calculators/{name}")
def within(studio: StudioHere, state: StateHere, name: str, request: Request) -> HTMLResponse:
    """A card for what was typed, in a study, whose named values may stand there."""
    variant = state.variants[0] if state.variants else None
    typed = dict(request.query_params)
    (found,) = _cards(studio, state, variant, typed.pop("patch", ""), [name], typed)
    return render("calculators/card.html", {"card": found})


@router.post("/studies/{slug}/calculators/keep")
def keep(
    studio: StudioHere, state: StateHere, author: AuthorHere, name: Annotated[str, Form(max_length=40)], text: Annotated[str, Form(max_length=60)]
) -> HTMLResponse:  # fmt: skip
    """Keeps what was found as a named value of the study; says how it is called there."""
    called, number = name, 1
    while called in state.study.named_values and state.study.named_values[called] != text:
        number += 1
        called = f"{name}_{number}"
    try:
        if called not in state.study.named_values:
            studio.act(state.row.slug, "add_named_value", {"name": called, "value": text}, author)
    except (EditRefused, KeyError) as refused:
        return HTMLResponse(f'<span class="kept wrong" role="alert">not kept: {refused}</span>')
    return HTMLResponse(f'<span class="kept" role="status">kept as <b>{called}</b></span>')


@router.post("/studies/{slug}/calculators/put")
def put(
    studio: StudioHere, state: StateHere, author: AuthorHere, name: Annotated[str, Form(max_length=40)], pointer: Annotated[str, Form(max_length=200)],
    text: Annotated[str, Form(max_length=60)],
) -> HTMLResponse:  # fmt: skip
    """Puts what was found where it belongs in the study; says what stood there."""
    spot = next((s for s in spots_for(state.study, name) if s.pointer == pointer), None)
    if spot is None:
        return HTMLResponse('<span class="kept wrong" role="alert">not put: that place is no longer there</span>')
    was = value_of(state.study, pointer)
    try:
        studio.edit(state.row.slug, {pointer: text}, {}, author)
    except (EditRefused, KeyError) as refused:
        return HTMLResponse(f'<span class="kept wrong" role="alert">not put: {escape(str(refused))}</span>')
    return HTMLResponse(f'<span class="kept" role="status">{escape(spot.words)}: <b>{escape(text)}</b>, was {escape(str(was))}</span>')  # fmt: skip


def _named(name: str) -> Calculator:
    if name not in CALCULATORS:
        raise HTTPException(404, f"there is no calculator '{name}'")
    return CALCULATORS[name]
