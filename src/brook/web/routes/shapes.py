"""Shapes in space: files in and out, arrays for the canvas, trying a step, the list of steps that would mend."""

from __future__ import annotations

import asyncio
import json
import re
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Query, Request, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, HTMLResponse, Response

from brook.core.editing import EditRefused, act
from brook.core.geometry.files import FORMATS, FileError, write_file
from brook.core.study import Problem, Study, Value, value_at
from brook.core.study.geometry import MOST_CORNERS
from brook.core.study.solids import MOST_POINTS
from brook.core.study.space import FilePart, SpaceGeometry
from brook.core.units import DIMENSIONS, UnitError, unit_factor
from brook.runs import SideProcessError, gate, shaping
from brook.runs.shaping import Order
from brook.store import Author
from brook.web.guard import LARGEST_BODY
from brook.web.pages import AuthorHere, StateHere, StudioHere, Told, render, variant_of
from brook.web.routes.edit import body as page_body
from brook.web.shapes import order_of, step_words
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
KEY = re.compile(r"^[0-9a-f]{20}$")
ARRAYS = {"points.f32", "triangles.u32", "number.u32", "starts.u32", "features.u32", "small.png"}
PIECE = 1 << 20


def _space(state: StudyState, name: str) -> VariantState:
    variant = variant_of(state, name)
    if variant is None or variant.variant.geometry.kind != "space":
        raise HTTPException(404, f"'{name}' has no shape in space")
    return variant


@router.get("/views/shape/{key}/{array}")
def view(studio: StudioHere, key: str, array: str) -> FileResponse:
    """An array of a surface; surfaces never change under their key, so browsers may keep them."""
    path = studio.store.files.folder("shape", key) / array
    if not KEY.match(key) or array not in ARRAYS or not path.exists():
        raise HTTPException(404, "there is no such array")
    headers = {"Cache-Control": "max-age=86400, immutable"}
    media_type = "image/png" if array.endswith(".png") else "application/octet-stream"
    return FileResponse(path, media_type=media_type, headers=headers)


@router.get("/studies/{slug}/geometry/{name}/progress")
def progress(
    studio: StudioHere, state: StateHere, name: str, trial: Annotated[str, Query(alias="try")] = ""
) -> Response:
    """What the geometry worker does just now for this shape."""
    order = _order_tried(studio, state, name, trial)
    making = studio.geometry_worker.making_of(order, state.row.id) if order is not None else None
    if making is not None and making.state == "working":
        return HTMLResponse(making.words)
    return HTMLResponse("done", headers={"HX-Trigger": "shapeDone"})


@router.post("/studies/{slug}/geometry/{name}/stop")
def stop(studio: StudioHere, state: StateHere, name: str, trial: Annotated[str, Form()] = "") -> HTMLResponse:
    order = _order_tried(studio, state, name, trial)
    if order is not None:
        studio.geometry_worker.stop(order)
    return page_body(studio, state.row.slug, "geometry", name)


@router.post("/studies/{slug}/geometry/{name}/again")
def again(studio: StudioHere, state: StateHere, name: str) -> HTMLResponse:
    """Makes a shape that failed or was stopped once more."""
    order = order_of(studio, state, _space(state, name))
    if order is not None:
        studio.geometry_worker.again(order)
    return page_body(studio, state.row.slug, "geometry", name)


# -- trying a step ----------------------------------------------------------------------------


UNWRAPPED = '{"kind": "unwrapped"}'


class Misfit(ValueError):
    """A step that cannot be tried, and why."""


def tried(studio: Studio, state: StudyState, name: str, trial: str) -> tuple[StudyState, VariantState]:
    """The study as it would be with a step (JSON) more, or without its wrap (`UNWRAPPED`). Raises `Misfit`."""
    variant = _space(state, name)
    if not trial:
        return state, variant
    try:
        if trial == UNWRAPPED:
            study: Study = act(state.study, "set_wrap", variant=str(variant.index), side="")
        else:
            study = act(state.study, "add_step", variant=str(variant.index), step=trial)
    except EditRefused as refused:
        raise Misfit(str(refused)) from refused
    except KeyError:
        raise Misfit("this is no step") from None
    return studio.reader.supposed(state.row, study, name)


def _order_tried(studio: Studio, state: StudyState, name: str, trial: str) -> Order | None:
    """The order for the shape with a step more, None while there is no shape or when the step does not fit."""
    try:
        return order_of(studio, *tried(studio, state, name, trial))
    except Misfit:
        return None


@router.get("/studies/{slug}/geometry/{name}/fresh")
def fresh(studio: StudioHere, state: StateHere, name: str, trial: Annotated[str, Query(alias="try")]) -> Response:
    """Which triangles of the surface are new after the step that is tried, as bytes in the order they are drawn."""
    here, order = _space(state, name), _order_tried(studio, state, name, trial)
    before = here.prepared.space.key if here.prepared.space is not None else ""
    if order is None or not studio.store.files.has("shape", order.key) or not studio.store.files.has("shape", before):
        raise HTTPException(404, "this has not been tried yet")
    answer = studio.geometry_worker.process.ask(shaping.fresh_triangles, order, before)
    return Response(answer, media_type="application/octet-stream")


@router.get("/studies/{slug}/geometry/{name}/away")
def away(studio: StudioHere, state: StateHere, name: str, trial: Annotated[str, Query(alias="try")] = "") -> Response:
    """How far the points of the wrap lie from what is wrapped, m, or those of what is wrapped from the wrap where that is shown."""
    if getattr(_space(state, name).variant.geometry, "wrap", None) is None:
        raise HTTPException(404, "nothing is wrapped here")
    wrap, wrapped = order_of(studio, state, _space(state, name)), _order_tried(studio, state, name, UNWRAPPED)
    here, other = (wrapped, wrap) if trial == UNWRAPPED else (wrap, wrapped)
    if here is None or other is None or not studio.store.files.has("shape", here.key):
        raise HTTPException(404, "this shape is not made yet")
    try:
        answer = studio.geometry_worker.process.ask(shaping.distances, here, other)
    except (ValueError, SideProcessError) as error:
        raise HTTPException(409, str(error)) from error
    return Response(answer, media_type="application/octet-stream")


@router.get("/studies/{slug}/geometry/{name}/proposal")
def proposal(studio: StudioHere, state: StateHere, name: str, largest: str = "") -> HTMLResponse:
    """Steps that would mend the shape, in order, with what each would do."""
    variant = _space(state, name)
    order = order_of(studio, state, variant)
    if order is None:
        raise HTTPException(404, "there is no shape yet")
    try:
        limit = value_at(largest, Value("length", "not_negative"), variant.prepared.scope) if largest.strip() else 0.0
        steps = studio.geometry_worker.process.ask(shaping.proposal, order, limit)
    except (ValueError, SideProcessError) as error:
        return render("geometry/proposal.html", {"problem": str(error), "steps": [], "largest": largest})
    told = [{**s, "text": _texts(s), "said": step_words(_texts(s))} for s in steps]
    return render("geometry/proposal.html", {
        "problem": "", "steps": told, "largest": largest, "slug": state.row.slug, "index": variant.index,
        "all": json.dumps([s["text"] for s in told]),
    })  # fmt: skip


def _texts(step: dict[str, Any]) -> dict[str, Any]:
    return {"kind": step["kind"], **{k: f"{1000 * v:.4g} mm" for k, v in step["values"].items()}}


# -- files ------------------------------------------------------------------------------------


async def received(studio: Studio, file: UploadFile) -> tuple[str, str, dict[str, Any]]:
    """A sound file name, the name of the content in the store, and what is in the file. Raises `FileError`, `SideProcessError`.

    Nothing is kept of a file that cannot be read.
    """
    name = re.sub(r"[^\w. -]", "_", (file.filename or "shape").replace("\\", "/").rsplit("/", 1)[-1])[-100:]
    with studio.store.shapes.receiving() as receiving:
        while piece := await file.read(PIECE):
            await run_in_threadpool(receiving.take, piece)
        path = str(receiving.temporary)
        found = await studio.geometry_worker.gate.read(shaping.looked_at, name, path)
        content = await asyncio.to_thread(receiving.keep)
    studio.geometry_worker.again()
    return name, content, found


@router.post("/studies/{slug}/geometry/{name}/files")
async def bring_in(
    studio: StudioHere, state: StateHere, author: AuthorHere, name: str, file: UploadFile,
    pointer: Annotated[str, Form()] = "",
) -> HTMLResponse:  # fmt: skip
    """Takes a shape file in: as a new part, or in the place of the one at `pointer`."""
    variant = _space(state, name)
    try:
        file_name, content, found = await received(studio, file)
    except (FileError, SideProcessError) as error:
        notice = f"{file.filename or 'The file'} was not taken in: {error}."
        return await run_in_threadpool(page_body, studio, state.row.slug, "geometry", name, Told(notice=notice))
    return await run_in_threadpool(_put, studio, state, author, variant, pointer, file_name, content, found)


def _put(
    studio: Studio, state: StudyState, author: Author, variant: VariantState, pointer: str, file: str, content: str,
    found: dict[str, Any],
) -> HTMLResponse:  # fmt: skip
    values = {"file": file, "content": content, "unit": found["unit"]}
    name = variant.variant.name
    try:
        if pointer:
            return swap_page(studio, state, variant, pointer, values, found)
        studio.act(
            state.row.slug,
            "take_file",
            {"variant": str(variant.index), **values, "colours": json.dumps(found["colours"])},
            author,
        )
    except (EditRefused, FileError, SideProcessError) as error:
        return page_body(studio, state.row.slug, "geometry", name, Told(notice=f"Not done: {error}."))
    return page_body(studio, state.row.slug, "geometry", name)


def swap_page(
    studio: Studio, state: StudyState, variant: VariantState, pointer: str, values: dict[str, str],
    found: dict[str, Any],
) -> HTMLResponse:  # fmt: skip
    """The page with the table of what matches between the file that is there and the one that is to replace it."""
    geometry, last = variant.variant.geometry, pointer.rsplit("/", 1)[-1]
    assert isinstance(geometry, SpaceGeometry)
    part = geometry.parts[int(last)] if last.isdigit() and int(last) < len(geometry.parts) else None
    if not isinstance(part, FilePart):
        raise EditRefused([Problem(pointer, "the file to replace is not there any more")])
    there = studio.store.shapes.path(part.content)
    before = (
        studio.geometry_worker.gate.ask(shaping.looked_at, part.file, str(there))["patches"] if there.is_file() else []
    )
    names = dict(part.names)
    rows = [{"was": names.get(n, n), "from": n, "found": n in found["patches"]} for n in before]
    fresh = [n for n in found["patches"] if n not in before]
    unit = values["unit"] or (part.unit if part.unit in found["sizes"] else "")
    swap = {
        **values, "unit": unit, "pointer": pointer, "rows": rows, "fresh": fresh, "old": part.file, "names": names,
        "sizes": found["sizes"], "triangles": found["triangles"],
    }  # fmt: skip
    return page_body(studio, state.row.slug, "geometry", variant.variant.name, more={"swap": swap})


@router.post("/studies/{slug}/geometry/{name}/swap")
async def swap(studio: StudioHere, state: StateHere, author: AuthorHere, name: str, request: Request) -> HTMLResponse:
    """Puts the new file in, with the names that were chosen: each new patch may take the place of one that is gone."""
    form = {k: v for k, v in (await request.form()).items() if isinstance(v, str)}
    names = {k.removeprefix("as_"): v for k, v in form.items() if k.startswith("as_") and v}
    values = {k: form.get(k, "") for k in ("pointer", "file", "content", "unit")}
    values["names"] = json.dumps({k: v for k, v in names.items() if k != v})

    def change() -> HTMLResponse:
        notice = ""
        try:
            studio.act(state.row.slug, "swap_file", values, author)
        except (EditRefused, KeyError) as error:
            notice = f"Not done: {error}."
        return page_body(studio, state.row.slug, "geometry", name, Told(notice=notice))

    return await run_in_threadpool(change)


@router.post("/studies/{slug}/geometry/{name}/outline")
async def take_outline(
    studio: StudioHere, state: StateHere, author: AuthorHere, name: str, file: UploadFile,
    pointer: Annotated[str, Form()], unit: Annotated[str, Form()] = "mm",
) -> HTMLResponse:  # fmt: skip
    """Replaces a polygon's corners or a solid's profile by the outline of a drawing or a table of points."""
    data = await file.read(LARGEST_BODY)
    most = MOST_CORNERS if "/shapes/" in pointer else MOST_POINTS
    said = file.filename or "The file"
    try:
        points = await studio.geometry_worker.gate.read(
            gate.outline, file.filename or "", data, unit, most, seconds=gate.SMALL_SECONDS
        )
    except (FileError, UnitError, SideProcessError) as error:
        notice = f"{said} was not taken in: {error}."
        return await run_in_threadpool(page_body, studio, state.row.slug, "geometry", name, Told(notice=notice))

    def change() -> HTMLResponse:
        notice = ""
        try:
            studio.act(state.row.slug, "take_outline", {"pointer": pointer, "points": json.dumps(points)}, author)
        except EditRefused as error:
            notice = f"{said} was not taken in: {error}."
        except KeyError:
            notice = "The shape is no longer there; here is the page as it is now."
        return page_body(studio, state.row.slug, "geometry", name, Told(notice=notice))

    return await run_in_threadpool(change)


@router.get("/studies/{slug}/geometry/{name}/shape.{suffix}")
def bring_out(studio: StudioHere, state: StateHere, name: str, suffix: str, unit: str = "mm") -> Response:
    """The surface as it stands, with its caps, as a file."""
    variant = _space(state, name)
    space = variant.prepared.space
    if suffix not in FORMATS or FORMATS[suffix].write is None:
        raise HTTPException(404, f"'{suffix}' is no format for shapes")
    if space is None or not studio.store.files.has("shape", space.key):
        raise HTTPException(404, "this shape has not been made yet; open its page first")
    known = FORMATS[suffix]
    try:
        factor, _, dimension = unit_factor(known.unit or unit)
    except UnitError as error:
        raise HTTPException(422, str(error)) from error
    if dimension != DIMENSIONS["length"]:
        raise HTTPException(422, f"'{unit[:20]}' is not a unit of length")
    surface = shaping.saved(studio.store.files, space.key)
    content = write_file(f"shape.{suffix}", surface.placed(surface.points / factor))
    headers = {"Content-Disposition": f'attachment; filename="{state.row.slug}-{name}.{suffix}"'}
    return Response(content, media_type=known.media_type, headers=headers)
