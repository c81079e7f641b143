"""The queue: Dask distributed, on this machine or any cluster by address.

Workers report by the engine's own events; whoever owns the queue gets them through `listen`. Everything speaks by TLS with
the keys of the data folder, and there is no page of the engine's own: neither its scheduler nor its workers answer others.
"""

from __future__ import annotations

import asyncio
import os
import threading
from collections.abc import Callable
from typing import Any

import dask
from distributed import Client, Event, Future, LocalCluster, Status, Worker, WorkerPlugin, get_client, get_worker

from brook.core.memory import gb, killed_for_memory, mind_limits, most_here
from brook.core.solve.run import Wish
from brook.runs.keys import Keys, checked_address
from brook.runs.spent import CoresHeld, Spent
from brook.runs.task import Request, bring_up_to_date
from brook.store.room import trouble_of

BEHIND_PAGES = 10
LOCAL = {
    # a worker gets its next run when it is free, so that none waits behind a long one while another worker idles
    "distributed.scheduler.worker-saturation": 1.0,
    "distributed.scheduler.http.routes": [],
    "distributed.worker.http.routes": [],
}
CORES = "brook-cores"  # of each run that was submitted, as all workers can read it
Listener = Callable[[dict[str, Any]], None]


class Abandoned(RuntimeError):
    """The queue that asked for this run is gone; a new one goes on from the last checkpoint."""


class NoPages(WorkerPlugin):  # type: ignore[misc]
    """Takes away the page that each worker of the engine would serve."""

    name = "brook-no-pages"

    def setup(self, worker: Worker) -> None:
        worker.http_server.stop()


def work(request: Request, topic: str) -> dict[str, Any]:
    """Runs in a worker process."""
    worker, parent = get_worker(), os.getppid()
    stop, pause = (Event(f"brook-{what}-{request.job}", client=get_client()) for what in ("stop", "pause"))

    cores = CoresHeld(lambda: get_client().get_metadata([CORES], {}).get(request.job))

    def emit(event: dict[str, Any]) -> None:
        worker.log_event(topic, {"run": request.run_id, **event})

    def wish() -> Wish:
        # without its queue a worker must not write on: another one may already do this run
        if os.getppid() != parent or worker.status not in (Status.running, Status.paused):
            raise Abandoned
        try:
            cores.look()
            return "stop" if stop.is_set() else "pause" if pause.is_set() else "go on"
        except (OSError, TimeoutError) as error:
            raise Abandoned from error

    if "://127.0.0.1" in worker.address:
        os.setpriority(os.PRIO_PROCESS, 0, BEHIND_PAGES)  # this thread: pages on the same machine stay quick
    mind_limits()
    spent = Spent()
    emit({"type": "started", "machine": spent.machine})
    try:
        return bring_up_to_date(request, emit, wish)
    finally:
        emit({"type": "spent", **spent.told()})


class RunQueue:
    """Submits runs and passes on what happens to them. Events are dictionaries with `run` and `type`:

    started, stage, history, result, and at the end `ended` with state and message.
    """

    def __init__(
        self, listen: Listener, scheduler: str | None = None, workers: int | None = None, keys: Keys | None = None
    ):
        """Raises `KeysRefused` for the address of a scheduler that would answer anybody."""
        self._listen = listen
        self._scheduler = checked_address(scheduler) if scheduler else None
        self._keys = keys or Keys.fresh()
        self._workers = workers or os.cpu_count() or 1
        self._cluster: LocalCluster | None = None
        self._client: Client | None = None
        self._futures: dict[str, Future] = {}
        self._killed = killed_for_memory()
        self._lock = threading.Lock()

    def start(self) -> None:
        """Connects to the scheduler, or starts a local cluster of single-threaded processes."""
        security = self._keys.security()
        if self._scheduler is None:
            dask.config.set(LOCAL)
            self._cluster = LocalCluster(
                n_workers=self._workers, threads_per_worker=1, processes=True, host="127.0.0.1", protocol="tls://",
                dashboard_address=None, scheduler_kwargs={"dashboard_address": "127.0.0.1:0"}, security=security,
                silence_logs=40, memory_limit=0,  # runs ask for theirs before they begin: `runs.memory`
            )  # fmt: skip
            self._cluster.scheduler.http_server.stop()
            self._client = Client(self._cluster)
            self._client.register_plugin(NoPages())
        else:
            self._client = Client(self._scheduler, security=security)
        self._client.subscribe_topic(self._keys.topic, self._on_event)

    @property
    def ready(self) -> bool:
        return self._client is not None

    def submit(self, request: Request) -> None:
        assert self._client is not None, "the queue is not started"
        key = f"brook-run-{request.job}"
        future = self._client.submit(work, request, self._keys.topic, key=key, pure=False, retries=0)
        with self._lock:
            self._futures[request.job] = future
        future.add_done_callback(lambda done: self._on_done(request, done))

    def share(self, cores: dict[str, int]) -> None:
        """Says how many cores each of these runs has, by its job; they mind it within seconds."""
        if self._client is not None and self._cluster is not None:
            self._client.set_metadata([CORES], cores)

    @property
    def cores(self) -> int:
        """How many runs may be under way together: cores of this machine, or the workers of a cluster."""
        return self._workers if self._scheduler is None else max(1, self.load()["workers"])

    @property
    def is_here(self) -> bool:
        """Its workers are processes of this machine."""
        return self._scheduler is None

    def worker_pids(self) -> dict[str, int]:
        """Process numbers of the local workers that compute now, by address."""
        if self._client is None or self._cluster is None:
            return {}
        busy = {address for address, tasks in self._client.processing().items() if tasks}
        return {a: pid for a, pid in self._client.run(os.getpid).items() if a in busy}

    def stop(self, job: str) -> None:
        """Asks a run to stop and keep what it has; one that still waits is taken out of the queue."""
        if self._client is None:
            return
        Event(f"brook-stop-{job}", client=self._client).set()

    def pause(self, job: str) -> None:
        """Asks a run under way to keep a checkpoint and end."""
        if self._client is not None:
            Event(f"brook-pause-{job}", client=self._client).set()

    def withdraw(self, job: str) -> None:
        """Takes a waiting run out of the queue."""
        with self._lock:
            future = self._futures.get(job)
        if future is not None:
            future.cancel()

    def load(self) -> dict[str, Any]:
        """Workers, and runs not yet ended."""
        workers = len(self._client.scheduler_info(n_workers=-1)["workers"]) if self._client else 0
        return {"workers": workers, "runs": len(self._futures)}

    def close(self) -> None:
        client, self._client = self._client, None
        if client is not None:
            client.close(timeout=5)
        if self._cluster is not None:
            self._cluster.close(timeout=10)

    async def _on_event(self, event: tuple[float, dict[str, Any]]) -> None:
        await asyncio.to_thread(self._listen, event[1])

    def _on_done(self, request: Request, future: Future) -> None:
        with self._lock:
            self._futures.pop(request.job, None)
        if self._client is None:
            return  # the server is going down: the run stays in the store's queue
        event: dict[str, Any] = {"run": request.run_id, "type": "ended"}
        if future.status == "finished":
            event |= future.result()
        elif future.cancelled():
            event |= {"state": "stopped", "message": "taken out of the queue before it began", "iterations": 0}
        else:
            event |= {"state": "failed", "message": self._reason(future.exception()), "iterations": 0}
        self._listen(event)

    def _reason(self, error: BaseException | None) -> str:
        if type(error).__name__ == "KilledWorker":
            before, self._killed = self._killed, killed_for_memory()
            if self._killed > before:
                return (
                    "the system ended the process that computed this run, again and again, for want of memory; it may go "
                    "on from its last checkpoint when there is more, or take a coarser mesh"
                )
            return (
                "the process that computed this run was ended from outside several times, perhaps for want of memory; go "
                "on from the last checkpoint, or try a coarser mesh"
            )
        return reason(error)


def reason(error: BaseException | None) -> str:
    """Why a run failed."""
    name = type(error).__name__
    if trouble := trouble_of(error):
        return f"{trouble}; make that good and bring this variant up to date again, it goes on from what is kept"
    if isinstance(error, MemoryError):
        return f"this run asked for more than the {gb(most_here())} of memory that there are for it; try a coarser mesh"
    if isinstance(error, ValueError):
        return str(error)
    return f"an error in Brook itself ({name}: {error}); nothing else is affected"
