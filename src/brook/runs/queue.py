"""The queue: Dask distributed, on this machine or any cluster by address.

Workers report by the engine's own events; whoever owns the queue gets them through `listen`. Everything speaks by TLS with
the keys of the data folder, and there is no page of the engine's own: neither its scheduler nor its workers answer others.
"""

from __future__ import annotations

import asyncio
import os
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import dask
from distributed import Client, Event, Future, LocalCluster, Status, Worker, WorkerPlugin, get_client, get_worker

from brook.core.memory import gb, killed_for_memory, mind_limits, most_here
from brook.core.solve.run import Wish
from brook.runs.afar.away import Away, GaveUp, is_shared
from brook.runs.afar.carrier import Carrier
from brook.runs.afar.pieces import Roots
from brook.runs.keys import Keys, checked_address
from brook.runs.sharing import CORES_ASKED, MEMORY_ASKED, Machine
from brook.runs.spent import CoresHeld, Spent
from brook.runs.task import Request, bring_up_to_date
from brook.store.files import ResultFiles
from brook.store.room import trouble_of

BEHIND_PAGES = 10
COUNTED = 0.5  # seconds for which a count of workers is believed
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
        if event["type"] != "kept":  # the folder is the server's: it is there
            worker.log_event(topic, {"run": request.run_id, **event})

    def wish() -> Wish:
        # without its queue a worker must not write on: another one may already do this run
        nursed = worker.nanny is not None
        if (nursed and os.getppid() != parent) or worker.status not in (Status.running, Status.paused):
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
        if is_shared(request):
            return bring_up_to_date(request, emit, wish)
        return _away(Away(request, topic, worker.address, emit, wish), wish)
    finally:
        emit({"type": "spent", **spent.told()})


def _away(away: Away, wish: Callable[[], Wish]) -> dict[str, Any]:
    """A run whose inputs and results travel; what it made until an error is kept for going on, unless there is nobody to keep it."""
    try:
        done = bring_up_to_date(away.request, away.emit, wish, away.bring)
    except (Abandoned, GaveUp):
        raise
    except Exception:
        away.close()
        raise
    away.close()
    return done


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
        self._roots: dict[int, Roots] = {}  # of runs that were submitted: where their data folder is
        self._carrier = Carrier(self._in_worker, listen)
        self._killed = killed_for_memory()
        self._counted = float("-inf"), 0  # when, and how many workers there were
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

    def submit(self, request: Request, asks: dict[str, float] | None = None) -> None:
        """Hands a run over; `asks` is what its worker must have, where workers say what they have: `sharing.asks`."""
        assert self._client is not None, "the queue is not started"
        key = f"brook-run-{request.job}"
        future = self._client.submit(
            work, request, self._keys.topic, key=key, pure=False, retries=0, resources=asks or None
        )
        with self._lock:
            self._futures[request.job] = future
            self._roots[request.run_id] = Roots(Path(request.folder), Path(request.shapes))
        future.add_done_callback(lambda done: self._on_done(request, done))

    def share(self, cores: dict[str, int]) -> None:
        """Says how many cores each of these runs has, by its job; they mind it within seconds."""
        if self._client is not None and self._cluster is not None:
            self._client.set_metadata([CORES], cores)

    @property
    def cores(self) -> int:
        """How many runs may be under way together: cores of this machine, or the workers of a cluster."""
        return self._workers if self._scheduler is None else max(1, self.load()["workers"])

    def machines(self) -> list[Machine]:
        """Workers of a cluster elsewhere, with what they say they have."""
        if self._client is None or self.is_here:
            return []
        there = self._client.scheduler_info(n_workers=-1)["workers"]
        found = [(str(w["name"]), w.get("resources") or {}) for w in there.values()]
        return [Machine(name, int(has.get(CORES_ASKED, 0)), int(has.get(MEMORY_ASKED, 0))) for name, has in found]

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
        if time.monotonic() > self._counted[0] + COUNTED:
            workers = len(self._client.scheduler_info(n_workers=-1)["workers"]) if self._client else 0
            self._counted = time.monotonic(), workers
        return {"workers": self._counted[1], "runs": len(self._futures)}

    def close(self) -> None:
        self._carrier.close()
        client, self._client = self._client, None
        if client is not None:
            client.close(timeout=5)
        if self._cluster is not None:
            self._cluster.close(timeout=10)

    async def _on_event(self, event: tuple[float, dict[str, Any]]) -> None:
        if event[1]["type"] not in ("wanted", "offered"):
            await asyncio.to_thread(self._listen, event[1])
        elif (roots := self._roots.get(event[1]["run"])) is not None:
            self._carrier.take(event[1], roots)

    def _in_worker(self, worker: str, function: Callable[..., Any], *arguments: Any) -> Any:
        """What a function gives in a worker, by its address. Raises what it raises, and `OSError` where the worker is gone."""
        if self._client is None:
            raise OSError("the queue is closed")
        return self._client.run(function, *arguments, workers=[worker])[worker]

    def _on_done(self, request: Request, future: Future) -> None:
        with self._lock:
            self._futures.pop(request.job, None)
            self._roots.pop(request.run_id, None)
        if self._client is None:
            return  # the server is going down: the run stays in the store's queue
        event: dict[str, Any] = {"run": request.run_id, "type": "ended"}
        if future.status == "finished":
            event |= future.result()
            if request.mark:
                _tidy(request, event["state"])
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


def _tidy(request: Request, state: str) -> None:
    """What a worker elsewhere sent of a run under way goes with its end, as it does where the worker does that itself."""
    mine = ResultFiles(Path(request.folder)).of_run(request.run_id)
    if state in ("converged", "enough", "diverged"):
        mine.clear()
    elif state != "paused":
        mine.clear_live()


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
