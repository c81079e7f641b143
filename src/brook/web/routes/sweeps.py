"""Sweeps: named values between limits, what readings come to over them, which value matters, and the best."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException
from fastapi.responses import HTMLResponse, Response

from brook.core.results.exports import Column, Sheet
from brook.core.results.readings import show_reading, show_swing
from brook.core.stages.readings import dimension_of_reading
from brook.core.study.sweeps import Sweep, count_of
from brook.core.units import show
from brook.web.aims import Wanted
from brook.web.forecasting import BEGINS, Costs, told_time
from brook.web.pages import BODIES, StateHere, StudioHere, Told, stage
from brook.web.routes.exports import download, media_type, written
from brook.web.routes.sure import progress, seconds_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio
from brook.web.sweep_picture import influence, over_one, over_two
from brook.web.sweeps import SIZES, Sample, Swept

router = APIRouter()
MOST_LISTED = 60
WAYS = [("grid", "on a grid"), ("hypercube", "in samples of a Latin hypercube"), ("sobol", "in samples of Sobol's sequence"), ("search", "in search of the best")]  # fmt: skip
CELLS = [("planned", "cells as planned"), ("coarse", "cells twice as large"), ("bands", "three meshes each, for bands")]


def body(
    studio: Studio,
    state: StudyState,
    variant: VariantState | None,
    sweep: str = "",
    of: str = "",
    x: str = "",
    y: str = "",
) -> dict[str, Any]:
    study = state.study
    chosen = next((s for s in study.sweeps if s.name == sweep), study.sweeps[0] if study.sweeps else None)
    found: dict[str, Any] = {
        "sweep": chosen, "known_values": _named(state, chosen), "by_variant": {v.name: _of(state, v.name) for v in study.variants},
        "variant_choices": [(v.name, v.title) for v in study.variants], "ways": WAYS, "cells_of": CELLS, "swept": None,
        "wishes": [(r.name, r.title) for r in study.requirements if r.limit.kind in ("smallest", "largest")],
    }  # fmt: skip
    if chosen is None:
        return found
    pointer = f"/sweeps/{study.sweeps.index(chosen)}"
    wrong = [p for p in state.problems if p.path == pointer or p.path.startswith(f"{pointer}/")]
    aim = studio.aims.newest(state.row.id)
    mine = aim is not None and aim.kind == "sweep" and aim.said.get("sweep") == chosen.name
    found |= {
        "pointer": pointer, "wrong": wrong, "aim": aim if mine else None, "other_aim": aim if aim is not None and not mine and aim.state == "under way" else None,
        "aim_says": progress(studio, aim) if aim is not None and mine else "", "best": None, "rows": [], "count": count_of(chosen) if chosen.values else 0,
    }  # fmt: skip
    if wrong or not study.requirements:
        return found
    return found | _seen(state, Swept(state, chosen), of, x, y)


def _seen(state: StudyState, swept: Swept, of: str, x: str, y: str) -> dict[str, Any]:
    """What is known of a sweep that can be computed."""
    names = [r.name for r in state.study.requirements]
    axes = [v.name for v in swept.sweep.values]
    k = names.index(of) if of in names else names.index(swept.wish[0]) if swept.wish else 0
    first = axes.index(x) if x in axes else 0
    second = (
        axes.index(y) if y in axes and y != axes[first] else next((n for n in range(len(axes)) if n != first), first)
    )
    best, states = swept.best, [s.state for s in swept.samples]
    several = len(axes) > 1
    return {
        "swept": swept, "done": states.count("done"), "failed": states.count("failed"), "busy": states.count("busy"), "known": len(states),
        "cost": told_time(_cost(state, swept)), "of": names[k], "x": axes[first], "y": axes[second],
        "picture": over_two(swept, k, first, second) if several else over_one(swept, k, first),
        "influence": influence(swept) if several and states.count("done") >= max(2 * len(axes) + 2, count_of(swept.sweep) / 2) else [],
        "best": _row(swept, best) if best else None, "nothing_holds": states.count("done") > 0 and best is None,
        "rows": [_row(swept, s) for s in swept.samples if s.state != ""][:MOST_LISTED], "most": MOST_LISTED,
    }  # fmt: skip


def _row(swept: Swept, sample: Sample) -> dict[str, Any]:
    """A sample as a table shows it: its values, and its readings at their worst."""
    values = [swept.value(k, sample.place) for k in range(len(sample.place))]
    readings: list[dict[str, Any]] = []
    for requirement in swept.state.study.requirements:
        there = sample.read.get(requirement.name)
        dimension = dimension_of_reading(requirement, sample.cases[0].prepared)
        if there is None or dimension is None:
            readings.append({"shown": "", "verdict": "", "value": None})
            continue
        half = sample.standing.halves.get(requirement.name)
        shown = show_reading(there[0], dimension, requirement.shown_in) if half is None else show_swing(there[0], half, dimension, requirement.shown_in)  # fmt: skip
        readings.append({"shown": shown, "verdict": there[1].verdict, "value": there[0]})
    message = next((one.job.message for v in sample.cases for one in v.every_size if one.failed and one.job), "")
    return {
        "name": sample.name, "state": sample.state, "message": message, "readings": readings,
        "values": [show(*found) if found else "–" for found in values],
    }  # fmt: skip


def _cost(state: StudyState, swept: Swept) -> float:
    """Seconds of what is left, by what the variant itself takes."""
    costs = Costs(state)
    each = sum(costs.seconds(base.name, k) for base in swept.bases for k in SIZES[swept.sweep.cells])
    taken = [v.run.summary["seconds"] + BEGINS for s in swept.done for v in s.cases if v.run.summary]
    if taken and swept.sweep.cells == "planned":
        each = len(swept.bases) * sum(taken) / len(taken)
    return each * max(0, count_of(swept.sweep) - len(swept.done))


def _of(state: StudyState, variant: str) -> list[str]:
    """Named values of a variant and of the study."""
    mine = state.study.variant(variant).named_values
    return list(dict.fromkeys([*mine, *state.study.named_values]))


def _named(state: StudyState, sweep: Sweep | None) -> list[str]:
    if sweep is None or sweep.variant not in [v.name for v in state.study.variants]:
        return []
    taken = {v.name for v in sweep.values}
    return [name for name in _of(state, sweep.variant) if name not in taken]


BODIES["sweeps"] = body


@router.get("/studies/{slug}/sweeps")
def sweeps(
    studio: StudioHere, state: StateHere, part: str = "", sweep: str = "", of: str = "", x: str = "", y: str = ""
) -> HTMLResponse:
    more = body(studio, state, None, sweep, of, x, y)
    return stage(studio, state, "sweeps", None, whole=part != "body", **more)


@router.get("/studies/{slug}/sweeps/{name}.{suffix}")
def table(studio: StudioHere, state: StateHere, name: str, suffix: str) -> Response:
    """All samples of a sweep with values and readings in SI units."""
    sweep = next((s for s in state.study.sweeps if s.name == name), None)
    if sweep is None:
        raise HTTPException(404, f"there is no sweep '{name}' in this study")
    kind = media_type(suffix, draws=False)
    content = written(studio, suffix, [samples_sheet(Swept(state, sweep))])
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-{name}.{suffix}"))


def samples_sheet(swept: Swept) -> Sheet:
    """One line for each sample; of each reading its value at the worst operating point, half its band and its verdict."""
    samples = swept.samples
    columns = [Column("case", "", [s.name for s in samples])]
    for k, value in enumerate(swept.sweep.values):
        found = [swept.value(k, s.place) for s in samples]
        unit = next((f[1].unit() for f in found if f), "")
        columns.append(Column(value.name, unit, [f[0] if f else None for f in found]))
    columns.append(Column("state", "", [s.state or "waiting" for s in samples]))
    for r in swept.state.study.requirements:
        dimension = dimension_of_reading(r, samples[0].cases[0].prepared) if samples else None
        unit = dimension.unit() if dimension else ""
        there = [s.read.get(r.name) for s in samples]
        columns += [
            Column(r.name, unit, [v[0] if v else None for v in there]),
            Column(f"{r.name}_band", unit, [s.standing.halves.get(r.name) if s.read else None for s in samples]),
            Column(f"{r.name}_verdict", "", [v[1].verdict if v else "" for v in there]),
        ]
    return Sheet("Samples", tuple(columns))


@router.post("/studies/{slug}/sweeps/{name}/compute")
def compute(
    studio: StudioHere, state: StateHere, name: str, within: Annotated[str, Form(max_length=60)] = ""
) -> HTMLResponse:
    """Begins to compute a sweep, or goes on with it."""
    errors: dict[str, tuple[str, str]] = {}
    seconds, wrong = seconds_of(state.study, within)
    if wrong:
        errors["compute"] = (within, wrong)
    known = [s.name for s in state.study.sweeps]
    notice = "" if name in known else "This sweep is not there any more."
    if not errors and not notice:
        notice = studio.aims.begin(state.row.slug, Wanted("sweep", [], seconds, 0, name))
    return _again(studio, state, name, Told(errors, notice, typed={"within": within}))


@router.post("/studies/{slug}/sweeps/{name}/stop")
def stop(studio: StudioHere, state: StateHere, name: str) -> HTMLResponse:
    studio.aims.stop(state.row.slug)
    return _again(studio, state, name, Told())


def _again(studio: Studio, state: StudyState, name: str, told: Told) -> HTMLResponse:
    after = studio.state(state.row.slug)
    return stage(studio, after, "sweeps", None, whole=False, told=told, **body(studio, after, None, name))
