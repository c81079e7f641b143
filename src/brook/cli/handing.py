"""Commands that hand out what a data folder keeps: picture, movie, fields, report."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from brook.cli.app import app, loaded, say
from brook.cli.serving import Data


def _with_studies(data: Path) -> None:
    """Says so and exits with 1 where a folder keeps no studies."""
    if not (data / "brook.db").exists():
        say(f"{data} keeps no studies; name the folder with --data")
        raise typer.Exit(1)


@app.command()
def picture(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    plate: Annotated[str, typer.Option(help="Name or title of the plate.")],
    out: Annotated[
        Path,
        typer.Option(
            help="Write to this file: .png, or .glb for the scene itself; of several variants one each, their names put in."
        ),
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
    if out.suffix.lower() not in (".png", ".glb"):
        say(f"{out.name}: pictures are written as .png, and scenes as .glb")
        raise typer.Exit(1)
    _with_studies(data)
    store, whole = Store(data), True
    try:
        wanted = plate_of(store, study, plate)
        names = [variant] if variant else [v.name for v in store.study(study).variants]
        for made in draw(store, study, wanted, names, Size(int(wide), int(tall)), out.suffix.lower() == ".glb"):
            for words in made.words:
                say(f"{made.variant}: {words}")
            if made.file is None:
                whole = False
                continue
            path = out if len(names) == 1 else out.with_name(f"{out.stem}-{made.variant}{out.suffix}")
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(made.file)
            print(path)
            whole &= not made.words
    except (NoPlate, StoreError, DocumentError, OSError) as error:
        say(str(error))
        raise typer.Exit(1) from error
    if not whole:
        raise typer.Exit(2)


@app.command()
def movie(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    plate: Annotated[str, typer.Option(help="Name or title of the plate.")],
    out: Annotated[Path, typer.Option(help="Write to this file: .webm, .mp4, .zip of pictures, or .png for one numbered picture each.")],
    variant: Annotated[str, typer.Option(help="Of this variant.")],
    over: Annotated[str, typer.Option(help="What goes on: time, turn (the view goes round once), cut (the first cut moves through), flow (dashes go along its streamlines) or variants (one goes over into the next).")] = "time",
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


@app.command()
def fields(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    out: Annotated[Path, typer.Option(help="Write to this file: .vtu, .vtkhdf or .cgns; .zip for a VTU of each moment.")],
    variant: Annotated[str, typer.Option(help="Of this variant.")],
    of: Annotated[str, typer.Option(help="Values of cells or of patches.")] = "cells",
    every: Annotated[bool, typer.Option("--every-moment", help="All moments that the run kept, instead of its end.")] = False,
    quantity: Annotated[list[str] | None, typer.Option(help="This quantity too; may be said several times.")] = None,
    data: Data = Path("brook-data"),
) -> None:  # fmt: skip
    """Writes the fields of a result that a data folder keeps; exits with 0 when the file is whole, 2 when something of it fell short,
    1 on an error."""
    from brook.core.study import DocumentError
    from brook.runs.fields_out import FieldsWanted, suffix_of, write
    from brook.runs.plates import NoPlate
    from brook.store import StoreError

    loaded()
    kind = out.suffix.lower().removeprefix(".")
    kind = "vtu" if kind == "zip" and every else kind
    try:
        if out.suffix.lower() != suffix_of(kind, every):
            raise ValueError(f"{out.name}: a VTU of every moment is written as .zip")
        words = write(data, study, variant, FieldsWanted(of, every, tuple(quantity or ())), kind, out, say)
    except (NoPlate, StoreError, DocumentError, ValueError, OSError) as error:
        say(str(error.args[0] if error.args else error))
        raise typer.Exit(1) from None
    print(out)
    for told in words:
        say(told)
    raise typer.Exit(2 if words else 0)


@app.command()
def report(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    out: Annotated[Path, typer.Option(help="Write to this file: .pdf, .docx or .html.")],
    data: Data = Path("brook-data"),
) -> None:
    """Makes the report of a study that a data folder keeps; exits with 0 when it is whole, 2 when some figure could not be drawn, 1 on an error."""
    from brook.core.study import DocumentError
    from brook.runs.report.making import KINDS, ReportOrder, last_made
    from brook.store import StoreError
    from brook.web.report import composed
    from brook.web.routes import ROUTERS  # the bodies of pages, whose statements it says
    from brook.web.studio import studio_alone

    loaded()
    suffix = out.suffix.lower()
    if suffix not in KINDS or not ROUTERS:
        say(f"{out.name}: reports are written as {', '.join(KINDS)}")
        raise typer.Exit(1)
    _with_studies(data)
    try:
        with studio_alone(data) as studio:
            state = studio.state(study)
            made = composed(studio, state).since(last_made(data, state.row.id))
            out.parent.mkdir(parents=True, exist_ok=True)
            words = ReportOrder(study, state.row.id, made, suffix).make(data, out, say)
    except (StoreError, DocumentError, OSError) as error:
        say(str(error.args[0] if error.args else error))
        raise typer.Exit(1) from None
    print(out)
    for told in words:
        say(told)
    raise typer.Exit(2 if words else 0)


@app.command()
def archive(
    study: Annotated[str, typer.Argument(help="The study by its address, as in /studies/ADDRESS.")],
    out: Annotated[Path, typer.Option(help="Write to this file: .zip.")],
    results: Annotated[str, typer.Option(help="Which meshes and results go along: shown, all (also those of earlier inputs) or nothing.")] = "shown",
    data: Data = Path("brook-data"),
) -> None:  # fmt: skip
    """Writes a study with its history, shape files and results as one file; exits with 0 when it is whole, 2 when files of it are missing, 1 on an error."""
    from brook.runs.archive.writing import CHOICES, SUFFIX, ArchiveOrder
    from brook.store import StoreError

    loaded()
    if out.suffix.lower() != SUFFIX or results not in CHOICES:
        say(f"archives are written as {SUFFIX}, with results {', '.join(CHOICES)}")
        raise typer.Exit(1)
    _with_studies(data)
    try:
        out.parent.mkdir(parents=True, exist_ok=True)
        words = ArchiveOrder(study, results).make(data, out, say)
    except (StoreError, OSError) as error:
        say(str(error))
        raise typer.Exit(1) from None
    print(out)
    for told in words:
        say(told)
    raise typer.Exit(2 if words else 0)


@app.command(name="take-in")
def take_in(
    file: Annotated[Path, typer.Argument(help="An archive of a study.")], data: Data = Path("brook-data")
) -> None:
    """Takes a study in from its archive, also while the folder is served; exits with 0 when all of it is there, 2 when something was left out, 1 when nothing was taken in."""
    from brook.runs.archive.taking import ArchiveRefused
    from brook.runs.archive.taking import take_in as take
    from brook.store import Store

    loaded()
    try:
        store = Store(data)
        try:
            slug, words = take(store, file, say)
        finally:
            store.close()
    except (ArchiveRefused, OSError) as error:
        say(f"{file} was not taken in: {error}")
        raise typer.Exit(1) from None
    print(slug)
    for told in words:
        say(told)
    raise typer.Exit(2 if [w for w in words if not w.endswith("ours stay")] else 0)
