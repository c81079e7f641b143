"""Results: fields on the canvas, readings, and the ledger of flow."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import HTMLResponse

from brook.core.checks import declared_patches
from brook.core.results.quantities import (
    DRAWN,
    OF_AVERAGES,
    OF_EDDIES,
    OF_HEAT,
    QUANTITIES,
    OwnQuantity,
    QuantityKind,
    known_of,
)
from brook.core.study import Problem, resolve
from brook.core.study.boundaries import STICKING
from brook.core.units import DIMENSIONS, LADDERS, even_unit, scale_of, sensible_unit, show
from brook.runs import ledgers as runs_ledgers
from brook.runs import loads as runs_loads
from brook.runs import space_readout
from brook.runs.profiles import corners_of
from brook.web.fans import fan_graphs
from brook.web.ledgers import accounts_shown
from brook.web.loads import MOST_PATCHES, UNITS, loads_shown
from brook.web.pages import BODIES, StateHere, StudioHere, render, stage, variant_of
from brook.web.routes.readout import ask, source_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
IN_SPACE = ("averaged_velocity_z", "vorticity_x", "vorticity_y")  # nothing in a drawing
GROUPS = {
    "Heat": OF_HEAT, "Turbulence": OF_EDDIES, "Averages": OF_AVERAGES,
    "Gradients": ("vorticity", "vorticity_x", "vorticity_y", "vorticity_size", "strain_rate", "friction_loss", "q_criterion", "pressure_gradient"),
}  # fmt: skip


def quantities(runs: list[dict[str, Any]], own: dict[str, OwnQuantity] | None = None) -> list[dict[str, Any]]:
    """The quantities that can be drawn, each with the unit that suits the values of these runs.

    Those that no run wrote down come with all units of their kind, for the page to choose from.
    """
    found = []
    for name in ("temperature", *(n for n in DRAWN if n != "temperature")):
        if name in ("velocity_z", "temperature") and not (runs and all(name in run["ranges"] for run in runs)):
            continue
        kind = QUANTITIES[name]
        size = max((abs(v) for run in runs for v in run["ranges"][name]), default=0.0)
        if kind.dimension == QUANTITIES["speed"].dimension:
            size = max((run["ranges"]["speed"][1] for run in runs), default=size)
        unit = sensible_unit(kind.dimension, 0.3 * size)
        found.append(_option(kind, unit))
    if own is None:
        return found
    warm, averaged, eddies = (
        bool(runs) and all(run.get(word) for run in runs) for word in ("heat", "averaged", "eddies")
    )
    made = [k for n, k in known_of(warm, averaged, eddies).items() if k.drawn and n not in DRAWN]
    if not (runs and all("velocity_z" in run["ranges"] for run in runs)):
        made = [kind for kind in made if kind.name not in IN_SPACE]
    made.sort(key=lambda kind: kind.name not in OF_AVERAGES)
    flat = not (runs and all("velocity_z" in run["ranges"] for run in runs))
    mine = [o.kind for o in own.values() if o.kind.drawn and not (flat and o.kind.on == ("patch",))]
    for kind in made + mine:
        made_of = own[kind.name].text or kind.name if kind.name in own else kind.name
        units = LADDERS.get(kind.dimension, (sensible_unit(kind.dimension, 0),))
        if kind.name in own and own[kind.name].text:  # by formula, and maybe a difference
            units = tuple(map(even_unit, units))
        ladder = [[unit, *scale_of(unit)] for unit in units]
        found.append({**_option(kind, units[0]), "ladder": ladder, "made_of": made_of})
    return found


def _option(kind: QuantityKind, unit: str) -> dict[str, Any]:
    factor, shift = scale_of(unit)
    group = next(
        (group for group, names in GROUPS.items() if kind.name in names),
        "Flow" if kind.name in QUANTITIES else "Carried, and your own",
    )
    return {"name": kind.name, "words": kind.words, "group": group, "signed": kind.signed, "unit": unit, "factor": factor, "shift": shift,
            "made_of": "", "ladder": []}  # fmt: skip


def profile_lines(state: StudyState, variant: VariantState) -> list[dict[str, Any]]:
    """Lines of all plots from corner to corner in m, for the canvas; where others lie is known when they have been read."""
    found = []
    axes = 2 if variant.variant.geometry.kind != "space" else 3
    for plot in state.study.plots:
        for line in plot.lines:
            problems: list[Problem] = []
            resolved = resolve(line, variant.prepared.scope, "", problems)
            if line.kind == "line" and not problems:
                title = line.title if len(plot.lines) > 1 else plot.title
                found.append({"title": title, "places": corners_of(resolved)[:, :axes].tolist()})
    return found


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    summary = variant.run.summary if variant else None
    if variant is None or summary is None:
        return {
            "quantities": [],
            "others": [],
            "patches": [],
            "profile_lines": [],
            "plate": None,
            "every_patch": [],
            "passed": [],
            "fans": {},
        }
    shape = variant.prepared.shape
    return {
        "quantities": quantities([summary], variant.prepared.places.own),
        "profile_lines": profile_lines(state, variant),
        "plate": None,
        "fans": fan_graphs(variant),
        "passed": sorted((p for p, flow in summary["flows"].items() if flow), key=lambda p: summary["flows"][p]),
        "every_patch": sorted(declared_patches(state.study)),
        "others": [v for v in state.variants if v is not variant and v.run.summary is not None],
        "patches": [p for p, flow in summary["flows"].items() if flow] or (list(shape.patches) if shape else []),
    }


BODIES["results"] = body


@router.get("/studies/{slug}/results")
@router.get("/studies/{slug}/results/{name}")
def results(
    studio: StudioHere, state: StateHere, name: str | None = None, part: str = "", plate: str = ""
) -> HTMLResponse:
    shown = next((p for p in state.study.plates if p.name == plate), None)
    variant = variant_of(state, name)
    more: dict[str, Any] = {"plate": shown} if variant is not None and variant.run.summary is not None else {}
    return stage(studio, state, "results", variant, whole=part != "body", **more)


@router.get("/studies/{slug}/results/{name}/forces")
def forces(
    studio: StudioHere, state: StateHere, name: str, patch: Annotated[list[str] | None, Query(max_length=MOST_PATCHES)] = None, asked: str = "",
    unit: str = "", axis: Annotated[int, Query(ge=0, le=2)] = 0, way: Annotated[int, Query(ge=0, le=2)] = 0,
) -> HTMLResponse:  # fmt: skip
    """The panel of forces, fetched by the page once it stands; at first of all walls together."""
    variant = state.variant(name)
    flows = (variant.run.summary or {}).get("flows", {})
    chosen = patch or [] if asked else _held(variant, [p for p, flow in flows.items() if not flow])
    axes = 2 if variant.variant.geometry.kind == "plane" else 3
    axis, way = min(axis, axes - 1), min(way, axes - 1)
    found = ask(studio, runs_loads.loads, source_of(studio, state, name), tuple(chosen), axis)
    about = ", ".join(
        show(v, DIMENSIONS["length"], given=True) for v in variant.prepared.places.references.about[:axes]
    )
    return render("results/forces.html", {
        "loads": loads_shown(found, unit, axis, way), "slug": state.row.slug, "name": name, "units": ("", *UNITS), "unit": unit, "about": about,
    })  # fmt: skip


def _held(variant: VariantState, walls: list[str]) -> list[str]:
    """Of patches that nothing flows through those of which a requirement asks for a force, or all that the fluid sticks to."""
    asked = " ".join(r.requirement.reading for r in variant.readings)
    found = [p for p in walls if any(f"{p}.{what}" in asked for what in ("force_", "drag_", "lift_", "moment_"))]
    slips = {b.patch for b in variant.prepared.said if b.kind not in STICKING}
    return found or [p for p in walls if p not in slips]


@router.get("/studies/{slug}/results/{name}/ledgers")
def ledgers(studio: StudioHere, state: StateHere, name: str) -> HTMLResponse:
    """What goes where, fetched by the page once it stands."""
    put = (state.variant(name).run.summary or {}).get("heat_put", [])
    found = ask(studio, runs_ledgers.ledgers, source_of(studio, state, name), put)
    return render("results/ledgers.html", {"accounts": accounts_shown(found)})


@router.get("/studies/{slug}/results/{name}/above")
def above(studio: StudioHere, state: StateHere, name: str, quantity: str = "speed", level: str = "") -> HTMLResponse:
    """Where a quantity of a run in space is above a level: how much of the fluid, and how large the surface round it is."""
    source = source_of(studio, state, name)
    why = ""
    found: dict[str, float] = {}
    try:
        found = ask(studio, space_readout.above, source, quantity, level) if level.strip() else {}
    except HTTPException as error:
        if error.status_code != 422:
            raise
        why = str(error.detail)
    variant = state.variant(name)
    own = variant.prepared.places.own
    kind = QUANTITIES.get(quantity) or own[quantity].kind
    return render("results/above.html", {"above": found, "why": why, "kind": kind})
