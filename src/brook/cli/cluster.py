"""Commands of a cluster: a worker, a scheduler."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from brook.cli.app import app, loaded, say

KeysOf = Annotated[
    Path, typer.Option(help="A data folder, or a folder with the two files of its keys, as copied from the server.")
]


@app.command()
def worker(
    address: Annotated[str, typer.Argument(help="tls:// address of the scheduler that the server was given too.")],
    data: KeysOf = Path("brook-data"),
    cores: Annotated[int | None, typer.Option(help="Cores that a run has here; all of this machine otherwise.", min=1, max=1024)] = None,
    memory: Annotated[float | None, typer.Option(help="GB of this machine's memory that are for runs; all of it otherwise. A twentieth of it is left free.", min=0.5)] = None,
    room: Annotated[Path | None, typer.Option(help="Folder for what it computes with; one of its own below the system's otherwise.")] = None,
    apart: Annotated[bool, typer.Option("--apart", help="Keep off the server's data folder even where it can be reached.")] = False,
) -> None:  # fmt: skip
    """Computes runs for a server, one at a time; needs no folder of it. Exits with 0 when it was told to end, 1 when there is no such scheduler."""
    count = cores or len(os.sched_getaffinity(0))
    os.environ["NUMBA_NUM_THREADS"] = str(count)  # before it is loaded
    from brook.core.memory import SAID
    from brook.runs.afar.worker import memory_here, work_for
    from brook.runs.keys import Keys, KeysRefused

    loaded()
    if memory:
        os.environ[SAID] = str(int(memory * 1e9))
    most = memory_here()
    try:
        found = work_for(address, Keys.there(data), count, most, room.resolve() if room else None, apart, say)
    except (KeysRefused, OSError, ValueError) as error:
        say(str(error))
        raise typer.Exit(1) from None
    raise typer.Exit(0 if found else 1)


@app.command()
def scheduler(
    data: KeysOf = Path("brook-data"),
    host: Annotated[str, typer.Option(help="Address that servers and workers reach it at.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(min=0, max=65535, help="Port; 0 for any that is free.")] = 8786,
) -> None:
    """Stands between a server and workers on other machines; all have the same keys."""
    from brook.runs.afar.worker import schedule
    from brook.runs.keys import Keys, KeysRefused

    loaded()
    try:
        schedule(host, port, Keys.there(data), say)
    except (KeysRefused, OSError) as error:
        say(str(error))
        raise typer.Exit(1) from None
