"""What the command field finds: pages, variants, patches, settings, plates, plots and actions."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.checks import declared_patches
from brook.core.editing import place_words
from brook.core.study import DocumentError, Study
from brook.web.pages import OF_VARIANT, PAGES, StateHere, StudioHere, VisitorHere, ident, render, seen_by
from brook.web.state import StudyState
from brook.web.studio import Studio

router = APIRouter()
# Where the values of a part of the document are changed.
HOMES = {
    "brief": "", "requirements": "", "places": "", "named_values": "", "mesh_plan": "/mesh", "set_up": "/set-up",
    "run_rules": "/run", "plots": "/results", "fields": "/results",
}  # fmt: skip
SKIPPED = {
    "format",
    "version",
    "name",
    "kind",
    "range",
    "position_range",
    "value_range",
    "position",
    "camera",
    "quantity",
}

Entry = dict[str, Any]


def settings(study: Study) -> list[tuple[str, str]]:
    """(pointer, page address within the study) of every value that a page lets change."""
    raw = study.model_dump(mode="json")
    found: list[tuple[str, str]] = []

    def walk(part: Any, pointer: str, home: str) -> None:
        if isinstance(part, dict):
            for key, inner in part.items():
                if key not in SKIPPED or not isinstance(inner, str | int | float):
                    walk(inner, f"{pointer}/{key}", home)
        elif isinstance(part, list):
            for k, inner in enumerate(part):
                walk(inner, f"{pointer}/{k}", home)
        elif part is not None:
            found.append((pointer, home))

    for part, home in HOMES.items():
        walk(raw[part], f"/{part}", home)
    for k, variant in enumerate(raw["variants"]):
        for part in ("named_values", "geometry"):
            walk(variant[part], f"/variants/{k}/{part}", f"/geometry/{variant['name']}")
    return found


def entries(state: StudyState) -> list[Entry]:
    """Everything that can be found in a study, the likeliest kinds first."""
    base, study = f"/studies/{state.row.slug}", state.study
    found: list[Entry] = []

    def add(kind: str, words: str, href: str = "", post: str = "", **values: str) -> None:
        found.append({"kind": kind, "words": words, "href": href, "post": post, "values": values})

    for key, words in PAGES:
        add("page", words, base if key == "board" else f"{base}/{key}")
    add("page", "History", f"{base}/history")
    add("page", "Evidence", "/evidence")
    add("page", "Shortcuts", "/shortcuts")
    add("page", "All studies", "/")
    add("action", "Bring all up to date", post=f"{base}/bring-up-to-date")
    add("action", "Undo", post=f"{base}/undo")
    add("action", "Redo", post=f"{base}/redo")
    add("action", "Add a plain variant", post=f"{base}/act/add_variant", title="New variant")
    for v in state.variants:
        name, title = v.variant.name, v.variant.title
        for key, words in PAGES:
            if key in OF_VARIANT:
                add("variant", f"{title}: {words}", f"{base}/{key}/{name}")
        add("action", f"Run {title}", post=f"{base}/bring-up-to-date", only=name)
        add("action", f"Clone {title}", post=f"{base}/act/add_variant", source=name)
        if v.is_busy:
            add("action", f"Stop {title} and keep its fields", post=f"{base}/stop-run", only=name)
            add("action", f"Pause {title}", post=f"{base}/pause-run", only=name)
        if v.is_paused:
            add("action", f"Go on with {title}", post=f"{base}/continue-run", only=name)
    for plate in study.plates:
        add("plate", f"{plate.title}: all variants", f"{base}/compare?plate={plate.name}")
        for v in state.variants:
            add("plate", f"{plate.title}: {v.variant.title}", f"{base}/results/{v.variant.name}?plate={plate.name}")
    titled = [(p.name, p.title) for p in study.plots] + [(p.name, p.title) for p in study.courses]
    for name, title in titled:
        add("plot", title, f"{base}/compare#plot-{name}")
    for patch in sorted(declared_patches(study)):
        add("patch", patch.replace("_", " "), f"{base}/set-up")
    for name in ("readings.csv", "readings.xlsx", "forces.csv", "ledger.csv", "document.json"):
        add("file", name, f"{base}/{name}")
    for pointer, home in settings(study):
        add("setting", place_words(study, pointer), f"{base}{home}#{ident(pointer)}")
    return found


@router.get("/studies/{slug}/find.json")
def find(state: StateHere) -> list[Entry]:
    return entries(state)


def _title(studio: Studio, slug: str) -> str:
    try:
        return studio.store.study(slug).title
    except DocumentError:
        return slug


@router.get("/find.json")
def find_study(studio: StudioHere, visitor: VisitorHere) -> list[Entry]:
    """On the shelf: studies, and the pages that belong to none."""
    rows = seen_by(studio, visitor)
    found = [{"kind": "study", "words": _title(studio, r.slug), "href": f"/studies/{r.slug}"} for r in rows]
    others = [
        ("Run desk", "/desk"),
        ("Room", "/room"),
        ("Library", "/library"),
        ("Calculators", "/calculators"),
        ("Evidence", "/evidence"),
    ]
    found += [{"kind": "page", "words": words, "href": href} for words, href in others]
    found.append({"kind": "page", "words": "Shortcuts", "href": "/shortcuts"})
    return [{"post": "", "values": {}, **entry} for entry in found]


@router.get("/shortcuts")
def shortcuts() -> HTMLResponse:
    return render("shortcuts/page.html", {})
