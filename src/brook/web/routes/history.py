"""History: every step with who, when and what; undo, redo, and back to any point."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any
from urllib.parse import quote, urlsplit

from fastapi import APIRouter, Form, Path, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from brook.core.editing import EditRefused
from brook.store import StoreError
from brook.web.pages import BODIES, NAME_COOKIE, AuthorHere, StateHere, StudioHere, Told, VisitorHere, stage
from brook.web.routes.edit import body as page_body
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
AT_ONCE = 200
YEAR = 365 * 24 * 3600


def body(studio: Studio, state: StudyState, variant: VariantState | None, before: int | None = None) -> dict[str, Any]:
    rows = studio.store.revisions(state.row.id, before, AT_ONCE + 1)
    line = studio.store.line_of(state.row)
    more = rows[AT_ONCE - 1].number if len(rows) > AT_ONCE else None
    return {"rows": rows[:AT_ONCE], "line": line, "older": more, "steps": studio.store.steps(state.row.id)}


BODIES["history"] = body


@router.get("/studies/{slug}/history")
def history(
    studio: StudioHere,
    state: StateHere,
    author: AuthorHere,
    visitor: VisitorHere,
    part: str = "",
    before: Annotated[int | None, Query(ge=0, lt=2**53)] = None,
) -> HTMLResponse:
    return stage(
        studio,
        state,
        "history",
        None,
        whole=part != "body",
        who=author.name,
        signed_in=bool(visitor.name),
        **body(studio, state, None, before),
    )


def _step(studio: Studio, slug: str, page: str, name: str, step: Callable[[], str]) -> HTMLResponse:
    try:
        return page_body(studio, slug, page, name, Told(notice=step(), calm=True))
    except EditRefused as refused:
        return page_body(studio, slug, page, name, Told(notice=f"Not done: {refused}."))
    except StoreError as error:
        return page_body(studio, slug, page, name, Told(notice=f"Not done: {error}."))


@router.post("/studies/{slug}/undo")
def undo(
    studio: StudioHere, state: StateHere, author: AuthorHere, page: Annotated[str, Form()] = "board",
    name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    slug = state.row.slug
    return _step(studio, slug, page, name, lambda: studio.undo(slug, author))


@router.post("/studies/{slug}/redo")
def redo(
    studio: StudioHere, state: StateHere, author: AuthorHere, page: Annotated[str, Form()] = "board",
    name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    slug = state.row.slug
    return _step(studio, slug, page, name, lambda: studio.redo(slug, author))


@router.post("/studies/{slug}/history/{number}")
def go_back(
    studio: StudioHere, state: StateHere, author: AuthorHere, number: Annotated[int, Path(ge=0, lt=2**53)], page: Annotated[str, Form()] = "history",
    name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    slug = state.row.slug
    return _step(studio, slug, page, name, lambda: studio.go_back(slug, number, author))


def _back(request: Request) -> str:
    """The page of this server that a request came from; the shelf when it came from elsewhere."""
    came = urlsplit(request.headers.get("referer", ""))
    if came.netloc != request.headers.get("host", ""):
        return "/"
    path = "/" + came.path.replace("\\", "/").lstrip("/")
    return f"{path}?{came.query}" if came.query else path


@router.post("/my-name")
def my_name(request: Request, my_name: Annotated[str, Form(max_length=60)] = "") -> Response:
    """Keeps in this browser how its user is called in histories."""
    answer = RedirectResponse(_back(request), 303)
    answer.set_cookie(NAME_COOKIE, quote(" ".join(my_name.split())), max_age=YEAR, httponly=True, samesite="strict")
    return answer
