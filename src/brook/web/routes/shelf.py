"""The shelf: all studies, a new one, one from a file."""

from __future__ import annotations

import contextlib
from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from brook.core.editing import act
from brook.core.editing.begins import BEGINS
from brook.core.study import DocumentError, Study
from brook.core.study.document import MAX_BYTES
from brook.runs import SideProcessError
from brook.store import StoreError
from brook.store.people import Visitor
from brook.web.drawing import thumbnail
from brook.web.pages import UNREADABLE, AuthorHere, StudioHere, VisitorHere, render, seen_by
from brook.web.shapes import small_address
from brook.web.studio import Studio

router = APIRouter()


def _shelf(
    studio: Studio, visitor: Visitor, problems: list[str] | None = None, title: str = "", status: int = 200
) -> HTMLResponse:
    cards = []
    unreadable: list[tuple[str, str]] = []
    for row in seen_by(studio, visitor):
        try:
            state = studio.state(row.slug)
        except DocumentError as error:
            unreadable.append((row.slug, str(error)))
            continue
        shape = next((v.prepared.shape for v in state.variants if v.prepared.shape), None)
        best = next((v for v in state.variants if state.best and v.of == state.best.variant), None)
        if best is not None and best.prepared.shape is not None:
            shape = best.prepared.shape
        boundaries = (
            best.prepared.boundaries if best else (state.variants[0].prepared.boundaries if state.variants else [])
        )
        pictures = [small_address(studio, state, v) for v in state.variants[:3]] if shape is None else []
        picture = next((p for p in reversed(pictures) if p), "")
        cards.append({"state": state, "thumbnail": thumbnail(shape, boundaries) if shape else None, "picture": picture})
    return render(
        "shelf/page.html",
        {
            "cards": cards,
            "unreadable": unreadable,
            "unreadable_words": UNREADABLE,
            "problems": problems or [],
            "typed_title": title,
            "starts": [(key, words) for key, (words, _) in BEGINS.items()],
        },
        status,
    )


@router.get("/")
def shelf(studio: StudioHere, visitor: VisitorHere) -> HTMLResponse:
    return _shelf(studio, visitor)


@router.post("/studies")
def new_study(
    studio: StudioHere, visitor: VisitorHere, author: AuthorHere, title: Annotated[str, Form()] = "", kind: Annotated[str, Form()] = "plane", begin: Annotated[str, Form()] = "",
) -> Response:  # fmt: skip
    """A new study with one variant to begin from, and the statements of a ready-made start where one is wanted."""
    if begin and kind == "space":
        words = (
            "what patches a shape in 3-D has is not known yet: begin with nothing, and fill in the statements on Set-up"
        )
        return _shelf(studio, visitor, [words], title, 422)
    try:
        study = act(Study(title=title), "add_variant", title="First variant", kind=kind)
        study = act(study, "begin_with", kind=begin) if begin else study
    except ValueError:
        return _shelf(studio, visitor, ["a study needs a title of at most 120 characters"], title, 422)
    slug = studio.store.add_study(study, "new study", author)
    studio.people.own(slug, visitor.id)
    return RedirectResponse(f"/studies/{slug}{'/geometry' if kind == 'space' else ''}", 303)


@router.post("/import")
async def import_study(studio: StudioHere, visitor: VisitorHere, author: AuthorHere, document: UploadFile) -> Response:
    """A study from its JSON document; nothing is kept of one that cannot be read."""
    content = await document.read(MAX_BYTES + 1)
    try:
        study = await studio.geometry_worker.gate.study(content)
    except SideProcessError as error:
        said = [f"{document.filename or 'the file'} was not taken in: {error}"]
        return await run_in_threadpool(_shelf, studio, visitor, said, "", 503)
    except DocumentError as error:
        reasons = [f"{p.path}: {p.message}" if p.path else p.message for p in error.problems]
        said = [f"{document.filename or 'the file'} was not taken in: {r}" for r in reasons[:8]]
        return await run_in_threadpool(_shelf, studio, visitor, said, "", 422)
    slug = await run_in_threadpool(studio.store.add_study, study, f"from {document.filename}", author)
    await run_in_threadpool(studio.people.own, slug, visitor.id)
    return RedirectResponse(f"/studies/{slug}", 303)


@router.post("/studies/{slug}/remove")
def remove_study(studio: StudioHere, slug: str) -> Response:
    with contextlib.suppress(StoreError):  # gone already, as was wished
        studio.remove(slug)
    return RedirectResponse("/", 303)
