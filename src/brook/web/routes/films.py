"""Movies of plates on the page of results: begun, watched, stopped, taken along."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException
from fastapi.responses import FileResponse, HTMLResponse

from brook.web.pages import StateHere, StudioHere, render
from brook.web.routes.exports import download

router = APIRouter()
TYPES = {".webm": "video/webm", ".mp4": "video/mp4"}


@router.post("/studies/{slug}/results/{name}/movies")
def begin(
    studio: StudioHere, state: StateHere, name: str, plate: Annotated[str, Form(max_length=40)], over: Annotated[str, Form(max_length=10)] = "time",
    kind: Annotated[str, Form(max_length=6)] = ".webm", pictures: Annotated[int, Form(ge=2, le=1000)] = 100,
) -> HTMLResponse:  # fmt: skip
    """Puts a movie in the row."""
    state.variant(name)
    try:
        film = studio.films.begin(state.row.slug, plate, name, over, pictures, kind)
    except ValueError as error:
        raise HTTPException(422, str(error)) from None
    return _shown(state.row.slug, name, film, studio.films.told(film) or {})


@router.get("/studies/{slug}/results/{name}/movies/{film}")
def how_far(studio: StudioHere, state: StateHere, name: str, film: str) -> HTMLResponse:
    told = studio.films.told(film)
    if told is None:
        raise HTTPException(404, "this movie is no longer kept; make it anew")
    return _shown(state.row.slug, name, film, told)


@router.post("/studies/{slug}/results/{name}/movies/{film}/stop")
def stop(studio: StudioHere, state: StateHere, name: str, film: str) -> HTMLResponse:
    studio.films.stop(film)
    return how_far(studio, state, name, film)


@router.get("/studies/{slug}/results/{name}/movies/{film}/file")
def file(studio: StudioHere, state: StateHere, name: str, film: str) -> FileResponse:
    path = studio.films.path(film)
    if path is None or not path.exists():
        raise HTTPException(404, "this movie is not there; make it anew")
    return FileResponse(path, media_type=TYPES[path.suffix], headers=download(f"{state.row.slug}-{name}{path.suffix}"))


def _shown(slug: str, name: str, film: str, told: dict[str, Any]) -> HTMLResponse:
    size = f"{told['bytes'] / 1e6:.2g} MB" if "bytes" in told else ""
    return render("results/movie.html", {"slug": slug, "name": name, "film": film, "told": told, "size": size})
