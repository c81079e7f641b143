"""The application: store, queue and hub put together, and the routes."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path

import uvicorn
from fastapi import FastAPI, Request, Response
from fastapi.staticfiles import StaticFiles

from brook import demo
from brook.runs import RunQueue
from brook.store import Store
from brook.store.lock import DataInUse, DataLock
from brook.web.hub import Hub
from brook.web.pages import STATIC, message_page
from brook.web.routes import ROUTERS
from brook.web.studio import Studio

POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)


def create_app(
    data: Path, scheduler: str | None = None, with_demo: bool = False, workers: int | None = None
) -> FastAPI:
    """The web application on a data folder; the queue starts and ends with it.

    Its start raises `DataInUse` when another process serves the folder.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        lock = DataLock(data)
        store = Store(data)
        hub = Hub(store)
        queue = RunQueue(hub.receive, scheduler, workers)
        studio = app.state.studio = Studio(store, queue, hub)
        hub.start(asyncio.get_running_loop())

        def begin() -> None:
            if with_demo:
                demo.load(studio)
            studio.desk.start()
            queue.start()
            studio.resume()

        starting = asyncio.create_task(asyncio.to_thread(begin))
        starting.add_done_callback(_tell_failure)
        yield
        await asyncio.wait([starting])
        await asyncio.to_thread(queue.close)
        studio.desk.close()
        hub.close()
        store.close()
        lock.release()

    app = FastAPI(title="Brook", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for router in ROUTERS:
        app.include_router(router)
    app.add_exception_handler(404, message_page)
    app.add_exception_handler(500, message_page)
    app.middleware("http")(_guard)
    return app


def _tell_failure(task: asyncio.Task[None]) -> None:
    if not task.cancelled() and task.exception() is not None:
        print(f"the queue could not be started: {task.exception()!r}", flush=True)


async def _guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Changes only from Brook's own pages; nothing loaded from outside."""
    origin = request.headers.get("origin")
    if request.method not in ("GET", "HEAD") and origin is not None:
        host = request.headers.get("host", "")
        if origin.split("://", 1)[-1] != host:
            return Response("a change has to come from Brook's own pages", status_code=403)
    response = await call_next(request)
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    return response


def serve(data: Path, host: str, port: int, scheduler: str | None, with_demo: bool) -> None:
    """Serves until interrupted."""
    if host not in ("127.0.0.1", "localhost", "::1"):
        raise SystemExit(
            "Brook has no login yet, so it serves only on 127.0.0.1; use a tunnel to reach it from elsewhere"
        )
    try:
        DataLock(data).release()
    except DataInUse as error:
        raise SystemExit(str(error)) from error
    print(f"Brook is at http://{host}:{port}/", flush=True)
    uvicorn.run(create_app(data, scheduler, with_demo), host=host, port=port, log_level="warning")
