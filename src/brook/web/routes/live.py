"""Server-sent events of a study: what its runs do, and that it was changed."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import Response, StreamingResponse

from brook.core.results.quantities import DRAWN
from brook.core.solve import Checkpoint
from brook.core.solve.history import lifted
from brook.runs.watch import live_layer
from brook.web.pages import AuthorHere, StateHere, StudioHere, variant_of
from brook.web.state import VariantState
from brook.web.studio import Studio

router = APIRouter()
HEARTBEAT = 10.0


@router.get("/studies/{slug}/events")
async def events(
    studio: StudioHere, state: StateHere, author: AuthorHere, request: Request,
    page: Annotated[str, Query(max_length=40)] = "", window: Annotated[str, Query(max_length=40)] = "",
) -> StreamingResponse:  # fmt: skip
    """News of a study as long as the page is open; whoever listens is seen by others who do."""

    async def stream() -> AsyncIterator[str]:
        async with studio.hub.listening(state.row.id) as queue:
            # what happened between the making of the page and now shows in the stamp
            now = await asyncio.to_thread(studio.state, state.row.slug)
            if window:
                studio.hub.come(queue, author.name, page, window)
            yield f"retry: 1000\ndata: {json.dumps({'type': 'hello', 'stamp': now.stamp})}\n\n"
            while not await request.is_disconnected():
                try:
                    event = await asyncio.wait_for(queue.get(), HEARTBEAT)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                yield f"data: {json.dumps(event)}\n\n"

    return StreamingResponse(stream(), media_type="text/event-stream", headers={"Cache-Control": "no-store"})


@router.get("/studies/{slug}/run/{name}/history.json")
def history(studio: StudioHere, state: StateHere, name: str) -> dict[str, Any]:
    """The history of a variant's run: the one under way, or else the newest that ended."""
    variant = variant_of(state, name)
    assert variant is not None
    return run_history(studio, variant)


def run_history(studio: Studio, variant: VariantState) -> dict[str, Any]:
    """Residuals and monitors of the run under way, of a paused one, or of the newest that ended."""
    if variant.is_busy and variant.live is not None and variant.live.iteration:
        return variant.live.history()
    if variant.is_paused and variant.job is not None:
        kept = Checkpoint.load(studio.store.files.of_run(variant.job.id).checkpoint)
        if kept is not None:
            return lifted(json.loads(kept.history))
    if variant.run.key is not None:
        path = studio.store.files.folder("run", variant.run.key) / "history.json"
        if path.exists():
            return lifted(json.loads(path.read_text()))
    return {"start": 0, "residuals": {}, "seconds": [], "time": [], "monitors": {}, "marks": []}


@router.get("/studies/{slug}/run/{name}/live/{quantity}.f32")
def live_picture(studio: StudioHere, state: StateHere, name: str, quantity: str) -> Response:
    """Corner values of the newest picture of a run under way."""
    variant = variant_of(state, name)
    if variant is None or variant.job is None or quantity not in DRAWN:
        raise HTTPException(404, "there is no such picture")
    path = studio.store.files.of_run(variant.job.id).live / f"{quantity}.f32"
    try:
        content = path.read_bytes()
    except OSError:  # the run ended between the news of a picture and this question
        return Response(status_code=204)
    return Response(content, media_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@router.get("/studies/{slug}/run/{name}/live/plate/{plate}/{number}.bin")
def live_layer_of(studio: StudioHere, state: StateHere, name: str, plate: str, number: int) -> Response:
    """A layer of a plate of a run in space that is under way, packed as `Drawn.packed` says."""
    variant = variant_of(state, name)
    known = any(p.name == plate and number < len(p.layers) for p in state.study.plates)
    if variant is None or variant.job is None or not known or number < 0:
        raise HTTPException(404, "there is no such picture")
    try:
        content = (studio.store.files.of_run(variant.job.id).live / live_layer(plate, number)).read_bytes()
    except OSError:
        raise HTTPException(
            404, "this plate is not drawn by this run; plates that were kept before it began are"
        ) from None
    return Response(content, media_type="application/octet-stream", headers={"Cache-Control": "no-store"})
