"""A worker and a scheduler of a cluster, as processes of their own: `brook worker`, `brook scheduler`."""

from __future__ import annotations

import asyncio
import logging
import os
import platform
import signal
import tempfile
from collections.abc import Callable
from pathlib import Path

import dask
from distributed import Scheduler, Worker

from brook.core import memory
from brook.core.memory import gb
from brook.runs.afar.away import APART, ROOM
from brook.runs.keys import Keys, checked_address
from brook.runs.sharing import CORES_ASKED, MEMORY_ASKED

PATIENCE = 60.0  # seconds that a worker waits for its scheduler
DEATHS = 20  # workers that a run may lose before it is given up: they are killed for want of time or by whoever owns the machine
Say = Callable[[str], None]
QUIET = {"distributed.scheduler.http.routes": [], "distributed.worker.http.routes": [], "distributed.scheduler.worker-saturation": 1.0,
         "distributed.scheduler.allowed-failures": DEATHS}  # fmt: skip


def work_for(address: str, keys: Keys, cores: int, most: int, room: Path | None, apart: bool, say: Say) -> bool:
    """Works for the scheduler at an address until that ends or this process is asked to; whether it was there at all. `most` is the memory in bytes that runs may
    take here. Raises `KeysRefused`, `OSError`."""
    checked_address(address)
    if room is not None:
        os.environ[ROOM] = str(room)
    if apart:
        os.environ[APART] = "1"
    logging.getLogger("distributed").setLevel(logging.ERROR)  # what matters is said in our own words
    return asyncio.run(_work(address, keys, cores, most, say))


async def _work(address: str, keys: Keys, cores: int, most: int, say: Say) -> bool:
    name = f"{platform.node()}-{os.getpid()}"
    with tempfile.TemporaryDirectory(prefix="brook-worker-") as scratch, dask.config.set(QUIET):
        worker = Worker(
            address, nthreads=1, name=name, memory_limit=0, resources={CORES_ASKED: cores, MEMORY_ASKED: most},
            security=keys.security(), local_directory=scratch, dashboard=False, death_timeout=PATIENCE, protocol="tls://",
        )  # fmt: skip
        try:
            await worker
        except (OSError, TimeoutError) as error:
            say(f"the scheduler at {address} does not answer, or has other keys ({type(error).__name__})")
            return False
        for sign in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(sign, lambda: asyncio.ensure_future(worker.close()))
        say(f"{name} works for {address} with {cores} cores and up to {gb(most)}")
        await worker.finished()
        say(f"{name} has ended")
    return True


def schedule(host: str, port: int, keys: Keys, say: Say) -> None:
    """Stands between servers and workers with the same keys until this process is asked to end. Raises `OSError`."""
    logging.getLogger("distributed").setLevel(logging.ERROR)
    asyncio.run(_schedule(host, port, keys, say))


async def _schedule(host: str, port: int, keys: Keys, say: Say) -> None:
    with dask.config.set(QUIET):
        scheduler = await Scheduler(
            host=host, port=port, protocol="tls://", security=keys.security(), dashboard=False, dashboard_address=None
        )
        if hasattr(scheduler, "http_server"):
            scheduler.http_server.stop()
        for sign in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(sign, lambda: asyncio.ensure_future(scheduler.close()))
        say(f"the scheduler is at {scheduler.address}")
        await scheduler.finished()


def memory_here() -> int:
    """Bytes that runs may take of this machine, where nothing is said."""
    return int((1 - memory.LEFT) * memory.machine_total())
