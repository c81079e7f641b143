"""The application: store, queue and hub put together, and the routes."""

from __future__ import annotations

import asyncio
import contextlib
import gc
import socket
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from dataclasses import dataclass
from pathlib import Path

import uvicorn
from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import DBAPIError

from brook import __version__, demo
from brook.core.checks import prepare
from brook.core.compiling.warming import Warming
from brook.core.study import DocumentError, read_study
from brook.runs import RunQueue
from brook.runs.archive.taking import clear as clear_arriving
from brook.runs.keys import Keys, KeysRefused, checked_address
from brook.store import Store
from brook.store.lock import DataInUse, DataLock
from brook.store.people import People
from brook.store.room import Room, trouble_of
from brook.web.doorman import Doorman
from brook.web.guard import OWN_HOSTS, Guard
from brook.web.hub import Hub
from brook.web.pages import STATIC, message_page, misfit, no_room, unreadable
from brook.web.protocol import Protocol
from brook.web.routes import API, ROUTERS
from brook.web.shapes import making_of
from brook.web.studio import Studio


def create_app(
    data: Path, scheduler: str | None = None, with_demo: bool = False, workers: int | None = None,
    hosts: tuple[str, ...] = (), warming: Warming | None = None,
) -> FastAPI:  # fmt: skip
    """The web application on a data folder; the queue starts and ends with it, and so does the making ready of kernels.

    Its start raises `DataInUse` when another process serves the folder.
    """

    def lifespan(app: FastAPI) -> AbstractAsyncContextManager[None]:
        return _served(app, data, scheduler, workers, with_demo, warming or Warming())

    app = FastAPI(
        title="Brook", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None,
        openapi_url="/api/openapi.json",
    )  # fmt: skip
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    for router in ROUTERS:
        app.include_router(router, include_in_schema=False)
    for router in API:
        app.include_router(router)
    app.add_exception_handler(404, message_page)
    app.add_exception_handler(500, message_page)
    app.add_exception_handler(DocumentError, unreadable)
    app.add_exception_handler(OSError, no_room)
    app.add_exception_handler(DBAPIError, no_room)
    app.add_exception_handler(RequestValidationError, misfit)
    app.add_middleware(Doorman)
    app.add_middleware(Guard, hosts=hosts)  # stands before the other
    return app


@asynccontextmanager
async def _served(
    app: FastAPI, data: Path, scheduler: str | None, workers: int | None, with_demo: bool, kernels: Warming
) -> AsyncIterator[None]:
    """What runs while the application is served: the queue, what stands beside it, and kernels that are made ready."""
    lock = DataLock(data)
    store = Store(data)
    hub = Hub(store)
    queue = RunQueue(hub.receive, scheduler, workers, Keys.of(data))
    studio = app.state.studio = Studio(store, queue, hub, kernels=kernels)
    kernels.start()
    hub.start(asyncio.get_running_loop())

    def begin() -> None:
        if with_demo:
            demo.load(studio)
        tidy_shapes(studio)
        store.files.clear_unfinished(0.0 if scheduler is None else A_DAY)
        store.shapes.clear_unfinished()
        clear_arriving(store.data)
        queue.start()
        studio.resume()
        studio.desk.start()
        studio.aims.start()
        studio.keeping.start()
        kernels.wait_for_first()  # until then all cores are needed for what the first runs wait for
        studio.result_reader.start()
        studio.geometry_worker.start()
        if with_demo:
            demo.load_rest(studio)
            make_shapes(studio)

    starting = asyncio.create_task(asyncio.to_thread(begin))
    starting.add_done_callback(_tell_failure)
    yield
    await asyncio.wait([starting])
    await asyncio.to_thread(kernels.stop)
    studio.desk.close()
    studio.keeping.close()
    await asyncio.to_thread(queue.close)
    studio.result_reader.close()
    studio.geometry_worker.close()
    studio.orders.close()
    studio.aims.close()
    hub.close()
    store.close()
    lock.release()


def tidy_shapes(studio: Studio) -> None:
    """Removes shapes that were only tried, or belong to steps since undone."""
    found = []
    for row in studio.store.studies():
        try:
            study = read_study(row.document)
        except DocumentError:
            return  # what it shows is not known, so nothing is taken away
        found += [prepare(study, variant).space for variant in study.variants]
    studio.store.files.clear_shapes({key for space in found if space for key in (space.key, space.bodies_key)})


def make_shapes(studio: Studio) -> None:
    """Begins to make the shapes in space that nobody has made yet."""
    for row in studio.store.studies():
        with contextlib.suppress(DocumentError):  # its card on the shelf says so
            state = studio.state(row.slug)
            for variant in state.variants:
                making_of(studio, state, variant)


def _tell_failure(task: asyncio.Task[None]) -> None:
    if not task.cancelled() and task.exception() is not None:
        print(f"the queue could not be started: {task.exception()!r}", flush=True)


A_DAY = 86_400.0
TRIED = 20  # ports, from the one that was asked for on


def free_port(host: str, port: int) -> int:
    """The first free port from this one on. Raises `SystemExit` when there is none near."""
    last = min(port + TRIED - 1, 65535)
    for one in range(port, last + 1):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as tried:
            tried.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                tried.bind((host, one))
            except OSError:
                continue
            return one
    raise SystemExit(f"ports {port} to {last} are all taken; choose another with --port")


@dataclass(frozen=True)
class Outside:
    """How others than this machine reach the server: `names` that it answers to, and the files of its certificate and key; `plain` where something before it speaks
    TLS."""

    names: tuple[str, ...] = ()
    certificate: Path | None = None
    key: Path | None = None
    plain: bool = False

    def mind(self, host: str, people: bool) -> None:
        """Raises `SystemExit` where strangers would get in, or passwords would travel in the clear."""
        here = host in OWN_HOSTS
        if not people and (not here or self.names):
            raise SystemExit(
                "Brook serves others only where they sign in; add yourself first: brook people add NAME --administers --data DIR"
            )
        if not here and self.certificate is None and not self.plain:
            raise SystemExit(
                "passwords would travel in the clear: name a certificate by --certificate and --certificate-key, or serve on 127.0.0.1 behind a "
                "reverse proxy with TLS; --plain where the network itself is trusted"
            )
        if (self.certificate is None) != (self.key is None):
            raise SystemExit("a certificate needs its key: name both --certificate and --certificate-key")


def serve(
    data: Path, host: str, port: int, scheduler: str | None, with_demo: bool, warming: Warming | None = None, outside: Outside | None = None,
) -> None:  # fmt: skip
    """Serves until interrupted."""
    outside = outside or Outside()
    try:
        DataLock(data).release()
        Keys.of(data)
        if scheduler is not None:
            checked_address(scheduler)
        store = Store(data)
        outside.mind(host, People(store).are_there())
        store.close()
    except (DataInUse, KeysRefused) as error:
        raise SystemExit(str(error)) from error
    except (OSError, DBAPIError) as error:
        if not (trouble := trouble_of(error)):
            raise
        raise SystemExit(f"{trouble}, so Brook cannot serve the data in '{data.name}'") from error
    if words := Room.at(data).words:
        print(f"{words}; runs will wait when there is no room", flush=True)
    free = free_port(host, port)
    gc.freeze()  # what was loaded stays
    if free != port:
        print(f"port {port} is taken, so this is on {free}", flush=True)
    names = (*outside.names, *((host,) if host not in ("0.0.0.0", "::") else ()))
    app = create_app(data, scheduler, with_demo, hosts=names, warming=warming)
    tls = {"ssl_certfile": outside.certificate, "ssl_keyfile": outside.key} if outside.certificate else {}
    config = uvicorn.Config(app, host=host, port=free, log_level="warning", timeout_keep_alive=75, http=Protocol, **tls)  # type: ignore[arg-type]
    scheme = "https" if tls else "http"
    _Server(config, f"{scheme}://{f'[{host}]' if ':' in host else host}:{free}/").run()


class _Server(uvicorn.Server):
    """Says its address once it answers there."""

    def __init__(self, config: uvicorn.Config, address: str) -> None:
        super().__init__(config)
        self._address = address

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            print(f"Brook is at {self._address}", flush=True)
