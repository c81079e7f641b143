"""Commands about a data folder: picture, serve, demo, keys."""

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
def picture(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    plate: Annotated[str, typer.Option(help="Name or title of the plate.")],
    out: Annotated[
        Path, typer.Option(help="Write to this file: .png; of several variants one each, their names put in.")
    ],
    variant: Annotated[str | None, typer.Option(help="Only this variant.")] = None,
    data: Data = Path("brook-data"),
    size: Annotated[str, typer.Option(help="Width and height of the picture in pixels.")] = "1280x720",
) -> None:
    """Draws a plate from the results that a data folder keeps; exits with 0 when all variants have one, 2 when some have none or it
    fell short, 1 on an error."""
    from brook.core.results.pictures.plates import Size
    from brook.core.study import DocumentError
    from brook.runs.plates import NoPlate, draw, plate_of
    from brook.store import Store, StoreError

    loaded()
    wide, _, tall = size.partition("x")
    if not (wide.isdigit() and tall.isdigit() and 200 <= int(wide) <= 8000 and 200 <= int(tall) <= 8000):
        say(f"'{size}' is no size; write 1280x720, each from 200 to 8000")
        raise typer.Exit(1)
    if out.suffix.lower() != ".png":
        say(f"{out.name}: pictures are written as .png")
        raise typer.Exit(1)
    if not (data / "brook.db").exists():
        say(f"{data} keeps no studies; name the folder with --data")
        raise typer.Exit(1)
    store, whole = Store(data), True
    try:
        wanted = plate_of(store, study, plate)
        names = [variant] if variant else [v.name for v in store.study(study).variants]
        for made in draw(store, study, wanted, names, Size(int(wide), int(tall))):
            for words in made.words:
                say(f"{made.variant}: {words}")
            if made.png is None:
                whole = False
                continue
            path = out if len(names) == 1 else out.with_name(f"{out.stem}-{made.variant}{out.suffix}")
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(made.png)
            print(path)
            whole &= not made.words
    except (NoPlate, StoreError, DocumentError, OSError) as error:
        say(str(error))
        raise typer.Exit(1) from error
    if not whole:
        raise typer.Exit(2)


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


@app.command()
def movie(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    plate: Annotated[str, typer.Option(help="Name or title of the plate.")],
    out: Annotated[Path, typer.Option(help="Write to this file: .webm, .mp4, or .png for one numbered picture each.")],
    variant: Annotated[str, typer.Option(help="Of this variant.")],
    over: Annotated[str, typer.Option(help="What goes on: time, turn (the view goes round once) or cut (the first cut moves through).")] = "time",
    pictures: Annotated[int, typer.Option(help="How many; over time at most as many as moments were kept.", min=2, max=2000)] = 100,
    data: Data = Path("brook-data"),
    size: Annotated[str, typer.Option(help="Width and height of the picture in pixels.")] = "1280x720",
) -> None:  # fmt: skip
    """Makes a movie of a plate from the results that a data folder keeps; exits with 0 when it is whole, 2 when something of it fell
    short, 1 on an error."""
    from brook.core.study import DocumentError
    from brook.runs.movies import Wanted, make, size_of
    from brook.runs.plates import NoPlate
    from brook.store import StoreError

    loaded()
    try:
        words = make(data, study, plate, variant, Wanted(over, pictures, size_of(size)), out, say)
    except (NoPlate, StoreError, DocumentError, KeyError, ValueError, OSError) as error:
        say(str(error.args[0] if error.args else error))
        raise typer.Exit(1) from None
    for told in words:
        say(told)
    raise typer.Exit(2 if words else 0)
