"""A run's state at one iteration, from which it can go on."""

from __future__ import annotations

import json
import os
import uuid
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar
from zipfile import BadZipFile

import numpy as np

from brook.core.solve.history import History
from brook.core.solve.solver import Solver
from brook.core.solve.states import SolverState, State, read_state, written_state

IN_TIME = "time-"  # what names of states begin with that are of a run through time
AnySolver = TypeVar("AnySolver", bound=Solver)


@dataclass(frozen=True, eq=False)
class Checkpoint:
    """The state of a solver, that of a run through time besides, the history so far, and the iteration from which the limit
    counts.

    `mesh` and `run` are keys of what it was made of; a checkpoint fits every run on the same mesh.
    """

    state: SolverState
    is_gentle: bool
    history: str
    began_at: int
    mesh: str = ""
    run: str = ""
    time: dict[str, State] = field(default_factory=dict)

    @classmethod
    def of(cls, solver: Solver, history: History, began_at: int) -> Checkpoint:
        """That of a solver as it stands."""
        return cls(solver.state(), solver.settings.is_gentle, json.dumps(history.since(0)), began_at)

    def history_of(self, monitors: tuple[str, ...]) -> History:
        """The history so far, watched from now on by these monitors."""
        return History.read(self.history, monitors)

    @property
    def iterations(self) -> int:
        """How many iterations led there."""
        return len(json.loads(self.history)["seconds"])

    def onto(self, solver: AnySolver, history: History) -> AnySolver:
        """A solver on the same mesh in this state; its fluid and boundaries may differ. What is left out of the state is marked in
        the history. Raises `ValueError` for one of another kind, version or mesh."""
        made: Any = solver.gentler() if self.is_gentle else solver
        history.marks += [(len(history), words) for words in made.restore(self.state)]
        return made

    def going_on(self, mark: str, anew: bool) -> Checkpoint:
        """The same with a mark in its history; `anew` counts the limit of iterations from here."""
        raw = json.loads(self.history)
        at = len(raw["seconds"])
        raw["marks"].append([at, mark])
        return replace(self, history=json.dumps(raw), began_at=at if anew else self.began_at)

    def save(self, path: Path, mesh: str, run: str) -> None:
        """Writes it beside its place and moves it there, so that there is always a whole one, even after a power cut."""
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.with_name(f".{path.stem}-{uuid.uuid4().hex[:8]}")
        about = json.dumps({"gentle": self.is_gentle, "began_at": self.began_at, "mesh": mesh, "run": run})
        written = {"about": np.array(about), "history": np.array(self.history)} | written_state(self.state | self.time)
        try:
            with temporary.open("wb") as handle:
                np.savez(handle, **written)  # type: ignore[arg-type]
                handle.flush()
                os.fsync(handle.fileno())
            os.replace(temporary, path)
        finally:
            temporary.unlink(missing_ok=True)

    @classmethod
    def load(cls, path: Path) -> Checkpoint | None:
        """The checkpoint of a file, or None when there is none that can be read."""
        try:
            with np.load(path) as data:
                about = json.loads(str(data["about"]))
                arrays = {n: data[n] for n in data.files if n not in ("about", "history")}
                history = str(data["history"])
        except (OSError, ValueError, KeyError, BadZipFile):
            return None
        state = read_state(arrays)
        time = {name: state.pop(name) for name in [n for n in state if n.startswith(IN_TIME)]}
        return cls(state, about["gentle"], history, about["began_at"], about["mesh"], about["run"], time)
