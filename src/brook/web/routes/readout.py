"""Fields, streamlines and differences that the result reader makes from a result when a page asks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from math import isfinite
from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import Response

from brook.core.formulas import FormulaError
from brook.runs import SideProcessError, Source, readout, sheets, space_readout
from brook.web.pages import StateHere, StudioHere, variant_of
from brook.web.state import StudyState
from brook.web.studio import Studio

router = APIRouter()
MOMENT = r"^([0-9]{4,9})?$"
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
def field(
    studio: StudioHere, state: StateHere, name: str, quantity: str, moment: Annotated[str, Query(pattern=MOMENT)] = ""
) -> Response:
    """Corner values of any quantity, own ones included; at a moment that the run kept, by its number."""
    content = ask(studio, readout.field_values, replace(source_of(studio, state, name), moment=moment), quantity)
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
    return ask(studio, readout.streamlines, source_of(studio, state, name), begin, patch, _places(at, 2), count)


@router.get("/studies/{slug}/variants/{name}/cut/{run}/box.json")
def box(studio: StudioHere, state: StateHere, name: str, run: str) -> list[list[float]]:
    """The lower and the upper corner of the mesh of a run in space, in m."""
    return ask(studio, space_readout.box, _of_run(studio, state, name, run))


@router.get("/studies/{slug}/variants/{name}/cut/{run}/{axis}/{at}/{what}.{kind}")
def cut(
    studio: StudioHere, state: StateHere, name: str, run: str, axis: Literal["x", "y", "z"], at: float, what: str,
    kind: Literal["f32", "u32", "bin"],
) -> Response:  # fmt: skip
    """An array of the cells of a run in space where a plane across an axis at a place in m cuts them: `corners`, `offsets`, the
    values of a quantity, or `frame.QUANTITY`, which is all of these at once."""
    if not isfinite(at):
        raise HTTPException(404, "there is no such cut")
    content = ask(studio, space_readout.cut_array, _of_run(studio, state, name, run), "xyz".index(axis), at, what)
    return Response(content, media_type="application/octet-stream", headers=KEEP)


@router.get("/studies/{slug}/variants/{name}/lines.json")
def lines_in_space(
    studio: StudioHere, state: StateHere, name: str, patch: str = "", at: Annotated[str, Query(max_length=12000)] = "",
    count: Annotated[int, Query(ge=1, le=200)] = 24,
) -> dict[str, Any]:  # fmt: skip
    """Streamlines in space from a patch, or from places `at`, which are `x,y,z;x,y,z` in m; where they go and how long they take."""
    if not patch and not at:
        raise HTTPException(422, "streamlines start at a patch or at places x,y,z;x,y,z in m")
    source = source_of(studio, state, name)
    return ask(studio, space_readout.lines_in_space, source, patch, _places(at, 3), count)


def _of_run(studio: Studio, state: StudyState, name: str, run: str) -> Source:
    source = source_of(studio, state, name)
    if source.run_key != run:
        raise HTTPException(404, "there is a newer result; load the page again")
    return source


def _places(text: str, numbers: int) -> list[Any]:
    """Places of so many numbers each; 422 where it is something else."""
    try:
        found = [tuple(float(v) for v in part.split(",")) for part in text.split(";") if part]
    except ValueError:
        found = [()]
    if any(len(place) != numbers or not all(map(isfinite, place)) for place in found):
        wanted = ",".join("xyz"[:numbers])
        raise HTTPException(422, f"seeds are written as {wanted};{wanted} in m")
    return found
