"""How far the making ready of compiled code has come, for the top bar of every page and as JSON."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse
from pydantic import BaseModel, Field

from brook.web.pages import StudioHere, render

router = APIRouter()
api = APIRouter(prefix="/api", tags=["server"])


class CompilingOut(BaseModel):
    busy: bool = Field(description="runs that need code which is not there yet wait for it")
    there: int
    total: int = Field(description="0 when everything was there at the start")
    seconds_left: float
    failed: list[str]


@router.get("/compiling")
def compiling_line(studio: StudioHere) -> HTMLResponse:
    return render("compiling.html", {"compiling": studio.kernels.progress})


@api.get("/compiling")
def compiling(studio: StudioHere) -> CompilingOut:
    """How far code has been compiled, once on each machine."""
    now = studio.kernels.progress
    return CompilingOut(
        busy=now.busy, there=now.there, total=now.total, seconds_left=now.seconds_left, failed=list(now.failed.values())
    )
