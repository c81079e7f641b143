"""Fields, streamlines and differences that the result reader makes from a result when a page asks."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import Response

from brook.core.formulas import FormulaError
from brook.runs import SideProcessError, Source, readout, sheets
from brook.web.pages import StateHere, StudioHere, variant_of
from brook.web.state import StudyState
from brook.web.studio import Studio

router = APIRouter()
KEEP = {"Cache-Control": "private, max-age=3600"}


def source_of(studio: Studio, state: StudyState, name: str) -> Source:
    """The result of a variant; 404 when there is none."""
    variant = variant_of(state, name)
    source = studio.source(state, variant) if variant is not None else None
    if source is None:
        raise HTTPException(404, "this variant has no result that is kept; bring it up to date")
    return source


def shown_of(studio: Studio, state: StudyState, variants: str) -> list[sheets.Shown]:
    """The results of variants by name, separated by commas; all that have one when none is named."""
    names = [n for n in variants.split(",") if n]
    if not names:
        names = [v.variant.name for v in state.variants if studio.source(state, v) is not None]
    found = [sheets.Shown(source_of(studio, state, n), state.variant(n).variant.title) for n in names]
    if not found:
        raise HTTPException(404, "no variant has a result yet")
    return found


def ask(studio: Studio, question: Callable[..., Any], *arguments: Any) -> Any:
    """The result reader's answer; what cannot be answered is told as 404, 422 or 503."""
    try:
        return studio.result_reader.ask(question, *arguments)
    except KeyError as error:
        raise HTTPException(404, f"there is no {error} here") from error
    except FileNotFoundError as error:
        raise HTTPException(404, "this result is no longer kept; bring the variant up to date") from error
    except (FormulaError, ValueError) as error:
        raise HTTPException(422, str(error)) from error
    except SideProcessError as error:
        raise HTTPException(503, str(error)) from error


@router.get("/studies/{slug}/variants/{name}/field/{quantity}.f32")
def field(studio: StudioHere, state: StateHere, name: str, quantity: str) -> Response:
    """Corner values of any quantity, own ones included."""
    content = ask(studio, readout.field_values, source_of(studio, state, name), quantity)
    return Response(content, media_type="application/octet-stream", headers=KEEP)


@router.get("/studies/{slug}/variants/{name}/less/{other}/{quantity}.f32")
def difference(studio: StudioHere, state: StateHere, name: str, other: str, quantity: str) -> Response:
    """A quantity of one variant less that of another, at the corners of the first; nan where only one has fluid."""
    sources = source_of(studio, state, name), source_of(studio, state, other)
    content = ask(studio, readout.difference_values, *sources, quantity)
    return Response(content, media_type="application/octet-stream", headers=KEEP)


@router.get("/studies/{slug}/variants/{name}/streamlines.json")
def streamlines(
    studio: StudioHere, state: StateHere, name: str, begin: Literal["default", "patch", "seeds"] = "default",
    patch: str = "", at: Annotated[str, Query(max_length=8000)] = "", count: Annotated[int, Query(ge=1, le=200)] = 12,
) -> list[dict[str, Any]]:  # fmt: skip
    """Streamlines as `x, y, x, y …` in m; seeds `at` are `x,y;x,y`."""
    return ask(studio, readout.streamlines, source_of(studio, state, name), begin, patch, _seeds(at), count)


def _seeds(text: str) -> list[tuple[float, float]]:
    try:
        pairs = [part.split(",") for part in text.split(";") if part]
        return [(float(x), float(y)) for x, y in pairs]
    except ValueError:
        raise HTTPException(422, "seeds are written as x,y;x,y in m") from None
