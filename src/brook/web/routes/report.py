"""The report of a study: seen as it will be, with one's own words in place, and made as PDF, DOCX or web page."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, HTTPException
from fastapi.responses import FileResponse, HTMLResponse

from brook.runs.report.blocks import Heading, changes_between, lines_of, numbered
from brook.runs.report.making import KINDS, ReportOrder, last_made
from brook.web.desk import told_clock
from brook.web.pages import BODIES, StateHere, StudioHere, render, stage
from brook.web.report import SECTIONS, composed
from brook.web.routes.exports import download
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
Suffix = Literal[".pdf", ".docx", ".html"]
TYPES = {
    ".pdf": "application/pdf",
    ".docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    ".html": "text/html",
}


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    """The report by its sections, and what changed since it was last made."""
    report = composed(studio, state)
    names = list(SECTIONS)
    sections: list[dict[str, Any]] = []
    for block, called in numbered(report.blocks):
        if isinstance(block, Heading):
            sections.append({"name": names[len(sections)], "title": block.text, "number": called, "blocks": []})
        else:
            sections[-1]["blocks"].append({"kind": type(block).__name__, "called": called, "of": block})
    made = last_made(studio.store.data, state.row.id)
    return {
        "report": report, "sections": sections, "kinds": KINDS, "made_at": told_clock(_time(made[0])) if made else "",
        "changed": changes_between(made[1], lines_of(report)) if made else [], "figures": sum(b["kind"] == "Figure" for s in sections for b in s["blocks"]),
    }  # fmt: skip


def _time(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=None)


BODIES["report"] = body


@router.get("/studies/{slug}/report")
def report(studio: StudioHere, state: StateHere, part: str = "") -> HTMLResponse:
    return stage(studio, state, "report", None, whole=part != "body")


@router.post("/studies/{slug}/report/made")
def begin(studio: StudioHere, state: StateHere, kind: Annotated[Suffix, Form()] = ".pdf") -> HTMLResponse:
    """Puts a report in the row of what is made."""
    made = composed(studio, state)
    last = last_made(studio.store.data, state.row.id)
    order = studio.orders.begin(ReportOrder(state.row.slug, state.row.id, made.since(last), kind))
    return _shown(state.row.slug, order, studio.orders.told(order) or {})


@router.get("/studies/{slug}/report/made/{order}")
def how_far(studio: StudioHere, state: StateHere, order: str) -> HTMLResponse:
    told = studio.orders.told(order)
    if told is None:
        raise HTTPException(404, "this is no longer kept; make it anew")
    return _shown(state.row.slug, order, told)


@router.post("/studies/{slug}/report/made/{order}/stop")
def stop(studio: StudioHere, state: StateHere, order: str) -> HTMLResponse:
    studio.orders.stop(order)
    return how_far(studio, state, order)


@router.get("/studies/{slug}/report/made/{order}/file")
def file(studio: StudioHere, state: StateHere, order: str) -> FileResponse:
    path = studio.orders.path(order)
    if path is None or not path.exists() or path.suffix not in TYPES:
        raise HTTPException(404, "this is not there; make it anew")
    name = f"{state.row.slug}-report{path.suffix}"
    return FileResponse(path, media_type=TYPES[path.suffix], headers=download(name))


def _shown(slug: str, order: str, told: dict[str, Any]) -> HTMLResponse:
    size = f"{told['bytes'] / 1e6:.2g} MB" if "bytes" in told else ""
    at = f"/studies/{slug}/report/made/{order}"
    return render("results/order.html", {"at": at, "told": told, "size": size})
