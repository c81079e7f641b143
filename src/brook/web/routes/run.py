"""Runs: one variant's run live, its rules, and what can be done with it."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse

from brook.core.results.readings import unit_of_number
from brook.core.stages.readings import dimension_of_monitor
from brook.core.units import scale_of, sensible_unit
from brook.web.pages import BODIES, StateHere, StudioHere, Told, stage, variant_of
from brook.web.routes.results import quantities
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
GONE = "There is nothing to go on from; run it from the start."


def monitor_units(state: StudyState, variant: VariantState) -> list[dict[str, Any]]:
    """Name, title, unit, and factor and shift from SI of each monitor's curve, for the pages' plots."""
    found = []
    for reading in variant.readings:
        dimension = dimension_of_monitor(reading.requirement, variant.prepared)
        if dimension is None:
            continue
        swings = reading.requirement.course == "frequency"  # its value and unit are those of the frequency
        unit = "" if swings else reading.requirement.unit
        value = 0 if swings else reading.value or 0
        unit = unit or (unit_of_number(value) if dimension.is_none else sensible_unit(dimension, value))
        factor, shift = scale_of(unit) if unit else (1.0, 0.0)
        found.append({"name": reading.requirement.name, "title": reading.requirement.title, "unit": unit,
                      "factor": factor, "shift": shift})  # fmt: skip
    return found


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    if variant is None:
        return {"monitors": [], "picture": None, "quantities": []}
    picture = _picture(studio, variant)
    shown = picture["ranges"] if picture else {}
    return {
        "monitors": monitor_units(state, variant), "picture": picture,
        "quantities": quantities([{"ranges": shown}]) if picture else [],
    }  # fmt: skip


def _picture(studio: Studio, variant: VariantState) -> dict[str, Any] | None:
    """What field to show beside the curves: the newest of the run under way, or its last."""
    if variant.job is not None and (variant.is_busy or variant.is_paused):
        try:
            about = json.loads((studio.store.files.of_run(variant.job.id).live / "about.json").read_text())
        except (OSError, ValueError):
            return None
        return {**about, "live": True}
    if variant.run.summary is None:
        return None
    summary = variant.run.summary
    return {
        "mesh_key": summary["mesh_key"],
        "iteration": summary["iterations"],
        "ranges": summary["ranges"],
        "live": False,
    }


BODIES["run"] = body


@router.get("/studies/{slug}/run")
@router.get("/studies/{slug}/run/{name}")
def run(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "run", variant_of(state, name), whole=part != "body")


@router.post("/studies/{slug}/bring-up-to-date")
def bring_up_to_date(
    studio: StudioHere, state: StateHere, page: Annotated[str, Form()], name: Annotated[str, Form()] = "",
    only: Annotated[str, Form()] = "", until: Annotated[str, Form()] = "readings", anew: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    """Queues one variant, or all that need it, and shows the page as it is then."""
    slug = state.row.slug
    wanted = [only] if only else [v.variant.name for v in state.variants]
    for one in wanted:
        variant_of(state, one)
    queued = studio.bring_up_to_date(slug, wanted, "mesh" if until == "mesh" else "readings", anew == "yes")
    after = studio.state(slug)
    notice = "" if queued else _why_nothing(after, wanted)
    return stage(studio, after, _page(page), variant_of(after, name or None), whole=False, told=Told(notice=notice))


def _why_nothing(state: StudyState, wanted: list[str]) -> str:
    problems = [p.message for n in wanted for p in state.variant(n).prepared.problems]
    return f"Not started: {problems[0]}." if problems else "Everything is up to date or under way."


@router.post("/studies/{slug}/{what}-run")
def change_run(
    studio: StudioHere, state: StateHere, what: Literal["stop", "pause", "continue"], page: Annotated[str, Form()],
    only: Annotated[str, Form()], name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    """Stops a run and keeps its fields, pauses it, or goes on from where the newest one ended."""
    variant_of(state, only)
    slug, notice = state.row.slug, ""
    if what == "continue":
        if not studio.go_on(slug, only):
            notice = _why_nothing(state, [only]) if state.variant(only).prepared.problems else GONE
    else:
        (studio.stop if what == "stop" else studio.pause)(slug, only)
    after = studio.state(slug)
    return stage(studio, after, _page(page), variant_of(after, name or None), whole=False, told=Told(notice=notice))


def _page(page: str) -> str:
    return page if page in BODIES else "board"
