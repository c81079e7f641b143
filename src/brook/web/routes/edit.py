"""Changes of the document from any page: the page's body comes back as it stands then.

A value that cannot stand comes back as typed, with the reason beside it.
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse

from brook.core.editing import EditRefused
from brook.store import Author
from brook.web.pages import BODIES, NOTHING_TOLD, AuthorHere, StateHere, StudioHere, Told, stage, variant_of
from brook.web.state import StudyState
from brook.web.studio import Studio

router = APIRouter()
LONGEST = 4000
MOST = 40
GONE = "What you changed is no longer there; here is the page as it is now."
Errors = dict[str, tuple[str, str]]


@router.post("/studies/{slug}/edit")
def edit(
    studio: StudioHere, state: StateHere, author: AuthorHere,
    pointer: Annotated[list[str], Form(max_length=MOST)], page: Annotated[str, Form()],
    value: Annotated[list[str] | None, Form(max_length=MOST)] = None,
    was: Annotated[list[str] | None, Form(max_length=MOST)] = None, name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    """One value, or several that change together; `was` says what the page showed."""
    slug = state.row.slug
    errors: Errors = {}
    notice = ""
    texts = dict(zip(pointer, [v[:LONGEST] for v in value or [""]], strict=False))
    try:
        studio.edit(slug, texts, dict(zip(pointer, was or [], strict=False)), author)
    except EditRefused as refused:
        if len(texts) == 1:
            errors[pointer[0]] = (texts[pointer[0]], reason(state, refused, pointer[0]))
        else:
            notice = f"Not changed: {reason(state, refused, pointer[0])}."
    except KeyError:
        notice = GONE
    return body(studio, slug, page, name, Told(errors, notice))


@router.post("/studies/{slug}/act/{action}")
async def act(
    studio: StudioHere, state: StateHere, author: AuthorHere, request: Request, action: str
) -> HTMLResponse:  # fmt: skip
    """A named action; its values come as form fields, a field `with_name` as `name`."""
    form = {k: v for k, v in (await request.form()).items() if isinstance(v, str)}
    page, name = form.pop("page", "board"), form.pop("name", "")
    place = form.pop("error_at", action)
    form.pop("seen", None)
    values = {k.removeprefix("with_"): v[:LONGEST] for k, v in form.items()}
    return await run_in_threadpool(_act, studio, state, author, action, values, page, name, place)


def _act(
    studio: Studio, state: StudyState, author: Author, action: str, values: dict[str, str], page: str, name: str,
    place: str,
) -> HTMLResponse:  # fmt: skip
    errors: Errors = {}
    notice = ""
    try:
        studio.act(state.row.slug, action, values, author)
    except EditRefused as refused:
        if refused.problems[0].path:
            errors[place] = (values.get("value") or values.get("reading") or "", reason(state, refused, place))
        else:
            notice = f"Not done: {refused}."
    except KeyError:
        notice = GONE
    return body(studio, state.row.slug, page, name, Told(errors, notice, typed=values if errors else {}))


def reason(state: StudyState, refused: EditRefused, pointer: str) -> str:
    """Why, with the place when it lies elsewhere."""
    first = refused.problems[0]
    if first.path.startswith("/variants/") and not pointer.startswith("/variants/"):
        index = int(first.path.split("/")[2])
        if index < len(state.study.variants):
            return f"not in '{state.study.variants[index].title}': {first.message}"
    return first.message


def body(
    studio: Studio, slug: str, page: str, name: str, told: Told = NOTHING_TOLD, more: dict[str, Any] | None = None,
) -> HTMLResponse:  # fmt: skip
    """The body of a page as it is now, for htmx to swap in."""
    after = studio.state(slug)
    if page not in BODIES:
        raise HTTPException(404, f"there is no page '{page}'")
    names = {n for v in after.variants for n in (v.variant.name, v.of)}
    of = name.split("-at-", 1)[0]  # its operating point may be gone
    variant = variant_of(after, name if name in names else of if of in names else None)
    return stage(studio, after, page, variant, whole=False, told=told, **(more or {}))
