"""Calculators: small sums before a run, each with its formula and where that stands; in a study with its fluid and flow, and what is found can be kept there."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse

from brook.core.editing import EditRefused
from brook.core.physics.reckoning import CALCULATORS, Calculator
from brook.core.study import named_scope
from brook.core.study.document import study_from
from brook.web.pages import BODIES, AuthorHere, StateHere, StudioHere, render, stage, variant_of
from brook.web.reckoned import card, known_of
from brook.web.routes.set_up import numbers_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
NO_STUDY = study_from({"format": "brook-study", "version": 1, "title": "none"})


def _cards(studio: Studio, state: StudyState, variant: VariantState | None) -> list[dict[str, Any]]:
    known = known_of(variant, numbers_of(studio, state, variant) if variant else None)
    scope = named_scope(state.study, variant.variant if variant else None)
    return [card(calculator, {}, known, scope, state.row.slug) for calculator in CALCULATORS.values()]


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    """Of the page in a study."""
    return {"cards": _cards(studio, state, variant)}


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
def page(studio: StudioHere, state: StateHere, variant: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "calculators", variant_of(state, variant), whole=part != "body")


@router.get("/studies/{slug}/calculators/{name}")
def within(studio: StudioHere, state: StateHere, name: str, request: Request) -> HTMLResponse:
    """A card for what was typed, in a study, whose named values may stand there."""
    variant = state.variants[0] if state.variants else None
    scope = named_scope(state.study, variant.variant if variant else None)
    known = known_of(variant, numbers_of(studio, state, variant) if variant else None)
    return render("calculators/card.html", {"card": card(_named(name), dict(request.query_params), known, scope, state.row.slug)})  # fmt: skip


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


def _named(name: str) -> Calculator:
    if name not in CALCULATORS:
        raise HTTPException(404, f"there is no calculator '{name}'")
    return CALCULATORS[name]
