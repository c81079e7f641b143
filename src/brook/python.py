"""Studies in Python: the same work as on the pages and by the command line, with fields as arrays.

    study = brook.Study.load("tray.json")
    result = study.case("hanging").run()
    result.reading("still_water").shown

A guide with examples that run is `docs/guides/python.md`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from brook.core.checks import prepare
from brook.core.editing import EditRefused, set_values
from brook.core.formulas import nearest
from brook.core.results import Judgement
from brook.core.results.files import write_vtu
from brook.core.results.pictures import Seen
from brook.core.results.pictures.plates import picture
from brook.core.results.pictures.sheet import Size
from brook.core.results.quantities import View
from brook.core.results.readings import show_reading, show_swing
from brook.core.results.space import Locator
from brook.core.solve import Outcome
from brook.core.stages.batch import Coarser, on_coarser, solve_variant
from brook.core.stages.readings import (
    dimension_of_reading,
    judgement_of,
    monitor_value,
    read_all,
)
from brook.core.stages.ready import ready
from brook.core.study import Problem, Requirement, read_study, sized_name, study_text
from brook.core.study import Study as Document
from brook.core.study.views import Plate

Say = Callable[[str], None]
PICTURE = (1280, 720)  # pixels


class CannotRun(ValueError):
    """What keeps a case from running, in words."""


def _silent(_: str) -> None:
    return


@dataclass(frozen=True)
class Reading:
    """What was read: `value` in SI units (None where there is none, and `problem` says why), half its band where it has one, as it is shown, and how it stands to its
    limit: pass, fail, undecided, open or ''."""

    name: str
    title: str
    value: float | None
    half: float | None
    unit: str
    shown: str
    verdict: str
    problem: str
    how_sure: str


class Study:
    """A study document, with the folder that its files lie in. It is never changed: what changes it gives another one."""

    def __init__(self, document: Document, folder: Path | None = None):
        self.document, self.folder = document, folder

    @classmethod
    def load(cls, path: str | Path) -> Study:
        """Reads a document; files that it names are looked for beside it. Raises `OSError`, `DocumentError`."""
        path = Path(path)
        return cls(read_study(path.read_bytes()), path.parent)

    def save(self, path: str | Path) -> None:
        """Writes the document as JSON."""
        Path(path).write_text(study_text(self.document))

    @property
    def title(self) -> str:
        return self.document.title

    @property
    def cases(self) -> list[str]:
        """Names of the cases: variants, at each operating point where there are any."""
        return [v.name for v in self.document.cases]

    def case(self, name: str, coarser: int = 0) -> Case:
        """A case by its name, on cells √2 times as large for each step that it is to be `coarser`, finer below 0. Raises `KeyError`."""
        try:
            self.document.variant(name)
        except KeyError:
            raise KeyError(f"'{name}' is not a case of this study: {nearest(name, self.cases)}") from None
        return Case(self, sized_name(name, coarser) if coarser else name)

    def with_values(self, **values: str) -> Study:
        """The study with other named values, as `hanging="24 mm"`; of variants that have values of their own see `Case.with_values`. Raises `ValueError`."""
        return self.with_texts({f"/named_values/{name}": text for name, text in values.items()})

    def with_texts(self, texts: dict[str, str]) -> Study:
        """The study with other texts at places of its document, as `{"/mesh_plan/bulk": "2 mm"}`. Raises `ValueError`."""
        try:
            return Study(set_values(self.document, texts), self.folder)
        except KeyError as error:
            raise ValueError(f"there is no value at {error.args[0]}") from None
        except EditRefused as error:
            raise ValueError("; ".join(f"{p.path}: {p.message}" for p in error.problems)) from None


class Case:
    """A case of a study: a variant, at an operating point, on cells of a size."""

    def __init__(self, study: Study, name: str):
        self.study, self.name = study, name

    @property
    def title(self) -> str:
        return self.study.document.variant(self.name).title

    def with_values(self, **values: str) -> Case:
        """The case with other values of its variant, or of the study where the variant has none of that name. Raises `ValueError`."""
        document = self.study.document
        variant = document.variant(self.name)
        k = document.index_of(variant)
        own = document.variants[k].named_values
        texts = {f"/variants/{k}/named_values/{n}" if n in own else f"/named_values/{n}": t for n, t in values.items()}
        return Case(self.study.with_texts(texts), self.name)

    @cached_property
    def problems(self) -> list[Problem]:
        """What keeps it from running."""
        ready(self.study.document, self.name, self.study.folder)
        mine = self.study.document.variant(self.name)
        others = prepare(self.study.document, mine).problems
        return list({(p.path, p.message): p for p in others}.values())

    def run(self, bands: bool = False, say: Say = _silent) -> Result:
        """Meshes, solves and reads; with `bands` on two coarser meshes first. `say` is told how far it is. Raises `CannotRun`."""
        if self.problems:
            raise CannotRun("; ".join(f"{p.path}: {p.message}" for p in self.problems))
        document, folder = self.study.document, self.study.folder
        try:
            coarser = on_coarser(document, self.name, folder, say) if bands else None
            start = coarser.fields if coarser is not None else None
            _, outcome = solve_variant(document, self.name, beside=folder, say=say, begin_with=start)
        except ValueError as error:
            raise CannotRun(str(error)) from None
        return Result(self, outcome, coarser)


class Result:
    """What a run found."""

    def __init__(self, case: Case, outcome: Outcome, coarser: Coarser | None = None):
        self.case, self.outcome, self._coarser = case, outcome, coarser
        document = case.study.document
        self._prepared = prepare(document, document.variant(case.name))

    @property
    def state(self) -> str:
        """converged, not converged, diverged or stopped."""
        return self.outcome.state

    @property
    def converged(self) -> bool:
        return self.outcome.state == "converged"

    @property
    def message(self) -> str:
        """How it ended, in words."""
        return self.outcome.message

    @property
    def notes(self) -> list[str]:
        """Which coarser meshes did not do, and why."""
        return self._coarser.notes if self._coarser is not None else []

    @cached_property
    def readings(self) -> dict[str, Reading]:
        """Every requirement as it was read, by its name."""
        document, outcome, prepared = self.case.study.document, self.outcome, self._prepared
        found = {}
        results = read_all(document, prepared, outcome.fields, outcome.history)
        for k, (requirement, result) in enumerate(zip(document.requirements, results, strict=True)):
            dimension, half, value, words = dimension_of_reading(requirement, prepared), None, result.value, ""
            if self._coarser is not None and value is not None:
                sure = self._coarser.sure(k, result, outcome, prepared.timing.kind != "steady")
                half, words = None if sure.half is None else float(sure.half), sure.words
                value = sure.values[0] if half is not None else value
            shown, unit, judged = "", "", None
            if dimension is not None and value is not None:
                unit = dimension.unit()
                asked = requirement.shown_in
                shown = show_reading(value, dimension, asked) if half is None else show_swing(value, half, dimension, asked)  # fmt: skip
                judged = judgement_of(requirement, prepared, value, half or 0.0)
            found[requirement.name] = Reading(
                requirement.name, requirement.title, value, half, unit, shown, _verdict(judged), result.problem, words
            )
        return found

    def reading(self, name: str) -> Reading:
        """A requirement as it was read. Raises `KeyError`."""
        if name not in self.readings:
            raise KeyError(f"'{name}' is not a requirement of this study: {nearest(name, list(self.readings))}")
        return self.readings[name]

    def read(self, text: str) -> float:
        """Any reading as it is written, `tray.speed.max`, at the end of the run, in SI units. Raises `FormulaError`."""
        asked = Requirement.model_construct(name="asked", title=text, reading=text)
        return float(monitor_value(asked, self._prepared, self.outcome.fields))

    @cached_property
    def _view(self) -> View:
        return self._prepared.places.view(self.outcome.fields)

    def field(self, quantity: str) -> np.ndarray:
        """Values (C,) of a quantity in SI units, one for each cell; `velocity` is (C, 3). Raises `KeyError`."""
        if quantity == "velocity":
            return np.array(self.outcome.fields.velocity)
        return np.array(self._view.values(quantity)[0])

    @property
    def centres(self) -> np.ndarray:
        """Middles (C, 3) of cells in m."""
        return np.array(self.outcome.fields.mesh.centre)

    @property
    def volumes(self) -> np.ndarray:
        """Volumes (C,) of cells in m³."""
        return np.array(self.outcome.fields.mesh.volume)

    @property
    def monitors(self) -> dict[str, np.ndarray]:
        """What each requirement read at every iteration or step, in SI units."""
        return {name: np.array(values, float) for name, values in self.outcome.history.monitors.items()}

    def picture(self, of: str, path: str | Path, size: tuple[int, int] = PICTURE) -> list[str]:
        """Draws a plate by its name, or a quantity, as PNG; gives what fell short in words. Raises `KeyError` for neither, `ValueError`."""
        plates = {p.name: p for p in self.case.study.document.plates}
        plate = plates.get(of) or Plate(name="asked", title=of.replace("_", " ").capitalize(), quantity=of)
        seen = Seen(self._view, Locator(self.outcome.fields.mesh), plate.quantity)
        made, words = picture(plate, seen, self.case.title, Size(*size))
        Path(path).write_bytes(made)
        return words

    def write(self, path: str | Path) -> None:
        """Writes the fields as VTU."""
        write_vtu(Path(path), self.outcome.fields)


def _verdict(judged: Judgement | None) -> str:
    return judged.verdict if judged is not None else ""


__all__ = ["CannotRun", "Case", "Reading", "Result", "Study"]
