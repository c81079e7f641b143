"""One variant from document to files, without a server."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from brook.core.checks import Prepared
from brook.core.results.files import write_vtu
from brook.core.results.readings import show_reading
from brook.core.solve import Fields, History, Outcome, Watch
from brook.core.solve.run import UNWATCHED
from brook.core.stages.judging import judged
from brook.core.stages.losses import losses_over
from brook.core.stages.readings import ReadingResult, course_words, dimension_of_reading, judgement_of, read_all
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.space import has_own_mesh


class Teller(Watch):
    """Says the residuals a few times a second."""

    def __init__(self, name: str, say: Callable[[str], None], folder: Path):
        self.name, self.say, self.folder = name, say, folder
        self.times: list[float] = []

    def save_moment(self, time: float, fields: Fields) -> None:
        """Writes the fields of a time that is to be kept."""
        self.times.append(time)
        self.folder.mkdir(parents=True, exist_ok=True)
        write_whole(self.folder / f"fields-{len(self.times):04d}.vtu", lambda path: write_vtu(path, fields))

    def report(self, history: History, start: int) -> None:
        """Says a line about what is new."""
        if len(history) > start:
            now = ", ".join(f"{name} {values[-1]:.1e}" for name, values in history.residuals.items())
            at = f"step {len(history)}, {history.time[-1]:.4g} s" if history.time else f"iteration {len(history)}"
            self.say(f"{self.name}: {at}, {now}")


def solve_variant(
    study: Study, name: str, watch: Watch = UNWATCHED, beside: Path | None = None,
    say: Callable[[str], None] = lambda _: None,
) -> tuple[Prepared, Outcome]:  # fmt: skip
    """Meshes and runs a variant that has no problems; files of its shape are looked for `beside` the document. Raises `ValueError` where
    the mesh loses more of the shape than the plan allows."""
    prepared, surface = ready(study, name, beside, say)
    mesh = meshed(study, prepared, surface, say, beside)
    own = has_own_mesh(prepared.geometry)
    if over := losses_over({} if own else judged(prepared, mesh, surface), prepared.plan.losses):
        raise ValueError(f"{'; '.join(over)}. Choose smaller cells there, or allow it: losses in the mesh plan")
    return prepared, solve(study, prepared, mesh, watch)


def summary_of(study: Study, prepared: Prepared, outcome: Outcome, readings: list[ReadingResult]) -> dict[str, Any]:
    """What a run found, ready for JSON; values in SI units."""
    rows = []
    for requirement, result in zip(study.requirements, readings, strict=True):
        row: dict[str, Any] = {
            "name": requirement.name, "title": requirement.title, "reading": requirement.reading,
            "reads": course_words(requirement, prepared), "value": result.value, "problem": result.problem,
        }  # fmt: skip
        dimension = dimension_of_reading(requirement, prepared)
        if dimension is not None and result.value is not None:
            judgement = judgement_of(requirement, prepared, result.value)
            row["unit"] = dimension.unit()
            row["shown"] = show_reading(result.value, dimension, requirement.shown_in)
            if outcome.swing is not None and requirement.name in outcome.swing.monitors:
                row["mean"], row["swing"] = outcome.swing.monitors[requirement.name]
            if judgement is not None:
                row |= {"limit": judgement.words, "verdict": judgement.verdict, "margin": judgement.margin}
        rows.append(row)
    return {
        "study": study.title, "variant": prepared.variant.name, "state": outcome.state, "message": outcome.message,
        "iterations": outcome.iterations, "cells": outcome.fields.mesh.cell_count,
        "mass_flows": {p.name: outcome.fields.mass_flow(p.name) for p in outcome.fields.stencil.patches},
        "volume_flows": {p.name: outcome.fields.flow(p.name) for p in outcome.fields.stencil.patches},
        "mass_imbalance": outcome.fields.imbalance(), "backflow": outcome.backflow, "readings": rows,
    }  # fmt: skip


def run_to_folder(
    study: Study, name: str, folder: Path, say: Callable[[str], None], beside: Path | None = None
) -> dict[str, Any]:
    """Runs a variant and writes readings.json, fields.vtu and histories.csv; returns the summary."""
    teller = Teller(name, say, folder)
    prepared, outcome = solve_variant(study, name, teller, beside, lambda words: say(f"{name}: {words}"))
    summary = summary_of(study, prepared, outcome, read_all(study, prepared, outcome.fields, outcome.history))
    folder.mkdir(parents=True, exist_ok=True)
    if teller.times:
        text = json.dumps({f"fields-{k:04d}.vtu": time for k, time in enumerate(teller.times, 1)}, indent=2) + "\n"
        write_whole(folder / "times.json", lambda path: path.write_text(text))
    write_whole(folder / "fields.vtu", lambda path: write_vtu(path, outcome.fields))
    write_whole(folder / "histories.csv", lambda path: path.write_text(outcome.history.csv()))
    text = json.dumps(summary, indent=2, ensure_ascii=False) + "\n"
    write_whole(folder / "readings.json", lambda path: path.write_text(text))
    say(f"{name}: {outcome.message}")
    return summary


def write_whole(path: Path, write: Callable[[Path], Any]) -> None:
    """Writes a file beside its place and moves it there, so that none is ever half-written."""
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.stem}-", suffix=path.suffix)
    os.close(handle)
    try:
        write(Path(temporary))
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
