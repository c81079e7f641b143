"""Arrays of pictures in space: the boundary of a result's mesh, and layers by their recipes."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import FileResponse, Response
from pydantic import BaseModel, Field

from brook.runs import Source, scene_readout
from brook.store import StoreError
from brook.web.pages import StudioHere
from brook.web.routes.exports import download
from brook.web.routes.readout import KEEP, MOMENT, ask, source_of
from brook.web.studio import Studio

router = APIRouter()
MOST_KNOWN = 500
BYTES = "application/octet-stream"
_meshes: dict[tuple[int, str, str], str] = {}


@router.get("/studies/{slug}/variants/{name}/boundary/{run}.bin")
def boundary(studio: StudioHere, slug: str, name: str, run: str) -> Response:
    """The boundary of the mesh of a run, packed as `Drawn.packed` says."""
    source = result_of(studio, slug, name, run)
    kept = studio.store.files.folder("mesh", source.mesh_key) / scene_readout.BOUNDARY
    if kept.exists():
        return FileResponse(kept, media_type=BYTES, headers=KEEP)
    return Response(ask(studio, scene_readout.boundary_of, source), media_type=BYTES, headers=KEEP)


@router.get("/studies/{slug}/variants/{name}/usual/{run}/{quantity}.bin")
def usual(studio: StudioHere, slug: str, name: str, run: str, quantity: str) -> Response:
    """The cut that a page begins with, in the colours of a quantity; of the first quantities straight from the run's own files."""
    source = result_of(studio, slug, name, run)
    kept = studio.store.files.folder("run", run) / scene_readout.usual_name(quantity)
    if quantity in scene_readout.FIRST and kept.exists():
        return FileResponse(kept, media_type=BYTES, headers=KEEP)
    return Response(ask(studio, scene_readout.usual, source, quantity), media_type=BYTES, headers=KEEP)


class Asked(BaseModel):
    """A layer coloured by a quantity, from its recipe as JSON; `less` is NAME:RUN of the variant it is a difference to; `coarse` while
    a cut moves; at a `moment` that the run kept, by its number."""

    quantity: str
    recipe: Annotated[str, Field(max_length=scene_readout.MOST_RECIPE)]
    less: str = ""
    coarse: bool = False
    moment: Annotated[str, Field(pattern=MOMENT)] = ""


@router.get("/studies/{slug}/variants/{name}/layer/{run}.bin")
def layer(studio: StudioHere, slug: str, name: str, run: str, asked: Annotated[Asked, Query()]) -> Response:
    """A layer, packed as `Drawn.packed` says."""
    other, _, its_run = asked.less.partition(":")
    taken = result_of(studio, slug, other, its_run) if asked.less else None
    mine = replace(result_of(studio, slug, name, run), moment=asked.moment)
    content = ask(studio, scene_readout.layer, mine, asked.quantity, asked.recipe, taken, asked.coarse)
    return Response(content, media_type=BYTES, headers=KEEP)


class AskedScene(BaseModel):
    """What a picture shows, as a plate without a name, as JSON; `less` and `moment` as for a layer."""

    plate: Annotated[str, Field(max_length=scene_readout.MOST_RECIPE)]
    less: str = ""
    moment: Annotated[str, Field(pattern=MOMENT)] = ""


@router.post("/studies/{slug}/variants/{name}/scene/{run}.glb")
def scene(studio: StudioHere, slug: str, name: str, run: str, asked: AskedScene) -> Response:
    """What a picture shows, surfaces and lines with their colours, as one glTF file."""
    other, _, its_run = asked.less.partition(":")
    taken = result_of(studio, slug, other, its_run) if asked.less else None
    mine = replace(result_of(studio, slug, name, run), moment=asked.moment)
    title = studio.store.study(slug).variant(name).title
    content = ask(studio, scene_readout.scene, mine, asked.plate, title, taken)
    return Response(content, media_type="model/gltf-binary", headers=download(f"{slug}-{name}.glb"))


def result_of(studio: Studio, slug: str, name: str, run: str) -> Source:
    """The result of a variant if it is that of a run. What mesh a run was made on never changes, so that the state of the study
    is made once for it, not for each of many pictures in a second. 404 where there is none or a newer one."""
    try:
        row = studio.store.study_row(slug)
    except StoreError as error:
        raise HTTPException(404, str(error)) from error
    key = (row.id, name, run)
    if key not in _meshes:
        source = source_of(studio, studio.state(slug), name)
        if source.run_key != run:
            raise HTTPException(404, "there is a newer result; load the page again")
        while len(_meshes) >= MOST_KNOWN:
            del _meshes[next(iter(_meshes))]
        _meshes[key] = source.mesh_key
    root = str(studio.store.files.root.resolve())
    return Source(root, _meshes[key], run, row.document, name)
