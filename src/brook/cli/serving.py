"""Commands about a data folder: serve, demo, keys."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from brook.cli.app import app, loaded, say

Data = Annotated[Path, typer.Option(help="Folder that keeps studies and results.")]
Port = Annotated[int, typer.Option(min=1, max=65535, help="Port; the next free one when it is taken.")]
Scheduler = Annotated[
    str | None,
    typer.Option(
        help="tls:// address of a Dask scheduler with the keys of the data folder; a local cluster otherwise."
    ),
]
PORT = 8430


@app.command()
def serve(
    data: Data = Path("brook-data"),
    host: Annotated[str, typer.Option(help="Address to serve on.")] = "127.0.0.1",
    port: Port = PORT,
    scheduler: Scheduler = None,
) -> None:
    """Serves the pages."""
    _serve(data, host, port, scheduler, with_demo=False)


@app.command()
def demo(data: Data = Path("brook-demo"), port: Port = PORT, scheduler: Scheduler = None) -> None:
    """Serves the pages with the demo studies of Marlbeck Hatchery."""
    _serve(data, "127.0.0.1", port, scheduler, with_demo=True)


@app.command()
def keys(data: Data = Path("brook-data")) -> None:
    """Names the files by which server, scheduler and workers know one another; makes them when there are none."""
    from brook.runs.keys import CERTIFICATE, FOLDER, KEY, Keys, KeysRefused

    try:
        Keys.of(data)
    except (KeysRefused, OSError) as error:
        say(str(error))
        raise typer.Exit(1) from error
    certificate, key = data.resolve() / FOLDER / CERTIFICATE, data.resolve() / FOLDER / KEY
    print(f"--tls-ca-file {certificate} --tls-cert {certificate} --tls-key {key}")


def _serve(data: Path, host: str, port: int, scheduler: str | None, with_demo: bool) -> None:
    from brook.core.compiling.warming import Warming, all_there

    if not all_there():
        say(
            "2 of 2: starting, about 3 s. Code is compiled beside the pages, once on this machine: what the first study needs"
        )
        say("        within half a minute, all of it in two. Runs that need some of it wait for it, and say so.")
    warming = Warming()
    warming.start()  # before what serving takes is loaded, which takes a second or two itself
    from brook.web.server import serve as serve_pages

    loaded()
    try:
        serve_pages(data, host, port, scheduler, with_demo, warming)
    finally:
        warming.stop()
