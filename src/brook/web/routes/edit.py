"""Changes of the document from any page: the page's body comes back as it stands then.

A value that cannot stand comes back as typed, with the reason beside it.
"""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse

from brook.core.editing import EditRefused
from brook.web.pages import BODIES, StateHere, StudioHere, stage, variant_of
from brook.web.studio import Studio, StudyState

router = APIRouter()
LONGEST = 4000


@router.post("/studies/{slug}/edit")
def edit(
    studio: StudioHere, state: StateHere, pointer: Annotated[str, Form()], page: Annotated[str, Form()],
    value: Annotated[str, Form(max_length=LONGEST)] = "", was: Annotated[str | None, Form()] = None,
    name: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    slug = state.row.slug
    errors: dict[str, tuple[str, str]] = {}
    notice = ""
    try:
        studio.edit(slug, pointer, value, was)
    except EditRefused as refused:
        errors[pointer] = (value, _reason(state, refused, pointer))
    except KeyError:
        notice = "What you changed is no longer there; here is the page as it is now."
    return _body(studio, slug, page, name, errors, notice)


@router.post("/studies/{slug}/act/{action}")
async def act(studio: StudioHere, state: StateHere, request: Request, action: str) -> HTMLResponse:
    form = {k: v for k, v in (await request.form()).items() if isinstance(v, str)}
    page, name = form.pop("page", "board"), form.pop("name", "")
    place = form.pop("error_at", action)
    values = {k.removeprefix("with_"): v[:LONGEST] for k, v in form.items()}
    errors: dict[str, tuple[str, str]] = {}
    notice = ""
    try:
        studio.act(state.row.slug, action, values)
    except EditRefused as refused:
        errors[place] = (values.get("value") or values.get("reading") or "", _reason(state, refused, place))
    except KeyError:
        notice = "What you changed is no longer there; here is the page as it is now."
    return _body(studio, state.row.slug, page, name, errors, notice)


def _reason(state: StudyState, refused: EditRefused, pointer: str) -> str:
    """Why, with the place when it lies elsewhere."""
    first = refused.problems[0]
    if first.path.startswith("/variants/") and not pointer.startswith("/variants/"):
        index = int(first.path.split("/")[2])
        if index < len(state.study.variants):
            return f"not in '{state.study.variants[index].title}': {first.message}"
    return first.message


def _body(
    studio: Studio, slug: str, page: str, name: str, errors: dict[str, tuple[str, str]], notice: str
) -> HTMLResponse:
    after = studio.state(slug)
    if page not in BODIES:
        raise HTTPException(404, f"there is no page '{page}'")
    names = [v.variant.name for v in after.variants]
    variant = variant_of(after, name if name in names else None)
    return stage(studio, after, page, variant, whole=False, errors=errors, notice=notice)
