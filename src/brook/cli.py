"""The command line: the same work without a browser."""

from __future__ import annotations

import gc
import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from brook import __version__

USUAL = gc.get_threshold()
gc.set_threshold(
    50_000, 20, 20
)  # loading makes many objects and no rubbish: a third of its time went into looking for some
app = typer.Typer(help="Brook: from brief to comparison.", no_args_is_help=True, add_completion=False)


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def _loaded() -> None:
    """Said by each command once it has loaded what it takes: from now on arrays nobody needs are to go at once."""
    gc.set_threshold(*USUAL)


class _KernelNews:
    """Says once that something is compiled, so that nobody wonders why a first call takes longer."""

    def __init__(self) -> None:
        self._said = False

    def __call__(self, what: str, name: str) -> None:
        if what != "there" and not self._said:
            self._said = True
            _say("compiling code for this, once on this machine; `brook warm` compiles all of it")


@app.callback()
def _before(context: typer.Context) -> None:
    if context.invoked_subcommand not in ("serve", "demo", "warm"):  # those say how far compiling is in their own way
        from brook.core.compiling.turns import listen

        listen(_KernelNews())


def _load(path: Path) -> Any:
    """The study of a file; says what is wrong with it and exits with 1 otherwise."""
    from brook.core.study import DocumentError, read_study

    try:
        return read_study(path.read_bytes())
    except OSError as error:
        _say(f"{path} cannot be read: {error.strerror}")
    except DocumentError as error:
        for problem in error.problems:
            _say(f"{path}{problem.path}: {problem.message}" if problem.path else f"{path}: {problem.message}")
    raise typer.Exit(1)


def _shapes(study: Any, names: list[str], beside: Path) -> None:
    """Makes the shapes in space of some variants, so that checks know their patches."""
    from brook.core.stages.ready import ready

    for name in names:
        ready(study, name, beside)


def _variant_of(study: Any, wanted: str | None) -> str:
    """The name of the variant that is wanted, of the first when none is said."""
    from brook.core.formulas import nearest

    names = [v.name for v in study.variants]
    name = wanted or (names[0] if names else "")
    if name not in names:
        _say(f"'{name}' is not a variant of this study: {nearest(name, names)}")
        raise typer.Exit(1)
    return name


@app.command()
def version() -> None:
    """Says which Brook this is."""
    print(__version__)


@app.command()
def check(study_file: Path) -> None:
    """What would stop a study from running; exits with 1 if anything would."""
    from brook.core.checks import check as check_study
    from brook.core.checks.flowing import looked_at

    _loaded()
    study = _load(study_file)
    _shapes(study, [v.name for v in study.variants], study_file.parent)
    problems = check_study(study)
    for problem in problems:
        print(f"{problem.path}: {problem.message}")
    for path, message in looked_at(study):
        print(f"{path}: {message} (does not keep it from running)")
    if problems:
        raise typer.Exit(1)
    print("nothing keeps this study from running")


@app.command()
def run(
    study_file: Path,
    variant: Annotated[str | None, typer.Option(help="Only this variant.")] = None,
    out: Annotated[Path | None, typer.Option(help="Folder for the results.")] = None,
) -> None:
    """Meshes, solves and reads; exits with 0 when converged, 2 when not, 1 on an error.

    Writes readings.json, fields.vtu and histories.csv into the folder; with several variants,
    into one folder each.
    """
    from brook.core.checks import check as check_study
    from brook.core.formulas import nearest
    from brook.core.stages.batch import run_to_folder

    _loaded()
    study = _load(study_file)
    names = [v.name for v in study.variants]
    if variant is not None and variant not in names:
        _say(f"'{variant}' is not a variant of this study: {nearest(variant, names)}")
        raise typer.Exit(1)
    chosen = [variant] if variant else names
    _shapes(study, chosen, study_file.parent)
    problems = [p for p in check_study(study) if p.variant in (None, *chosen)]
    if variant is not None:  # what is wrong with the other variants does not matter here
        others = tuple(f"/variants/{k}/" for k, n in enumerate(names) if n != variant)
        problems = [p for p in problems if not p.path.startswith(others)]
    if problems:
        for problem in problems:
            _say(f"{problem.path}: {problem.message}")
        raise typer.Exit(1)
    folder = out or Path(f"{study_file.stem}-results")
    states = []
    for name in chosen:
        target = folder if len(chosen) == 1 else folder / name
        try:
            summary = run_to_folder(study, name, target, _say, study_file.parent)
        except ValueError as error:  # a mesh that cannot be made, a file that is none
            _say(f"{name}: {error}")
            raise typer.Exit(1) from None
        states.append(summary["state"])
        print(json.dumps(summary, ensure_ascii=False))
    raise typer.Exit(0 if all(s == "converged" for s in states) else 2)


@app.command()
def mesh(
    study_file: Path,
    variant: Annotated[str | None, typer.Option(help="This variant; the first when none is said.")] = None,
    out: Annotated[Path | None, typer.Option(help="Write the mesh to this file: .vtu or .cgns.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print all that is said of it as JSON, in SI units.")] = False,
) -> None:
    """Makes the mesh of a variant and says how good it is; exits with 0 when it will do, 2 when it will not, 1 on an error."""
    from brook.core.mesh.files import MESH_FORMATS, is_mesh_file, write_mesh
    from brook.core.mesh.report import mesh_report
    from brook.core.stages.judging import judged
    from brook.core.stages.losses import with_losses
    from brook.core.stages.ready import meshed, ready
    from brook.core.study.space import has_own_mesh

    _loaded()
    study = _load(study_file)
    name = _variant_of(study, variant)
    if out is not None and not is_mesh_file(out.name):
        _say(f"{out.name}: meshes are written as {', '.join('.' + s for s in MESH_FORMATS)}")
        raise typer.Exit(1)
    try:
        prepared, surface = ready(study, name, study_file.parent, lambda words: _say(f"{name}: {words}"))
        problems = [p for p in prepared.problems if not p.path.startswith("/set_up")]
        for problem in problems:
            _say(f"{problem.path}: {problem.message}")
        if problems:
            raise typer.Exit(1)
        made = meshed(study, prepared, surface, lambda words: _say(f"{name}: {words}"), study_file.parent)
        if out is not None:
            write_mesh(out, made)
    except (ValueError, OSError) as error:
        _say(f"{name}: {error}")
        raise typer.Exit(1) from None
    stands = None if surface is None or has_own_mesh(prepared.geometry) else surface
    told = with_losses(judged(prepared, made, stands), prepared.plan.losses)
    areas = {p.name: {"sides": p.count, "area": float(made.face_areas(p.faces).sum())} for p in made.patches}
    print(
        json.dumps({**told, "patches": areas}, ensure_ascii=False) if as_json else mesh_report(told, made.bodies, areas)
    )
    raise typer.Exit(2 if told["verdict"] == "bad" else 0)


@app.command()
def follow(
    study_file: Path,
    cells: Annotated[int, typer.Option(help="About how many cells there are to be.", min=8)],
    out: Annotated[
        Path, typer.Option(help="Write the study whose boxes follow the run to this file, and the sizes beside it.")
    ],
    variant: Annotated[str | None, typer.Option(help="This variant; the first when none is said.")] = None,
    quantity: Annotated[
        str, typer.Option(help="What has to bend for boxes to be halved: velocity, pressure, …")
    ] = "velocity",
) -> None:
    """Runs a variant, and lets its boxes follow: halved where a quantity bends most, joined where least."""
    from brook.core.followed import followed
    from brook.core.study import study_text

    _loaded()
    study = _load(study_file)
    name = _variant_of(study, variant)
    try:
        wish = (quantity, cells)
        made, file, write = followed(study, name, wish, study_file.parent, lambda words: _say(f"{name}: {words}"))
        write(out.parent / file)
        out.write_text(study_text(made))
    except (ValueError, OSError) as error:
        _say(f"{name}: {error}")
        raise typer.Exit(1) from None
    _say(f"written to {out}; the sizes of boxes are in {file} beside it")


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
    from brook.core.formulas import FormulaError
    from brook.core.geometry.files import FileError, format_of, read_file, write_file
    from brook.core.geometry.files.told import joined_words
    from brook.core.geometry.findings import find_all
    from brook.core.geometry.unit_check import in_metres, likely_unit
    from brook.core.look import report, step_lines, unit_lines
    from brook.core.units import UnitError, unit_factor

    _loaded()

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
            _say(f"written to {out} in {there}")
    except OSError as error:
        _say(f"{error.filename}: {error.strerror}")
        raise typer.Exit(1) from None
    except (FileError, UnitError, FormulaError) as error:
        _say(f"{shape_file.name}: {error}")
        raise typer.Exit(1) from None
    if find_all(surface):
        raise typer.Exit(2)


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

    _loaded()
    wide, _, tall = size.partition("x")
    if not (wide.isdigit() and tall.isdigit() and 200 <= int(wide) <= 8000 and 200 <= int(tall) <= 8000):
        _say(f"'{size}' is no size; write 1280x720, each from 200 to 8000")
        raise typer.Exit(1)
    if out.suffix.lower() != ".png":
        _say(f"{out.name}: pictures are written as .png")
        raise typer.Exit(1)
    if not (data / "brook.db").exists():
        _say(f"{data} keeps no studies; name the folder with --data")
        raise typer.Exit(1)
    store, whole = Store(data), True
    try:
        wanted = plate_of(store, study, plate)
        names = [variant] if variant else [v.name for v in store.study(study).variants]
        for made in draw(store, study, wanted, names, Size(int(wide), int(tall))):
            for words in made.words:
                _say(f"{made.variant}: {words}")
            if made.png is None:
                whole = False
                continue
            path = out if len(names) == 1 else out.with_name(f"{out.stem}-{made.variant}{out.suffix}")
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(made.png)
            print(path)
            whole &= not made.words
    except (NoPlate, StoreError, DocumentError, OSError) as error:
        _say(str(error))
        raise typer.Exit(1) from error
    if not whole:
        raise typer.Exit(2)


@app.command()
def verify(
    names: Annotated[list[str] | None, typer.Argument(help="Cases; all when none is named.")] = None,
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the figures here too.")] = None,
) -> None:
    """Runs published cases and compares; exits with 1 if one is outside its tolerance."""
    from brook.core.formulas import nearest
    from brook.core.verification import cases, run_case

    _loaded()
    known = cases()
    unknown = [n for n in names or [] if n not in known]
    if unknown:
        _say(f"'{unknown[0]}' is not a case: {nearest(unknown[0], known)}")
        raise typer.Exit(1)
    everything: dict[str, Any] = {}
    good = True
    for name in names or list(known):
        _say(f"{name} …")
        result = run_case(name)
        everything[name] = result.as_dict()
        print(f"{name} ({result.seconds:.1f} s)")
        for c in result.comparisons:
            good &= c.passed
            mark = "pass" if c.passed else "FAIL"
            limit = (
                f"at least {c.reference:g}" if c.at_least else f"reference {c.reference:.5g} ± {100 * c.tolerance:g} %"
            )
            print(
                f"  {mark}  {c.what}: {c.measured:.5g}, {limit}, difference {c.difference:+.2e}  [{c.source}; {c.mesh}]"
            )
    if json_file:
        json_file.write_text(json.dumps(everything, indent=2, ensure_ascii=False))
    raise typer.Exit(0 if good else 1)


@app.command()
def bench(
    names: Annotated[list[str] | None, typer.Argument(help="Figures; all when none is named.")] = None,
    json_file: Annotated[Path | None, typer.Option("--json", help="Write the figures here too.")] = None,
) -> None:
    """Speed figures, each beside the memory bandwidth measured in the same run."""
    from brook.core.bench import BENCHES, run_benches
    from brook.core.formulas import nearest

    _loaded()
    unknown = [n for n in names or [] if n not in BENCHES]
    if unknown:
        _say(f"'{unknown[0]}' is not a figure: {nearest(unknown[0], BENCHES)}")
        raise typer.Exit(1)
    figures = run_benches(names or list(BENCHES), _say)
    for figure in figures:
        print(figure.line())
    if json_file:
        json_file.write_text(json.dumps([f.as_dict() for f in figures], indent=2, ensure_ascii=False))


@app.command()
def warm(
    processes: Annotated[
        int, typer.Option(min=0, max=64, help="How many compile at once; as many as there are cores when 0.")
    ] = 0,
) -> None:
    """Compiles all kernels, so that no run has to wait for one; exits with 1 if one could not be compiled."""
    from brook.core.compiling.place import place
    from brook.core.compiling.warming import Progress, warm

    _loaded()

    def say(progress: Progress) -> None:
        if sys.stderr.isatty():
            print(f"\r\x1b[K{progress.words()}", end="" if progress.busy else "\n", file=sys.stderr, flush=True)

    done = warm(say, processes or None)
    _say(f"{done.there} of {done.total} kernels are compiled, in {place()}")
    for name, why in done.failed.items():
        _say(f"{name} could not be compiled: {why}")
    raise typer.Exit(1 if done.failed or done.there < done.total else 0)


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
        _say(str(error))
        raise typer.Exit(1) from error
    certificate, key = data.resolve() / FOLDER / CERTIFICATE, data.resolve() / FOLDER / KEY
    print(f"--tls-ca-file {certificate} --tls-cert {certificate} --tls-key {key}")


def _serve(data: Path, host: str, port: int, scheduler: str | None, with_demo: bool) -> None:
    from brook.core.compiling.warming import Warming, all_there

    if not all_there():
        _say(
            "2 of 2: starting, about 3 s. Code is compiled beside the pages, once on this machine: what the first study needs"
        )
        _say("        within half a minute, all of it in two. Runs that need some of it wait for it, and say so.")
    warming = Warming()
    warming.start()  # before what serving takes is loaded, which takes a second or two itself
    from brook.web.server import serve as serve_pages

    _loaded()
    try:
        serve_pages(data, host, port, scheduler, with_demo, warming)
    finally:
        warming.stop()


if __name__ == "__main__":
    app()
