"""How sure: the series of meshes behind each reading, and what is computed over several runs so that readings have bands or verdicts stand."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse

from brook.core.formulas import FormulaError
from brook.core.results.readings import show_reading
from brook.core.stages.readings import dimension_of_reading
from brook.core.study import Study, Value, named_scope, value_at
from brook.core.study.variants import series_of
from brook.store.tables import AimRow
from brook.web.aims import Wanted
from brook.web.forecasting import Costs, told_time
from brook.web.pages import BODIES, StateHere, StudioHere, Told, stage, variant_of
from brook.web.series_picture import series_picture
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
TIME = Value("time", "positive")
NOT_KNOWN = {"bands": "", "decide": ""}  # what aims would cost, where nothing can be computed
FINEST = (0, -1, -2)  # steps, of what may be asked for


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    if variant is None:
        return {"series": []}
    return {"series": [_series(variant, k) for k in range(len(variant.readings))]}


def _series(variant: VariantState, k: int) -> dict[str, Any]:
    """What the page shows of one reading."""
    reading = variant.readings[k]
    dimension = dimension_of_reading(reading.requirement, variant.prepared)
    rows = []
    for v in variant.every_size:
        own = v.own[k]
        rows.append({
            "name": v.variant.name, "size": v.size_words or "as planned", "cells": v.mesh.summary["cells"] if v.mesh.summary else None,
            "state": v.run.summary["state"] if v.run.summary else "", "message": v.job.message if v.failed and v.job else "",
            "iterations": v.run.summary["iterations"] if v.run.summary else None, "shown": own.shown, "fresh": own.fresh,
        })  # fmt: skip
    extrapolated = ""
    if (
        reading.sure is not None
        and reading.sure.mesh.extrapolated is not None
        and reading.half is not None
        and dimension is not None
    ):
        extrapolated = show_reading(reading.sure.mesh.extrapolated, dimension, reading.requirement.shown_in)
    return {"reading": reading, "rows": rows, "picture": series_picture(variant, reading), "extrapolated": extrapolated}


BODIES["sure"] = body


@router.get("/studies/{slug}/sure")
@router.get("/studies/{slug}/sure/{name}")
def sure(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "sure", variant_of(state, name), whole=part != "body")


def aim_context(studio: Studio, state: StudyState) -> dict[str, Any]:
    """What the board says of the aim of a study, and what aims would cost."""
    aim = studio.aims.newest(state.row.id)
    under_way = aim is not None and aim.state == "under way"
    return {"aim": aim, "aim_says": progress(studio, aim) if aim is not None and under_way else "", "costs": NOT_KNOWN if under_way else _costs(state)}  # fmt: skip


def progress(studio: Studio, aim: AimRow) -> str:
    runs = studio.store.runs_of(list(aim.tried.values()))
    done = sum(run.ended is not None for run in runs)
    limit = f" of at most {told_time(aim.said['seconds'])} of computing" if aim.said.get("seconds") else ""
    return f"{done} of {len(runs)} runs so far have ended{limit}; what is next is seen as they end"


def _costs(state: StudyState) -> dict[str, str]:
    """About how much computing both kinds would take with what there is."""
    costs = Costs(state)

    def needed(name: str, sizes: list[int]) -> float:
        return sum(costs.seconds(name, k) for k in sizes if not state.variant(name).is_sound_at(k))

    ready = [v.variant.name for v in state.variants if v.prepared.ready]
    if not ready:
        return NOT_KNOWN
    whole = sum(needed(name, series_of(0)) for name in ready)
    coarse = sum(needed(name, series_of(2)) for name in ready)
    if not whole:
        return {"bands": "", "decide": ""}
    most = coarse + sum(needed(name, [0]) for name in ready)
    least, last = told_time(coarse), told_time(most)
    return {
        "bands": told_time(whole),
        "decide": f"at most {last}" if not coarse else f"about {last}" if least == last else f"{least} to {last}",
    }


def seconds_of(study: Study, within: str) -> tuple[float, str]:
    """A limit on time in s, 0 for none, or what is wrong with it."""
    try:
        return (value_at(within, TIME, named_scope(study, None)) if within.strip() else 0.0), ""
    except FormulaError as error:
        return 0.0, f"the limit on time: {error.message}"


@router.post("/studies/{slug}/aims")
def begin(
    studio: StudioHere, state: StateHere, kind: Annotated[str, Form()], within: Annotated[str, Form(max_length=60)] = "",
    finest: Annotated[int, Form()] = 0, only: Annotated[str, Form()] = "", page: Annotated[str, Form()] = "board",
    name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    """Takes up an aim; the page comes back with it under way, or with why not."""
    errors: dict[str, tuple[str, str]] = {}
    notice = ""
    seconds, wrong = seconds_of(state.study, within)
    if wrong:
        errors["aim"] = (within, wrong)
    if kind not in ("bands", "decide") or finest not in FINEST:
        errors["aim"] = (within, "there is nothing of this kind to compute")
    if only:
        variant_of(state, only)
    if not errors:
        notice = studio.aims.begin(state.row.slug, Wanted(kind, [only] if only else [], seconds, finest))
    after = studio.state(state.row.slug)
    typed = {"within": within, "finest": str(finest)}
    shown = page if page in BODIES else "board"
    return stage(
        studio, after, shown, variant_of(after, name or None), whole=False, told=Told(errors, notice, typed=typed)
    )


@router.post("/studies/{slug}/aims/stop")
def stop(
    studio: StudioHere, state: StateHere, page: Annotated[str, Form()] = "board", name: Annotated[str, Form()] = ""
) -> HTMLResponse:
    studio.aims.stop(state.row.slug)
    after = studio.state(state.row.slug)
    return stage(studio, after, page if page in BODIES else "board", variant_of(after, name or None), whole=False)
