"""Server-sent events of a study: what its runs do, and that it was changed."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from brook.web.pages import StateHere, StudioHere, variant_of

router = APIRouter()
HEARTBEAT = 10.0


@router.get("/studies/{slug}/events")
async def events(studio: StudioHere, state: StateHere, request: Request) -> StreamingResponse:
    async def stream() -> AsyncIterator[str]:
        async with studio.hub.listening(state.row.id) as queue:
            # what happened between the making of the page and now shows in the stamp
            now = await asyncio.to_thread(studio.state, state.row.slug)
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
    if variant.is_busy and variant.live is not None and variant.live.iteration:
        return variant.live.history()
    if variant.run.key is not None:
        path = studio.store.files.folder("run", variant.run.key) / "history.json"
        if path.exists():
            return json.loads(path.read_text())
    return {"start": 0, "momentum": [], "mass": [], "seconds": [], "monitors": {}}
