"""One variant from document to files, without a server."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from brook.core.checks import Prepared
from brook.core.results.bands import Band
from brook.core.results.files import write_vtu
from brook.core.results.readings import show_reading, show_swing
from brook.core.solve import Fields, History, Outcome, Watch
from brook.core.solve.run import UNWATCHED
from brook.core.stages.beginning import begun_with
from brook.core.stages.certainty import Certainty, certainty, in_series
from brook.core.stages.judging import judged
from brook.core.stages.losses import losses_over
from brook.core.stages.readings import ReadingResult, course_words, dimension_of_reading, judgement_of, read_all
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Study, sized_name
from brook.core.study.space import has_own_mesh
from brook.core.study.variants import STEP, series_of

COARSER = "began with the fields of a coarser mesh"


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
    say: Callable[[str], None] = lambda _: None, begin_with: Fields | None = None,
) -> tuple[Prepared, Outcome]:  # fmt: skip
    """Meshes and runs a variant that has no problems; files of its shape are looked for `beside` the document; a steady one may `begin_with` fields of another mesh. Raises
    `ValueError` where the mesh loses more of the shape than the plan allows."""
    prepared, surface = ready(study, name, beside, say)
    mesh = meshed(study, prepared, surface, say, beside)
    own = has_own_mesh(prepared.geometry)
    if over := losses_over({} if own else judged(prepared, mesh, surface), prepared.plan.losses):
        raise ValueError(f"{'; '.join(over)}. Choose smaller cells there, or allow it: losses in the mesh plan")
    steady = prepared.timing.kind == "steady"
    start = begun_with(study, prepared, mesh, begin_with, COARSER) if begin_with is not None and steady else None
    return prepared, solve(study, prepared, mesh, watch, start)


@dataclass(frozen=True)
class Coarser:
    """What was read on coarser meshes of a variant, coarse ones last, with the fields of the finest of them; `notes` say which did not do."""

    readings: list[tuple[float, list[dict[str, Any]]]]
    fields: Fields | None
    notes: list[str]

    def sure(self, k: int, result: ReadingResult, outcome: Outcome, unsteady: bool) -> Certainty:
        """How sure the reading of this place in the list is, with what it is on the mesh of the plan, where it came out of this run; a run that
        neither converged nor stands swinging nor comes home gives none a band."""
        if not _counts(outcome) and result.value is not None:
            none = Band(result.value, None, None, None, "the run on the cells of the plan has not converged")
            return Certainty(None, none, None, None, (1.0,), (result.value,), unsteady)
        known = [(size, read[k]) for size, read in self.readings if read[k]["value"] is not None]
        return certainty([(1.0, _in_series(result, outcome)), *known], unsteady)


def on_coarser(study: Study, name: str, beside: Path | None, say: Callable[[str], None]) -> Coarser:
    """Runs a variant on the coarser meshes of a series, each beginning with the fields of the one before."""
    readings: list[tuple[float, list[dict[str, Any]]]] = []
    fields, notes = None, []
    for steps in series_of(0)[:-1]:
        sized = sized_name(name, steps)
        try:
            prepared, outcome = solve_variant(study, sized, UNWATCHED, beside, say, fields)
        except ValueError as error:
            notes.append(f"{sized}: {error}")
            continue
        say(f"{sized}: {outcome.message}, {outcome.fields.mesh.cell_count} cells")
        if not _counts(outcome):
            notes.append(f"{sized}: {outcome.message}")
            continue
        fields = outcome.fields
        read = read_all(study, prepared, outcome.fields, outcome.history)
        readings.insert(0, (STEP**steps, [_in_series(result, outcome) for result in read]))
    return Coarser(readings, fields, notes)


def _counts(outcome: Outcome) -> bool:
    """Whether its readings may stand in a series."""
    return outcome.state == "converged" or outcome.swing is not None or bool(outcome.left)


def _in_series(result: ReadingResult, outcome: Outcome) -> dict[str, Any]:
    return in_series(
        result.as_dict(), result.name, outcome.swing.monitors if outcome.swing is not None else None, outcome.left
    )


def summary_of(
    study: Study, prepared: Prepared, outcome: Outcome, readings: list[ReadingResult], coarser: Coarser | None = None
) -> dict[str, Any]:
    """What a run found, ready for JSON; values in SI units. With `coarser` meshes readings have bands, or it is said why not."""
    rows = []
    for k, (requirement, result) in enumerate(zip(study.requirements, readings, strict=True)):
        row: dict[str, Any] = {
            "name": requirement.name, "title": requirement.title, "reading": requirement.reading,
            "reads": course_words(requirement, prepared), "value": result.value, "problem": result.problem,
        }  # fmt: skip
        dimension = dimension_of_reading(requirement, prepared)
        if dimension is not None and result.value is not None:
            sure = coarser.sure(k, result, outcome, prepared.timing.kind != "steady") if coarser is not None else None
            half = sure.half if sure is not None else None
            value = sure.values[0] if sure is not None and half is not None else result.value
            judgement = judgement_of(requirement, prepared, value, half or 0.0)
            row["unit"] = dimension.unit()
            row["shown"] = show_reading(result.value, dimension, requirement.shown_in)
            if sure is not None:
                row["band"], row["how_sure"] = half, sure.words
            if half is not None:
                row["shown"] = show_swing(value, half, dimension, requirement.shown_in)
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
        **({"notes": coarser.notes} if coarser is not None and coarser.notes else {}),
    }  # fmt: skip


def run_to_folder(
    study: Study, name: str, folder: Path, say: Callable[[str], None], beside: Path | None = None, bands: bool = False
) -> dict[str, Any]:
    """Runs a variant and writes readings.json, fields.vtu and histories.csv; returns the summary. With `bands` it runs on two coarser meshes first."""
    teller = Teller(name, say, folder)

    def mine(words: str) -> None:
        say(f"{name}: {words}")

    coarser = on_coarser(study, name, beside, say) if bands else None
    begin_with = coarser.fields if coarser is not None else None
    prepared, outcome = solve_variant(study, name, teller, beside, mine, begin_with)
    summary = summary_of(study, prepared, outcome, read_all(study, prepared, outcome.fields, outcome.history), coarser)
    for row in summary["readings"] if bands else ():
        say(f"{name}: {row['title']}: {row.get('shown', row['problem'])}; {row.get('how_sure', '')}")
    for note in coarser.notes if coarser is not None else ():
        say(f"{name}: without {note}")
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
