"""Plots of curves: their data, reference points from a table, and their files."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field

from brook.core.checks import Prepared, prepare
from brook.core.editing import EditRefused
from brook.core.formulas import FormulaError
from brook.core.results.reference import MOST_BYTES, TableError
from brook.core.stages.readings import dimension_followed
from brook.core.study.curves import CoursePlot, CurvePlot
from brook.core.units import DIMENSIONS, Dimension
from brook.runs import SideProcessError, gate, sheets
from brook.runs import courses as runs_courses
from brook.store import Author
from brook.web.pages import AuthorHere, StateHere, StudioHere, Told
from brook.web.routes.edit import body as page_body
from brook.web.routes.exports import download, media_type
from brook.web.routes.readout import ask, shown_of
from brook.web.state import StudyState
from brook.web.studio import Studio

router = APIRouter()


def plot_of(state: StudyState, name: str) -> tuple[int, CurvePlot]:
    for index, plot in enumerate(state.study.plots):
        if plot.name == name:
            return index, plot
    raise HTTPException(404, f"there is no plot '{name}'")


def course_of(state: StudyState, name: str) -> tuple[int, CoursePlot]:
    for index, course in enumerate(state.study.courses):
        if course.name == name:
            return index, course
    raise HTTPException(404, f"there is no plot '{name}'")


@router.get("/studies/{slug}/courses/{name}/curves.json")
def course_curves(studio: StudioHere, state: StateHere, name: str, variants: str = "") -> dict[str, Any]:
    """How readings went on in runs, in units that suit them."""
    _, course = course_of(state, name)
    return ask(studio, runs_courses.course_data, shown_of(studio, state, variants), course)


@router.get("/studies/{slug}/courses/{name}.{suffix}")
def export_course(studio: StudioHere, state: StateHere, name: str, suffix: str, variants: str = "") -> Response:
    """The same as a table or a figure."""
    _, course = course_of(state, name)
    kind = media_type(suffix)
    content = ask(studio, runs_courses.export_course, suffix, shown_of(studio, state, variants), course)
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-{name}.{suffix}"))


@router.get("/studies/{slug}/plots/{name}/curves.json")
def curves(studio: StudioHere, state: StateHere, name: str, variants: str = "") -> dict[str, Any]:
    """Curves and reference points in units that suit them, with the differences in per cent."""
    _, plot = plot_of(state, name)
    return ask(studio, sheets.plot_data, shown_of(studio, state, variants), plot)


@router.get("/studies/{slug}/plots/{name}.{suffix}")
def export(studio: StudioHere, state: StateHere, name: str, suffix: str, variants: str = "") -> Response:
    """A plot as a table or a figure."""
    _, plot = plot_of(state, name)
    kind = media_type(suffix)
    content = ask(studio, sheets.export_plot, suffix, shown_of(studio, state, variants), plot)
    return Response(content, media_type=kind, headers=download(f"{state.row.slug}-{name}.{suffix}"))


class PointsForm(BaseModel):
    """A table of points, as a file or typed, which of its columns are meant and their units, and the page that asked."""

    table: UploadFile | None = None
    typed: Annotated[str, Field(max_length=20_000)] = ""
    title: Annotated[str, Field(max_length=120)] = ""
    position_column: Annotated[str, Field(max_length=60)] = "1"
    value_column: Annotated[str, Field(max_length=60)] = "2"
    page: str = "results"
    name: str = ""
    position_unit: Annotated[str, Field(max_length=20)] = ""
    value_unit: Annotated[str, Field(max_length=20)] = ""


@router.post("/studies/{slug}/plots/{plot}/reference")
async def reference(
    studio: StudioHere, state: StateHere, author: AuthorHere, plot: str, sent: Annotated[PointsForm, Form()],
) -> HTMLResponse:  # fmt: skip
    """Adds the points of a CSV table to a plot, or says which line cannot be read."""
    index, one = plot_of(state, plot)

    def axes(prepared: Prepared) -> list[Dimension]:
        kinds = prepared.places.quantities()
        if one.quantity not in kinds:
            raise TableError("the plot's quantity is not known, so its unit is not either; choose another first")
        value = kinds[one.quantity].dimension
        return [
            sheets.dimension_on(one.position_axis, DIMENSIONS["length"], value, prepared.scope),
            sheets.dimension_on(one.value_axis, value, value, prepared.scope),
        ]

    return await _reference(studio, state, author, f"/plots/{index}/references", sent, axes)


@router.post("/studies/{slug}/courses/{plot}/reference")
async def course_reference(
    studio: StudioHere, state: StateHere, author: AuthorHere, plot: str, sent: Annotated[PointsForm, Form()],
) -> HTMLResponse:  # fmt: skip
    """The same for a plot of how readings go on."""
    index, one = course_of(state, plot)

    def axes(prepared: Prepared) -> list[Dimension]:
        value = dimension_followed(state.study, one.readings[0], prepared)
        if value is None:
            raise TableError("the reading is not known, so its unit is not either; choose another first")
        steady = state.study.set_up.timing.kind == "steady"
        return [DIMENSIONS["rate" if one.shows == "spectrum" else "number" if steady else "time"], value]

    return await _reference(studio, state, author, f"/courses/{index}/references", sent, axes)


async def _reference(
    studio: Studio, state: StudyState, author: Author, place: str, sent: PointsForm, axes_of: Callable[[Prepared], list[Dimension]]
) -> HTMLResponse:  # fmt: skip
    """Reads a table whose columns have the dimensions of the axes, and adds its points at a place."""
    content, title = sent.typed.encode(), sent.title.strip() or "points"
    if sent.table is not None and sent.table.filename:
        content = await sent.table.read(MOST_BYTES + 1)
        title = sent.title.strip() or sent.table.filename.rsplit("/", 1)[-1].rsplit(".", 1)[0][:120] or "points"
    error = ""
    read: tuple[list[float], list[float]] = ([], [])
    try:
        if len(content) > MOST_BYTES:
            raise TableError(f"the file is larger than {MOST_BYTES // 1000} kB; keep the two columns that are needed")
        if not state.study.variants:
            raise TableError("there is no variant yet, so no unit is known; add one first")
        axes = axes_of(prepare(state.study, state.study.variants[0]))
        read = await studio.geometry_worker.gate.read(
            gate.reference, content, *axes, sent.position_unit, sent.value_unit,
            (sent.position_column or "1", sent.value_column or "2"),
            seconds=gate.SMALL_SECONDS,
        )  # fmt: skip
    except (TableError, SideProcessError, FormulaError) as refused:
        error = str(refused)
    return await run_in_threadpool(_add_reference, studio, state, author, place, (title, *read), sent, error)


def _add_reference(
    studio: Studio, state: StudyState, author: Author, place: str, points: tuple[str, list[float], list[float]],
    sent: PointsForm, error_told: str,
) -> HTMLResponse:  # fmt: skip
    errors, notice = {}, ""
    if error_told:
        return page_body(studio, state.row.slug, sent.page, sent.name, Told({place: ("", error_told)}))
    try:
        title, *columns = points
        position, value = (",".join(map(repr, column)) for column in columns)
        values = {"pointer": place.removesuffix("/references"), "title": title, "position": position, "value": value}
        studio.act(state.row.slug, "add_reference", values, author)
    except EditRefused as error:
        errors[place] = ("", error.problems[0].message)
    except (KeyError, IndexError):
        notice = "This plot is no longer there; here is the page as it is now."
    return page_body(studio, state.row.slug, sent.page, sent.name, Told(errors, notice))
