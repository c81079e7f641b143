"""The library of materials: search, values in a state, each over temperatures, where it is used; and materials of one's own."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse
from markupsafe import escape

from brook.core.editing.pointers import walk
from brook.core.formulas import FormulaError
from brook.core.materials.catalogue import SUBSTANCES
from brook.core.materials.library import ATMOSPHERE
from brook.core.materials.solids import FINISHES, LISTED, PAINTS
from brook.core.study import named_scope, resolve
from brook.core.study.document import study_from
from brook.core.units import DIMENSIONS, show
from brook.store.materials import drop_material, keep_material
from brook.web.materials import fluid_rows, kept_rows, places_of, solid_rows, told_fluid, typed
from brook.web.pages import AuthorHere, StateHere, StudioHere, VisitorHere, render, seen_by

router = APIRouter()
NO_STUDY = study_from({"format": "brook-study", "version": 1, "title": "none"})
ROOM = 293.15  # K, at which formulas of the temperature are tried
OWN_KINDS = ("own", "gas", "own_solid")


@router.get("/library")
def page(
    studio: StudioHere,
    visitor: VisitorHere,
    search: str = "",
    temperature: str = "20 degC",
    pressure: str = "101325 Pa",
    part: str = "",
) -> HTMLResponse:
    """All of it, or what a search finds."""
    told: dict[str, Any] = {
        "search": search[:80],
        "temperature": temperature[:40],
        "pressure": pressure[:40],
        "wrong": {},
    }
    state = {"temperature": 293.15, "pressure": ATMOSPHERE}
    for name in state:
        try:
            state[name] = typed(told[name], name)
        except FormulaError as error:
            told["wrong"][name] = str(error)
    places = places_of(seen_by(studio, visitor))
    told["at"] = " and ".join(show(state[name], DIMENSIONS[name], given=True) for name in state)
    found = {
        "fluids": fluid_rows(state["temperature"], state["pressure"], told["search"]), "solids": solid_rows(told["search"]),
        "kept": kept_rows(studio.store, told["search"]), "used": {name: len(where) for name, where in places.items()},
        "finishes_source": FINISHES, "paints": PAINTS,
    }  # fmt: skip
    return render("library/rows.html" if part == "rows" else "library/page.html", {**told, **found})


@router.get("/library/{name}")
def one(studio: StudioHere, visitor: VisitorHere, name: str, pressure: str = "101325 Pa") -> HTMLResponse:
    """A substance or a solid, with where it is used."""
    used = places_of(seen_by(studio, visitor)).get(name, [])
    if name in LISTED:
        return render(
            "library/solid.html",
            {"key": name, "listed": LISTED[name], "used": used, "finishes_source": FINISHES, "paints": PAINTS},
        )
    if name not in SUBSTANCES:
        raise HTTPException(404, f"the library has no '{name}'")
    wrong, told = "", {}
    try:
        told = told_fluid(name, typed(pressure[:40], "pressure"))
    except FormulaError as error:
        wrong = str(error)
    except ValueError:
        wrong = f"nothing is known of {SUBSTANCES[name].title.lower()} at this pressure"
    context = {"told": told or told_fluid(name, ATMOSPHERE), "used": used, "pressure": pressure[:40], "wrong": wrong}
    return render("library/fluid.html", context)


@router.post("/library/{number}/drop")
def drop(studio: StudioHere, number: int) -> RedirectResponse:
    """Takes a material of one's own out of the library."""
    drop_material(studio.store, number)
    return RedirectResponse("/library", status_code=303)


@router.post("/studies/{slug}/keep-material")
def keep(
    studio: StudioHere, state: StateHere, author: AuthorHere, pointer: Annotated[str, Form(max_length=120)]
) -> HTMLResponse:
    """Keeps a material of a study for all studies; says under which title, or why not."""
    try:
        said: Any = walk(state.study.model_dump(mode="json"), pointer)
    except (LookupError, ValueError):
        said = None
    if not isinstance(said, dict) or said.get("kind") not in OWN_KINDS or not pointer.startswith("/set_up/"):
        return _told("this is no material of one's own", "wrong")
    problems: list[Any] = []
    resolve(_part(state, pointer), named_scope(NO_STUDY, None), "", problems, ROOM)
    if problems:
        return _told(
            f"not kept: {escape(problems[0].message)}; other studies do not know the names of this one", "wrong"
        )
    before = keep_material(studio.store, said, author.name)
    return _told(f"kept in the <a href='/library'>library</a>{' instead of what was there' if before else ''}", "")


def _part(state: StateHere, pointer: str) -> Any:
    set_up = state.study.set_up
    return set_up.fluid if pointer == "/set_up/fluid" else set_up.materials[pointer.rpartition("/")[2]]


def _told(words: str, kind: str) -> HTMLResponse:
    role = "alert" if kind else "status"
    return HTMLResponse(f'<span class="kept {kind}" role="{role}">{words}</span>')
