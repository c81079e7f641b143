"""Plots of curves: their data, reference points from a table, and their files."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field

from brook.core.checks import prepare
from brook.core.editing import EditRefused
from brook.core.formulas import FormulaError
from brook.core.results.reference import MOST_BYTES, TableError
from brook.core.study.curves import CurvePlot
from brook.core.units import DIMENSIONS
from brook.runs import SideProcessError, gate, sheets
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
    """A table of points, the units of its columns, and the page that asked."""

    table: UploadFile
    page: str = "results"
    name: str = ""
    position_unit: Annotated[str, Field(max_length=20)] = ""
    value_unit: Annotated[str, Field(max_length=20)] = ""


@router.post("/studies/{slug}/plots/{plot}/reference")
async def reference(
    studio: StudioHere, state: StateHere, author: AuthorHere, plot: str, sent: Annotated[PointsForm, Form()],
) -> HTMLResponse:  # fmt: skip
    """Adds the points of a CSV table to a plot, or says which line cannot be read."""
    content = await sent.table.read(MOST_BYTES + 1)
    title = (sent.table.filename or "points").rsplit("/", 1)[-1].rsplit(".", 1)[0][:120] or "points"
    index, one = plot_of(state, plot)
    place, error = f"/plots/{index}/references", ""
    read: tuple[list[float], list[float]] = ([], [])
    try:
        if len(content) > MOST_BYTES:
            raise TableError(f"the file is larger than {MOST_BYTES // 1000} kB; keep the two columns that are needed")
        prepared = prepare(state.study, state.study.variants[0]) if state.study.variants else None
        kinds = prepared.places.quantities() if prepared else {}
        if prepared is None or one.quantity not in kinds:
            raise TableError("the plot's quantity is not known, so its unit is not either; choose another first")
        value = kinds[one.quantity].dimension
        axes = [sheets.dimension_on(one.position_axis, DIMENSIONS["length"], value, prepared.scope),
                sheets.dimension_on(one.value_axis, value, value, prepared.scope)]  # fmt: skip
        read = await studio.geometry_worker.gate.read(
            gate.reference, content, *axes, sent.position_unit, sent.value_unit,
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
