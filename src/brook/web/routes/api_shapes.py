"""Shapes in space as JSON: bringing a file in, and what is said of a shape."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Path, UploadFile
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field

from brook.core.editing import EditRefused
from brook.core.geometry.files import FileError
from brook.runs import SideProcessError
from brook.web.pages import StudioHere
from brook.web.routes.api import StateHere
from brook.web.routes.shapes import received
from brook.web.shapes import making_of
from brook.web.state import StudyState, VariantState

router = APIRouter(prefix="/api", tags=["shapes"])
Name = Annotated[str, Path(max_length=60)]


class FileOut(BaseModel):
    file: str
    patches: list[str]
    colours: dict[str, str] = Field(description="those that the file gives to its patches")
    triangles: int
    unit: str = Field(description="what the format says; when empty, set the unit of the part")
    likely: str
    sizes: dict[str, list[float]] = Field(description="sides of the box in m, if the numbers are in each unit")


class ShapeOut(BaseModel):
    state: str = Field(description="done, working, failed, or none while there is no part")
    words: str
    said: dict[str, Any] | None = Field(description="of the shape as it is when done, else of the one before")


def _space(state: StudyState, name: str) -> VariantState:
    try:
        variant = state.variant(name)
    except KeyError:
        raise HTTPException(404, f"'{name}' is not a variant of this study") from None
    if variant.variant.geometry.kind != "space":
        raise HTTPException(404, f"'{name}' is a plane drawing")
    return variant


@router.get("/studies/{slug}/shapes/{name}")
def shape(studio: StudioHere, state: StateHere, name: Name) -> ShapeOut:
    """How a shape in space stands: patches, findings, openings, bodies. Asking begins to make it."""
    making = making_of(studio, state, _space(state, name))
    if making is None:
        return ShapeOut(state="none", words="", said=None)
    return ShapeOut(state=making.state, words=making.words, said=making.said)


@router.post("/studies/{slug}/shapes/{name}/files")
async def bring_in(studio: StudioHere, state: StateHere, name: Name, file: UploadFile) -> FileOut:
    """Adds the triangles of a file to a shape."""
    variant = _space(state, name)
    try:
        file_name, content, found = await received(studio, file)
        values = {"variant": str(variant.index), "file": file_name, "content": content, "unit": found["unit"],
                  "colours": json.dumps(found["colours"])}  # fmt: skip
        await run_in_threadpool(studio.act, state.row.slug, "take_file", values)
    except (FileError, SideProcessError, EditRefused) as error:
        raise HTTPException(422, {"problems": [{"path": "", "message": str(error), "kind": "wrong"}]}) from error
    return FileOut(file=file_name, **found)
