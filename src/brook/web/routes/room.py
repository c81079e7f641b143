"""Room on the disk: how much there is, what takes it, clearing by rule, and studies as files."""

from __future__ import annotations

import os
from collections.abc import Iterable
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, HTMLResponse
from pydantic import BaseModel, Field

from brook.core.memory import gb
from brook.core.study import DocumentError, read_study
from brook.runs.archive.taking import TakeOrder
from brook.runs.archive.writing import CHOICES, SUFFIX, ArchiveOrder, Choice
from brook.runs.orders import Order
from brook.store.clearing import Kept
from brook.store.room import Room
from brook.store.tables import StudyRow
from brook.web.keeping import LEAST, MOST
from brook.web.pages import AuthorHere, RowHere, StudioHere, VisitorHere, render
from brook.web.routes.exports import download
from brook.web.studio import Studio

router = APIRouter()
api = APIRouter(prefix="/api", tags=["server"])
GONE = "this is no longer kept; make it anew"


class RoomOut(BaseModel):
    free: int = Field(description="bytes on the disk of the data folder")
    total: int
    warning: str = Field(description="in words, when less than 5 % is free or nothing can be written")


@router.get("/room/line")
def room_line(studio: StudioHere) -> HTMLResponse:
    return render("room/line.html", {"words": studio.hub.trouble or Room.at(studio.store.data).words})


@api.get("/room")
def room(studio: StudioHere) -> RoomOut:
    """How much room there is for studies and results."""
    now = Room.at(studio.store.data)
    return RoomOut(free=now.free, total=now.total, warning=studio.hub.trouble or now.words)


# -- the page ---------------------------------------------------------------------------------


def told_bytes(count: int) -> str:
    """As 12 MB, to two digits."""
    return gb(count) if count >= 1e9 else f"{count / 1e6:.2g} MB" if count < 1e8 else f"{count / 1e6:.0f} MB"


def _title(row: StudyRow) -> str:
    try:
        return read_study(row.document).title or row.slug
    except DocumentError:
        return row.slug


def _sum(kept: Iterable[Kept]) -> int:
    return sum(one.bytes for one in kept)


def _seen(studio: Studio, days: int | None = None, notice: str = "") -> dict[str, Any]:
    there, now, rule = studio.keeping.taken(), Room.at(studio.store.data), studio.keeping.rule
    days = days or rule.days
    due = studio.keeping.due(there, days)
    rows: list[dict[str, Any]] = []
    for row in studio.store.studies():
        shown, earlier = ([one for one in part if row.id in one.studies] for part in (there.shown, there.earlier))
        rows.append({"slug": row.slug, "title": _title(row), "shown": _sum(shown), "earlier": _sum(earlier), "count": len(shown), "older": len(earlier)})  # fmt: skip
    rows.sort(key=lambda r: -(r["shown"] + r["earlier"]))
    ours = _sum(there.shown) + _sum(there.earlier) + sum(there.rest.values())
    nobodys = [one for one in there.earlier if not one.studies]
    return {
        "rows": rows, "rest": there.rest, "free": now.free, "total": now.total, "ours": ours, "shown": _sum(there.shown), "earlier": _sum(there.earlier),
        "older": len(there.earlier), "nobodys": _sum(nobodys), "due": due, "due_bytes": _sum(due), "days": days, "rule": rule, "told": told_bytes, "choices": CHOICES,
        "least": LEAST, "most": MOST, "notice": notice, "whole": False, "words": studio.hub.trouble or now.words,
    }  # fmt: skip


@router.get("/room")
def page(studio: StudioHere, days: Annotated[str, Query(max_length=40)] = "", part: str = "") -> HTMLResponse:
    """The page; what was typed as days and is none is said, and the rule's own stand."""
    typed = days.strip()
    good = typed.isdecimal() and len(typed) < 6 and LEAST <= int(typed) <= MOST
    told = "" if good or not typed else f"'{typed}' is no number of days: type a whole number from {LEAST} to {MOST}."
    return render(
        f"room/{'body' if part == 'body' else 'page'}.html", _seen(studio, int(typed) if good else None, told)
    )


@router.post("/room/rule")
def change_rule(
    studio: StudioHere, days: Annotated[int, Form(ge=LEAST, le=MOST)], on: Annotated[str, Form()] = ""
) -> HTMLResponse:
    """Says after how many days earlier results may go, and whether they do by themselves."""
    studio.keeping.change(days, bool(on))
    return render("room/body.html", _seen(studio))


@router.post("/room/clear")
def clear(studio: StudioHere, author: AuthorHere, days: Annotated[int, Form(ge=LEAST, le=MOST)]) -> HTMLResponse:
    """Takes earlier results away that are older than so many days."""
    count, free = studio.keeping.clear(days, author.name or "hand")
    words = f"{count} earlier result{'s' if count != 1 else ''} cleared, {told_bytes(free)}." if count else "There was nothing to clear."  # fmt: skip
    return render("room/body.html", _seen(studio, days, words))


# -- archives ---------------------------------------------------------------------------------


@router.post("/studies/{slug}/archive")
def begin_archive(studio: StudioHere, row: RowHere, choice: Annotated[Choice, Form()] = "shown") -> HTMLResponse:
    """Begins to write a study as one file."""
    return _begun(studio, f"/studies/{row.slug}/archive", ArchiveOrder(row.slug, choice))


@router.get("/studies/{slug}/archive/{order}")
def archive(studio: StudioHere, row: RowHere, order: str) -> HTMLResponse:
    return _shown(studio, f"/studies/{row.slug}/archive", order)


@router.post("/studies/{slug}/archive/{order}/stop")
def stop_archive(studio: StudioHere, row: RowHere, order: str) -> HTMLResponse:
    studio.orders.stop(order)
    return archive(studio, row, order)


@router.get("/studies/{slug}/archive/{order}/file")
def archive_file(studio: StudioHere, row: RowHere, order: str) -> FileResponse:
    path = studio.orders.path(order)
    if path is None or path.suffix != SUFFIX or not path.exists():
        raise HTTPException(404, GONE)
    return FileResponse(path, media_type="application/zip", headers=download(f"{row.slug}{SUFFIX}"))


@router.post("/archives")
async def take_in(request: Request, studio: StudioHere, visitor: VisitorHere, author: AuthorHere, name: Annotated[str, Query(max_length=200)] = "archive.zip") -> HTMLResponse:  # fmt: skip
    """Takes the archive in that is the body of the request."""
    order = await _received(request, studio, name, author.name, visitor.id)
    return await run_in_threadpool(_begun, studio, "/archives", order)


@router.get("/archives/{order}")
def arrival(studio: StudioHere, order: str) -> HTMLResponse:
    return _shown(studio, "/archives", order)


@router.post("/archives/{order}/stop")
def stop_arrival(studio: StudioHere, order: str) -> HTMLResponse:
    studio.orders.stop(order)
    return arrival(studio, order)


async def _received(request: Request, studio: Studio, name: str, who: str, person: int) -> TakeOrder:
    """The archive on the disk, beside results; read by nobody yet."""
    with studio.store.shapes.receiving() as receiving:
        async for piece in request.stream():
            await run_in_threadpool(receiving.take, piece)
        kept = receiving.temporary.with_name(f"{receiving.temporary.name}-archive")
        await run_in_threadpool(receiving.temporary.touch)
        await run_in_threadpool(os.replace, receiving.temporary, kept)
    return TakeOrder(str(kept), name, who, person)


def _begun(studio: Studio, at: str, order: Order) -> HTMLResponse:
    return _shown(studio, at, studio.orders.begin(order))


def _shown(studio: Studio, at: str, order: str) -> HTMLResponse:
    told = studio.orders.told(order)
    if told is None:
        raise HTTPException(404, GONE)
    study = ""
    if told["state"] == "made" and told["of"] == "study" and (path := studio.orders.path(order)):
        study = path.read_text()
    size = told_bytes(told["bytes"]) if "bytes" in told else ""
    return render("results/order.html", {"at": f"{at}/{order}", "told": told, "size": size, "study": study})


class TakenOut(BaseModel):
    state: str = Field(description="waiting, working, made, failed or stopped")
    words: str
    study: str = Field(description="the address of the study once it is made")
    order: str = Field(description="its name, to ask again")


def _out(studio: Studio, order: str) -> TakenOut:
    told = studio.orders.told(order)
    if told is None or told["of"] != "study":
        raise HTTPException(404, GONE)
    path = studio.orders.path(order)
    return TakenOut(state=told["state"], words=told["words"], study=path.read_text() if path else "", order=order)


@api.post("/archives")
async def take_in_archive(request: Request, studio: StudioHere, visitor: VisitorHere, author: AuthorHere, name: Annotated[str, Query(max_length=200)] = "archive.zip") -> TakenOut:  # fmt: skip
    """Takes in the archive that is the body of the request; ask `/archives/ORDER` how far it is."""
    order = await _received(request, studio, name, author.name, visitor.id)
    return await run_in_threadpool(lambda: _out(studio, studio.orders.begin(order)))


@api.get("/archives/{order}")
def taken_in(studio: StudioHere, order: str) -> TakenOut:
    """How taking in an archive stands."""
    return _out(studio, order)
