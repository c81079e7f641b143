"""Particles on the page of results: where they end, what they wear, their ways, and files of them."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from fastapi.responses import HTMLResponse, Response

from brook.core.results.particles.kernels import MOST_STEPS
from brook.core.study.particles import Particles
from brook.core.units import DIMENSIONS, show
from brook.runs import flights
from brook.web.pages import StateHere, StudioHere, render
from brook.web.routes.exports import download, media_type
from brook.web.routes.readout import ask, source_of
from brook.web.state import StudyState

router = APIRouter()
HOUR = 3600.0
LEFT_OVER = 0.001  # share of particles still on their way that is told


def _said(state: StudyState, which: str) -> Particles:
    for said in state.study.particles:
        if said.name == which:
            return said
    raise HTTPException(404, f"there are no particles '{which}'")


@router.get("/studies/{slug}/results/{name}/particles/{which}/ways.json")
def ways(studio: StudioHere, state: StateHere, name: str, which: str) -> dict[str, Any]:
    """Some of their ways, to be drawn."""
    return {"ways": ask(studio, flights.ways, source_of(studio, state, name), _said(state, which))}


@router.get("/studies/{slug}/results/{name}/particles/{which}.{suffix}")
def export(studio: StudioHere, state: StateHere, name: str, which: str, suffix: str) -> Response:
    """Each particle and each face that was hit, as a table."""
    kind = media_type(suffix)
    content = ask(studio, flights.export_flight, suffix, source_of(studio, state, name), _said(state, which))
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-{name}-{which}.{suffix}"))


@router.get("/studies/{slug}/results/{name}/particles/{which}")
def flight(studio: StudioHere, state: StateHere, name: str, which: str) -> HTMLResponse:
    """What comes of a flight, or why there is none."""
    said, source = _said(state, which), source_of(studio, state, name)
    try:
        found = ask(studio, flights.flights, source, said)
    except HTTPException as error:
        if error.status_code not in (422, 503):  # what cannot fly, or takes too long
            raise
        return render("results/flight.html", {"why": str(error.detail), "f": {}})
    return render("results/flight.html", {"why": "", "f": _shown(found, said)})


def _shown(found: dict[str, Any], said: Particles) -> dict[str, Any]:
    time, mass = DIMENSIONS["time"], DIMENSIONS["mass_flow"]
    says = []
    if found["outside"]:
        says.append(f"{found['outside']} of {said.number} begin outside of the fluid and were not followed.")
    late = sum(e["number"] for e in found["ends"] if e["how"] == "still on their way")
    if late > LEFT_OVER * max(1, found["number"]):
        says.append(
            f"{late} of {found['number']} were still on their way when they were given up, after {said.seconds} or {MOST_STEPS:,} steps: they may go round somewhere; draw their ways to see where."
        )
    ends = [
        {
            "how": e["how"], "patch": e["patch"], "number": e["number"], "share": f"{100 * e['share']:.3g} %", "mass": f"{100 * e['mass']:.3g} %",
            "seconds": [show(v, time) for v in e["seconds"]], "warn": e["how"] == "still on their way",
        }
        for e in found["ends"]
    ]  # fmt: skip
    walls = [
        {
            "patch": w["patch"], "hit": show(w["hit"], mass), "power": show(w["power"], DIMENSIONS["power"]), "worn": f"{show(w['worn'] * HOUR, DIMENSIONS['mass_flow']).replace('/s', '/h')}",
            "deepest": f"{1e6 * HOUR * w['deepest']:.3g} µm/h", "at": ", ".join(show(v, DIMENSIONS["length"]) for v in w["at"]),
        }
        for w in found["walls"]
    ]  # fmt: skip
    return {"ends": ends, "walls": walls, "says": says, "wears": said.wear != "none" and said.kind == "grains"}
