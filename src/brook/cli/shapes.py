"""The command about a surface file: look."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from brook.cli.app import app, loaded, say

SMALL, TOLD = 8192, (".stl", ".obj", ".ply")  # bytes; of formats that say each triangle


@app.command()
def look(
    shape_file: Path,
    unit: Annotated[str, typer.Option(help="Unit of the file's numbers: mm, cm, m, inch.")] = "",
    mend: Annotated[bool, typer.Option("--mend", help="Mend what is found.")] = False,
    close: Annotated[str, typer.Option(help="With --mend: close holes up to this long round, as '20 mm'.")] = "",
    out: Annotated[Path | None, typer.Option(help="Write the shape to this file.")] = None,
) -> None:
    """Says what is in a surface file and what is wrong with it; mends it on demand.

    Exits with 0 when nothing is found (any more), 2 when something is, 1 on an error.
    """
    if not (mend or close):
        _plainly_if_small(shape_file)
    from brook.core.formulas import FormulaError
    from brook.core.geometry.files import FileError, format_of, read_file, write_file
    from brook.core.geometry.files.told import joined_words
    from brook.core.geometry.findings import find_all
    from brook.core.geometry.unit_check import in_metres, likely_unit
    from brook.core.look import report, step_lines, unit_lines
    from brook.core.units import UnitError, unit_factor

    loaded()

    def no_names(reading: Any) -> Any:
        raise FormulaError("a length is wanted, for example 20 mm", reading.position)

    try:
        surface = read_file(shape_file.name, shape_file.read_bytes())
        unit = unit or format_of(shape_file.name).unit
        if not unit:
            unit = likely_unit(surface)
            print("\n".join([*unit_lines(surface), f"what follows is as if it were {unit}; --unit says another"]))
        rounded = joined_words(surface)
        surface = in_metres(surface, unit)
        largest = 0.0
        if close:
            from brook.core.study import Value, value_at

            largest = value_at(close, Value("length", "positive"), no_names)
        print("\n".join([*rounded, *report(surface)]))
        if mend:
            from brook.core.geometry.proposing import mended, propose  # what mends is not loaded to look

            steps = propose(surface, largest)
            surface = mended(surface, steps)
            print("\n".join(["mended by" if steps else "nothing here can be mended by itself", *step_lines(steps)]))
            print("\n".join(report(surface)))
        if out is not None:
            there = format_of(out.name).unit or unit
            out.write_bytes(write_file(out.name, surface.placed(surface.points / unit_factor(there)[0])))
            say(f"written to {out} in {there}")
    except OSError as error:
        say(f"{error.filename}: {error.strerror}")
        raise typer.Exit(1) from None
    except (FileError, UnitError, FormulaError) as error:
        say(f"{shape_file.name}: {error}")
        raise typer.Exit(1) from None
    if find_all(surface):
        raise typer.Exit(2)


def _plainly_if_small(path: Path) -> None:
    """For a few dozen triangles, each told by its corners, nothing is compiled; a file that is not there is told later."""
    from brook.core.compiling.plain import run_plainly

    try:
        if path.suffix.lower() in TOLD and path.stat().st_size <= SMALL:
            run_plainly()
    except OSError:
        pass
