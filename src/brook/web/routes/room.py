"""How much room the disk has, for the top bar of every page and as JSON."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse
from pydantic import BaseModel, Field

from brook.store.room import Room
from brook.web.pages import StudioHere, render

router = APIRouter()
api = APIRouter(prefix="/api", tags=["server"])


class RoomOut(BaseModel):
    free: int = Field(description="bytes on the disk of the data folder")
    total: int
    warning: str = Field(description="in words, when less than 5 % is free or nothing can be written")


@router.get("/room")
def room_line(studio: StudioHere) -> HTMLResponse:
    return render("room.html", {"words": studio.hub.trouble or Room.at(studio.store.data).words})


@api.get("/room")
def room(studio: StudioHere) -> RoomOut:
    """How much room there is for studies and results."""
    now = Room.at(studio.store.data)
    return RoomOut(free=now.free, total=now.total, warning=studio.hub.trouble or now.words)
