"""The queue: Dask distributed, on this machine or any cluster by address.

Workers report by the engine's own events; whoever owns the queue gets them through `listen`.
"""

from __future__ import annotations

import asyncio
import os
import threading
from collections.abc import Callable
from typing import Any

import dask
from distributed import Client, Event, Future, LocalCluster, Status, get_client, get_worker

from brook.core.solve.run import Wish
from brook.runs.task import Request, bring_up_to_date

TOPIC = "brook-runs"
BEHIND_PAGES = 10
Listener = Callable[[dict[str, Any]], None]


class Abandoned(RuntimeError):
    """The queue that asked for this run is gone; a new one goes on from the last checkpoint."""


def work(request: Request) -> dict[str, Any]:
    """Runs in a worker process."""
    worker, parent = get_worker(), os.getppid()
    stop, pause = (Event(f"brook-{what}-{request.run_id}", client=get_client()) for what in ("stop", "pause"))

    def emit(event: dict[str, Any]) -> None:
        worker.log_event(TOPIC, {"run": request.run_id, **event})

    def wish() -> Wish:
        # without its queue a worker must not write on: another one may already do this run
        if os.getppid() != parent or worker.status not in (Status.running, Status.paused):
            raise Abandoned
        try:
            return "stop" if stop.is_set() else "pause" if pause.is_set() else "go on"
        except (OSError, TimeoutError) as error:
            raise Abandoned from error

    if worker.address.startswith("tcp://127.0.0.1"):
        os.setpriority(os.PRIO_PROCESS, 0, BEHIND_PAGES)  # this thread: pages on the same machine stay quick
    emit({"type": "started"})
    return bring_up_to_date(request, emit, wish)


class RunQueue:
    """Submits runs and passes on what happens to them. Events are dictionaries with `run` and `type`:

    started, stage, history, result, and at the end `ended` with state and message.
    """

    def __init__(self, listen: Listener, scheduler: str | None = None, workers: int | None = None):
        self._listen = listen
        self._scheduler = scheduler
        self._workers = workers or os.cpu_count() or 1
        self._cluster: LocalCluster | None = None
        self._client: Client | None = None
        self._futures: dict[int, Future] = {}
        self._lock = threading.Lock()

    def start(self) -> None:
        """Connects to the scheduler, or starts a local cluster of single-threaded processes."""
        if self._scheduler is None:
            # a worker gets its next run when it is free, so that none waits behind a long one while another worker idles
            dask.config.set({"distributed.scheduler.worker-saturation": 1.0})
            self._cluster = LocalCluster(
                n_workers=self._workers, threads_per_worker=1, processes=True, host="127.0.0.1",
                dashboard_address="127.0.0.1:0", silence_logs=40,
            )  # fmt: skip
            self._client = Client(self._cluster)
        else:
            self._client = Client(self._scheduler)
        self._client.subscribe_topic(TOPIC, self._on_event)

    @property
    def ready(self) -> bool:
        return self._client is not None

    def submit(self, request: Request) -> None:
        assert self._client is not None, "the queue is not started"
        future = self._client.submit(work, request, key=f"brook-run-{request.run_id}", pure=False, retries=0)
        with self._lock:
            self._futures[request.run_id] = future
        future.add_done_callback(lambda done: self._on_done(request.run_id, done))

    def worker_pids(self) -> dict[str, int]:
        """Process numbers of the local workers that compute now, by address."""
        if self._client is None or self._cluster is None:
            return {}
        busy = {address for address, tasks in self._client.processing().items() if tasks}
        return {a: pid for a, pid in self._client.run(os.getpid).items() if a in busy}

    def stop(self, run_id: int) -> None:
        """Asks a run to stop and keep what it has; one that still waits is taken out of the queue."""
        if self._client is None:
            return
        Event(f"brook-stop-{run_id}", client=self._client).set()

    def pause(self, run_id: int) -> None:
        """Asks a run under way to keep a checkpoint and end."""
        if self._client is not None:
            Event(f"brook-pause-{run_id}", client=self._client).set()

    def withdraw(self, run_id: int) -> None:
        """Takes a waiting run out of the queue."""
        with self._lock:
            future = self._futures.get(run_id)
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

    def _on_done(self, run_id: int, future: Future) -> None:
        with self._lock:
            self._futures.pop(run_id, None)
        if self._client is None:
            return  # the server is going down: the run stays in the store's queue
        event: dict[str, Any] = {"run": run_id, "type": "ended"}
        if future.status == "finished":
            event |= future.result()
        elif future.cancelled():
            event |= {"state": "stopped", "message": "taken out of the queue before it began", "iterations": 0}
        else:
            event |= {"state": "failed", "message": _reason(future.exception()), "iterations": 0}
        self._listen(event)


def _reason(error: BaseException | None) -> str:
    name = type(error).__name__
    if name == "KilledWorker":
        return (
            "the process that computed this run was killed several times; perhaps it ran out of memory. "
            "Try a coarser mesh, or go on from the last checkpoint"
        )
    if isinstance(error, MemoryError):
        return "there was not enough memory; try a coarser mesh"
    if isinstance(error, ValueError):
        return str(error)
    return f"an error in Brook itself ({name}: {error}); nothing else is affected"
