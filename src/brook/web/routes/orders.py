"""What takes a while on the page of results, movies of plates and fields in files: begun, watched, stopped, taken along."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, HTTPException
from fastapi.responses import FileResponse, HTMLResponse

from brook.core.results.files import FIELD_FORMATS
from brook.runs.orders import MOVIE_KINDS, FieldsOrder, MovieOrder, Order, PictureOrder
from brook.web.pages import StateHere, StudioHere, render
from brook.web.routes.exports import download
from brook.web.studio import Studio

router = APIRouter()
SIZE = r"^[0-9]{3,4}x[0-9]{3,4}$"
TYPES = {".png": "image/png", ".webm": "video/webm", ".mp4": "video/mp4", ".zip": "application/zip"} | {
    f".{f.suffix}": f.media_type for f in FIELD_FORMATS.values()
}


@router.post("/studies/{slug}/results/{name}/movies")
def begin_movie(
    studio: StudioHere, state: StateHere, name: str, plate: Annotated[str, Form(max_length=40)], over: Annotated[str, Form(max_length=10)] = "time",
    kind: Annotated[str, Form(max_length=6)] = ".webm", pictures: Annotated[int, Form(ge=2, le=1000)] = 100,
    size: Annotated[str, Form(pattern=SIZE)] = "1280x720",
) -> HTMLResponse:  # fmt: skip
    """Puts a movie in the row, or of what stands `still` a picture."""
    if over == "still":
        return _begun(studio, state, name, PictureOrder(state.row.slug, plate, name, size))
    if kind not in MOVIE_KINDS:
        raise HTTPException(422, f"movies are made as {', '.join(MOVIE_KINDS)}")
    return _begun(studio, state, name, MovieOrder(state.row.slug, plate, name, over, pictures, kind, size))


@router.post("/studies/{slug}/results/{name}/files")
def begin_file(
    studio: StudioHere, state: StateHere, name: str, kind: Annotated[str, Form(max_length=10)],
    of: Literal["cells", "patches"] = Form("cells"), when: Literal["end", "every"] = Form("end"),
    quantity: Annotated[list[str] | None, Form(max_length=60)] = None,
) -> HTMLResponse:  # fmt: skip
    """Puts fields in a file in the row."""
    if kind not in FIELD_FORMATS:
        raise HTTPException(422, f"fields are written as {', '.join(FIELD_FORMATS)}")
    order = FieldsOrder(state.row.slug, name, kind, of, when == "every", tuple(quantity or ()))
    return _begun(studio, state, name, order)


def _begun(studio: Studio, state: StateHere, name: str, order: Order) -> HTMLResponse:
    state.variant(name)
    made = studio.orders.begin(order)
    return _shown(state.row.slug, name, made, studio.orders.told(made) or {})


@router.get("/studies/{slug}/results/{name}/made/{order}")
def how_far(studio: StudioHere, state: StateHere, name: str, order: str) -> HTMLResponse:
    told = studio.orders.told(order)
    if told is None:
        raise HTTPException(404, "this is no longer kept; make it anew")
    return _shown(state.row.slug, name, order, told)


@router.post("/studies/{slug}/results/{name}/made/{order}/stop")
def stop(studio: StudioHere, state: StateHere, name: str, order: str) -> HTMLResponse:
    studio.orders.stop(order)
    return how_far(studio, state, name, order)


@router.get("/studies/{slug}/results/{name}/made/{order}/file")
def file(studio: StudioHere, state: StateHere, name: str, order: str) -> FileResponse:
    path = studio.orders.path(order)
    if path is None or not path.exists():
        raise HTTPException(404, "this is not there; make it anew")
    return FileResponse(path, media_type=TYPES[path.suffix], headers=download(f"{state.row.slug}-{name}{path.suffix}"))


def _shown(slug: str, name: str, order: str, told: dict[str, Any]) -> HTMLResponse:
    size = f"{told['bytes'] / 1e6:.2g} MB" if "bytes" in told else ""
    at = f"/studies/{slug}/results/{name}/made/{order}"
    return render("results/order.html", {"at": at, "told": told, "size": size})
