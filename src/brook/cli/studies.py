"""Commands about a study's file: check, run, mesh, follow."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from brook.cli.app import app, load_study, loaded, make_shapes, say, variant_of


@app.command()
def check(study_file: Path) -> None:
    """What would stop a study from running; exits with 1 if anything would."""
    from brook.core.checks import check as check_study
    from brook.core.checks.flowing import looked_at

    loaded()
    study = load_study(study_file)
    shapes = make_shapes(study, [v.name for v in study.variants], study_file.parent)
    problems = check_study(study)
    for problem in problems:
        print(f"{problem.path}: {problem.message}")
    for path, message in looked_at(study, shapes):
        print(f"{path}: {message} (does not keep it from running)")
    if problems:
        raise typer.Exit(1)
    print("nothing keeps this study from running")


@app.command()
def run(
    study_file: Path,
    variant: Annotated[str | None, typer.Option(help="Only this variant.")] = None,
    out: Annotated[Path | None, typer.Option(help="Folder for the results.")] = None,
    bands: Annotated[
        bool, typer.Option("--bands", help="On two coarser meshes first, so that readings have bands.")
    ] = False,
) -> None:
    """Meshes, solves and reads; exits with 0 when converged, 2 when not, 1 on an error.

    Writes readings.json, fields.vtu and histories.csv into the folder; with several variants,
    into one folder each.
    """
    from brook.core.checks import check as check_study
    from brook.core.formulas import nearest
    from brook.core.stages.batch import run_to_folder
    from brook.core.study import variant_name

    loaded()
    study = load_study(study_file)
    names = [v.name for v in study.cases]
    of = [v.name for v in study.cases if variant in (v.name, variant_name(v))]
    if variant is not None and not of:
        say(f"'{variant}' is not a variant of this study: {nearest(variant, names)}")
        raise typer.Exit(1)
    chosen = of or names
    make_shapes(study, chosen, study_file.parent)
    problems = [p for p in check_study(study) if p.variant in (None, *chosen) and not p.path.startswith("/sweeps")]
    if variant is not None:  # what is wrong with the other variants does not matter here
        mine = {study.index_of(study.variant(n)) for n in chosen}
        others = tuple(f"/variants/{k}/" for k in range(len(study.variants)) if k not in mine)
        problems = [p for p in problems if not p.path.startswith(others)]
    if problems:
        for problem in problems:
            say(f"{problem.path}: {problem.message}")
        raise typer.Exit(1)
    folder = out or Path(f"{study_file.stem}-results")
    states = []
    for name in chosen:
        target = folder if len(chosen) == 1 else folder / name
        try:
            summary = run_to_folder(study, name, target, say, study_file.parent, bands)
        except ValueError as error:  # a mesh that cannot be made, a file that is none
            say(f"{name}: {error}")
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

    loaded()
    study = load_study(study_file)
    name = variant_of(study, variant)
    if out is not None and not is_mesh_file(out.name):
        say(f"{out.name}: meshes are written as {', '.join('.' + s for s in MESH_FORMATS)}")
        raise typer.Exit(1)
    try:
        prepared, surface = ready(study, name, study_file.parent, lambda words: say(f"{name}: {words}"))
        problems = [p for p in prepared.problems if not p.path.startswith("/set_up")]
        for problem in problems:
            say(f"{problem.path}: {problem.message}")
        if problems:
            raise typer.Exit(1)
        made = meshed(study, prepared, surface, lambda words: say(f"{name}: {words}"), study_file.parent)
        if out is not None:
            write_mesh(out, made)
    except (ValueError, OSError) as error:
        say(f"{name}: {error}")
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
    where: Annotated[
        str, typer.Option(help="Where boxes may change: everywhere, in zones of the plan, or outside of them.")
    ] = "everywhere",
    requirement: Annotated[
        str,
        typer.Option(help="Name of the requirement that is to be reached by what bends; all alike when none is said."),
    ] = "",
) -> None:
    """Runs a variant, and lets its boxes follow: halved where a quantity bends most, joined where least."""
    from brook.core.followed import followed
    from brook.core.formulas import nearest
    from brook.core.study import study_text

    loaded()
    study = load_study(study_file)
    name = variant_of(study, variant)
    try:
        reading = next((r.reading for r in study.requirements if r.name == requirement), "")
        if requirement and not reading:
            raise ValueError(
                f"'{requirement}' is no requirement here: {nearest(requirement, [r.name for r in study.requirements])}"
            )
        wish = {"quantity": quantity, "cells": str(cells), "where": where, "reaches": reading}
        made, file, write = followed(study, name, wish, study_file.parent, lambda words: say(f"{name}: {words}"))
        write(out.parent / file)
        out.write_text(study_text(made))
    except (ValueError, OSError) as error:
        say(f"{name}: {error}")
        raise typer.Exit(1) from None
    say(f"written to {out}; the sizes of boxes are in {file} beside it")
