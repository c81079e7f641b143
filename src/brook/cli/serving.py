"""Commands about a data folder: serve, demo, keys, backup, restore."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brook.cli.app import app, loaded, say

if TYPE_CHECKING:
    from brook.store.backup import Copied
    from brook.web.server import Outside

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
    name: Annotated[list[str] | None, typer.Option(help="A name by which others reach it, as brook.marlbeck.example; may be said several times.")] = None,
    certificate: Annotated[Path | None, typer.Option(help="PEM file of a certificate, for TLS.")] = None,
    certificate_key: Annotated[Path | None, typer.Option(help="PEM file of its key.")] = None,
    plain: Annotated[bool, typer.Option("--plain", help="Without TLS on other addresses than this machine's own: only on a network that is trusted.")] = False,
) -> None:  # fmt: skip
    """Serves the pages. Others than this machine are served only where people sign in: `brook people add`."""
    from brook.web.server import Outside

    outside = Outside(tuple(name or ()), certificate, certificate_key, plain)
    _serve(data, host, port, scheduler, with_demo=False, outside=outside)


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


@app.command()
def backup(
    out: Annotated[Path, typer.Argument(help="A new folder for the copy.")], data: Data = Path("brook-data")
) -> None:
    """Copies all studies with history, runs, results and shape files, also while they are served; exits with 0 when all of it is there, 2 when a result went away
    meanwhile, 1 on an error."""
    from brook.store.backup import backup as copy

    _copied(copy, data, out)


@app.command()
def restore(
    source: Annotated[Path, typer.Argument(help="The folder of a backup.")], data: Data = Path("brook-data")
) -> None:
    """Makes a data folder of a backup; it must be new or empty. Exits as `backup` does."""
    from brook.store.backup import restore as copy

    _copied(copy, source, data)


def _copied(copy: Callable[[Path, Path, Callable[[str], None]], Copied], source: Path, to: Path) -> None:
    from brook.core.memory import gb
    from brook.store.backup import BackupRefused
    from brook.store.lock import DataInUse
    from brook.store.room import trouble_of

    loaded()
    try:
        found = copy(source, to, say)
    except (BackupRefused, DataInUse) as error:
        say(str(error))
        raise typer.Exit(1) from None
    except OSError as error:
        say(f"{trouble_of(error) or error}; {to} is not whole and is to be removed")
        raise typer.Exit(1) from None
    print(f"{to}: {found.files} files, {gb(found.bytes)}")
    for one in found.missing:
        say(f"{one}: its files are not there; bring its variant up to date again")
    raise typer.Exit(2 if found.missing else 0)


def _serve(
    data: Path, host: str, port: int, scheduler: str | None, with_demo: bool, outside: Outside | None = None
) -> None:
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
        serve_pages(data, host, port, scheduler, with_demo, warming, outside)
    finally:
        warming.stop()
