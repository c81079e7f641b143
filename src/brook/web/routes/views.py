"""Arrays for the canvases, straight from the result files."""

from __future__ import annotations

import re
from math import isfinite

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, Response

from brook.core.mesh.files import MESH_FORMATS
from brook.runs.cuts import cut_array, mesh_boundary, write_mesh_file
from brook.runs.scene_readout import BOUNDARY
from brook.web.pages import StudioHere
from brook.web.routes.readout import KEEP, ask

router = APIRouter()
KEY = re.compile(r"^[0-9a-f]{20}$")
MOMENT = re.compile(r"^at-\d{4}-(speed|velocity_[xyz]|pressure|temperature)\.f32$")
ARRAYS = {
    "mesh": {BOUNDARY, "corners.f32", "offsets.u32", "aspect_ratio.f32", "size.f32"},
    "run": {"speed.f32", "velocity_x.f32", "velocity_y.f32", "velocity_z.f32", "pressure.f32", "temperature.f32"},
}


@router.get("/views/{stage}/{key}/{array}")
def view(studio: StudioHere, stage: str, key: str, array: str) -> Response:
    """An array of a result; results never change under their key, so browsers may keep them."""
    if not KEY.match(key) or not (array in ARRAYS.get(stage, ()) or (stage == "run" and MOMENT.match(array))):
        raise HTTPException(404, "there is no such array")
    path = studio.store.files.folder(stage, key) / array
    if (
        array == BOUNDARY and not path.exists() and path.with_name("mesh.npz").exists()
    ):  # of a mesh that was made before they were kept
        content = ask(studio, mesh_boundary, str(studio.store.files.root), key)
        return Response(content, media_type="application/octet-stream", headers=KEEP)
    if not path.exists():
        raise HTTPException(404, "this result is no longer kept; bring the variant up to date")
    headers = {"Cache-Control": "max-age=86400, immutable"}
    return FileResponse(path, media_type="application/octet-stream", headers=headers)


@router.get("/views/mesh/{key}/cut/{axis}/{at}/{name}.{kind}")
def cut(studio: StudioHere, key: str, axis: str, at: float, name: str, kind: str) -> Response:
    """An array of the cells of a mesh in space where a plane across an axis at a place in m cuts them."""
    if not KEY.match(key) or axis not in ("x", "y", "z") or not isfinite(at) or kind not in ("f32", "u32"):
        raise HTTPException(404, "there is no such cut")
    content = ask(studio, cut_array, str(studio.store.files.root), key, "xyz".index(axis), at, name)
    return Response(content, media_type="application/octet-stream", headers=KEEP)


@router.get("/views/mesh/{key}/file/{name}.{suffix}")
def mesh_file(studio: StudioHere, key: str, name: str, suffix: str) -> FileResponse:
    """A mesh as a file of an open standard, written when it is first asked for."""
    folder = studio.store.files.folder("mesh", key)
    if not KEY.match(key) or suffix not in MESH_FORMATS or not (folder / "mesh.npz").exists():
        raise HTTPException(404, "there is no such mesh; build it anew")
    path = folder / f"mesh.{suffix}"
    if not path.exists():
        ask(studio, write_mesh_file, str(studio.store.files.root), key, suffix)
    return FileResponse(path, media_type=MESH_FORMATS[suffix].media_type, filename=f"{name}.{suffix}")
