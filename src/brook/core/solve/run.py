"""Running a flow until it may stop: residuals under their limit and every monitor standing still."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from brook import give_back
from brook.core.mesh import Mesh
from brook.core.mesh.advice import patch_near
from brook.core.numerics.general import Unsolved
from brook.core.solve.acceleration import Acceleration
from brook.core.solve.checkpoint import Checkpoint
from brook.core.solve.cycles import Cycles
from brook.core.solve.fields import Fields
from brook.core.solve.flow import Diverged, FlowSolver
from brook.core.solve.history import History, Rules, standing_still
from brook.core.solve.leftover import still_to_come, stopping_error
from brook.core.solve.put import Put
from brook.core.solve.solver import Solver
from brook.core.solve.swinging import Swing, swing_of

State = Literal["converged", "enough", "not converged", "stopped", "paused", "diverged"]
Wish = Literal["go on", "stop", "pause"]
Monitor = Callable[[Fields], float]
SNAPSHOT_EVERY = 25
SMALL_FOR = 10  # iterations for which what is still to come has to be small before it counts
AGAIN = ", after a second and gentler start at iteration {}"


class Watch:
    """What somebody who watches a run does every so many `seconds`; this one does nothing."""

    seconds = 0.25

    def report(self, history: History, start: int) -> None:
        """Is told what is new in the history since `start`."""

    def show(self, fields: Fields) -> None:
        """Gets the fields as they are now."""

    def save_moment(self, time: float, fields: Fields) -> None:
        """Gets the fields of a time in s that is to be kept."""

    def keep(self, checkpoint: Callable[[], Checkpoint]) -> None:
        """May keep a checkpoint, made on demand."""

    def wish(self) -> Wish:
        """Whether the run shall go on."""
        return "go on"


UNWATCHED = Watch()


@dataclass(frozen=True, eq=False)
class Outcome:
    """How a run ended: fields are the last good ones."""

    state: State
    message: str
    fields: Fields
    history: History
    steady: dict[str, bool]
    backflow: float
    checkpoint: Checkpoint
    swing: Swing | None = None  # of one that stands without converging
    left: dict[str, float] | None = (
        None  # what is still to come of monitors, of one whose iterations were over too soon
    )
    put: tuple[Put, ...] = ()  # heat, besides what comes in through patches

    @property
    def iterations(self) -> int:
        """How many there were."""
        return len(self.history)


def run_steady(
    flow: Solver, rules: Rules, monitors: dict[str, Monitor], watch: Watch = UNWATCHED,
    start: Checkpoint | None = None,
) -> Outcome:  # fmt: skip
    """Iterates until the rules are met, somebody wishes otherwise, or the flow runs away.

    A flow that runs away is started once more with smaller steps before it counts as diverged.
    With `start` the run goes on from a checkpoint of the same mesh.
    """
    return _Way(flow, rules, monitors, watch, start).to_the_end()


class _Way:
    """A steady flow on its way to its answer: the solver, what makes it short, and what is recorded."""

    def __init__(
        self, flow: Solver, rules: Rules, monitors: dict[str, Monitor], watch: Watch, start: Checkpoint | None
    ):
        self.rules, self.monitors, self.watch = rules, monitors, watch
        names = tuple(monitors)
        self.history, self.began_at = History(names), 0
        if start is not None:
            self.history, self.began_at = start.history_of(names), start.began_at
            flow = start.onto(flow, self.history)
        self.flow = flow
        self.again = AGAIN.format(self.began_at) if flow.settings.is_gentle else ""  # said of a second start
        self.before = self.history.seconds[-1] if len(self.history) else 0.0
        self.begun = self.reported = time.perf_counter()
        self.sent, self.small_for = 0, 0
        self.last_good = flow.fields().copied(np.float32)
        watch.report(self.history, 0)
        self.mixing: Acceleration | None = None
        self.cycles: Cycles | None = None
        if isinstance(flow, FlowSolver) and flow.mixes:
            self._shorten(flow, start is None)

    def _shorten(self, flow: FlowSolver, begins: bool) -> None:
        """Starts on coarser meshes where that is quicker, and mixes states from then on."""
        self.cycles = Cycles(flow, starts=begins)
        levels = self.cycles.start(_unhurried(self.watch)) if begins else 0
        if levels:
            self.history.marks.append(
                (0, f"started from {levels} coarser meshes" if levels > 1 else "started from a coarser mesh")
            )
        give_back()
        self.mixing = Acceleration(flow, near=levels > 0)

    def to_the_end(self) -> Outcome:
        """All iterations, and what they came to."""
        state: State = "not converged"
        message = f"{self.rules.iterations} iterations were not enough"
        while len(self.history) - self.began_at < self.rules.iterations:
            iteration = len(self.history)
            try:
                ended = self._iterate()
            except Diverged as error:
                if not self.again:
                    self._begin_again(iteration)
                    continue
                state, message = "diverged", explain(error, self.flow.stencil.mesh, iteration + 1, self.again)
                self.again = ""
                break
            except Unsolved as error:
                state, message = "diverged", f"ended in iteration {iteration + 1}{self.again}: {error}"
                self.again = ""
                break
            if ended is not None:
                state, message = ended
                break
        return self._outcome(state, message)

    def _begin_again(self, iteration: int) -> None:
        """The same flow from its start, with smaller steps."""
        self.again, self.flow, self.mixing, self.cycles = AGAIN.format(iteration + 1), self.flow.gentler(), None, None
        self.history.marks.append((iteration, "started again with smaller steps"))

    def _iterate(self) -> tuple[State, str] | None:
        """One iteration; how the run ends, where it does. Raises `Diverged`, `Unsolved`."""
        history = self.history
        if self.mixing is not None:
            self.mixing.begin()
        residuals = self.flow.iterate() if self.cycles is None else self.cycles.iterate()
        fields = self.flow.fields()
        values = {name: monitor(fields) for name, monitor in self.monitors.items()}
        history.add(residuals, self.before + time.perf_counter() - self.begun, values)
        if (len(history) - 1) % SNAPSHOT_EVERY == 0:
            self.last_good = fields.copied(np.float32)
        wish = self._tell(fields)
        if wish == "stop":
            return "stopped", f"stopped by hand after {len(history)} iterations; the fields are kept"
        if wish == "pause":
            return "paused", f"paused after {len(history)} iterations"
        still = all(standing_still(history.monitors[n], self.rules) for n in self.monitors)
        if residuals.worst <= self.rules.residual and still:
            return "converged", f"converged after {len(history)} iterations"
        if self.rules.enough and self._is_enough():
            return "enough", (
                f"ended after {len(history)} iterations, as what is still to come of every reading is small beside what is to be decided"
            )
        if self.mixing is not None:
            self.mixing.end(residuals.worst)
        return None

    def _is_enough(self) -> bool:
        """Whether what is still to come of all monitors has been small for some iterations."""
        small = all(
            (left := stopping_error(self.history.monitors[name], self.began_at)) is not None
            and left <= self.rules.enough.get(name, 0.0)
            for name in self.monitors
        )
        self.small_for = self.small_for + 1 if small and self.monitors else 0
        return self.small_for >= SMALL_FOR

    def _tell(self, fields: Fields) -> Wish:
        """Tells whoever watches how far it is, no oftener than that is wanted, and asks what to do."""
        if time.perf_counter() - self.reported <= self.watch.seconds:
            return "go on"
        self.watch.report(self.history, self.sent)
        self.sent, self.reported = len(self.history), time.perf_counter()
        self.watch.show(fields)
        self.watch.keep(partial(Checkpoint.of, self.flow, self.history, self.began_at))
        return self.watch.wish()

    def _outcome(self, state: State, message: str) -> Outcome:
        self.mixing = self.cycles = None  # their room is needed for what is kept
        give_back()
        final = Checkpoint.of(self.flow, self.history, self.began_at)
        short: list[str] = []
        if state not in ("diverged", "paused"):
            short = self.flow.close()
            self.last_good = self.flow.fields()
        self.watch.report(self.history, self.sent)
        message += self.again if state != "paused" else ""
        swing = swing_of(self.history, self.rules, self.began_at) if state in ("not converged", "stopped") else None
        if state == "not converged":
            message += _what_still_moves(self.history, self.rules, swing is not None)
        message += f"; {swing.words}" if swing else ""
        message += "".join(f"; {note}" for note in [*short, *self.flow.notes()])
        steady = {name: standing_still(self.history.monitors[name], self.rules) for name in self.monitors}
        backflow = self.flow.backflow() if state != "diverged" else 0.0
        left = (
            still_to_come(self.history, self.rules, self.began_at)
            if state == "not converged" and swing is None
            else None
        )
        return Outcome(state, message, self.last_good.copied(), self.history, steady, backflow, final, swing, left)


def _unhurried(watch: Watch) -> Callable[[], bool]:
    """Whether a watch wishes to go on, asked no oftener than it likes."""
    asked, wished = time.perf_counter(), True

    def wanted() -> bool:
        nonlocal asked, wished
        if wished and time.perf_counter() - asked > watch.seconds:
            asked, wished = time.perf_counter(), watch.wish() == "go on"
        return wished

    return wanted


def _what_still_moves(history: History, rules: Rules, swings: bool) -> str:
    if not len(history):
        return ""
    moving = [n for n in history.monitor_names if not standing_still(history.monitors[n], rules)]
    worst = history.worst[-1]
    over = worst > rules.residual
    parts = []
    if over:
        parts.append(f"residuals stand at {worst:.1e}")
    if moving and not swings:
        parts.append("still moving: " + ", ".join(name.replace("_", " ") for name in moving))
    return "; " + "; ".join(parts) if parts else ""


def explain(error: Diverged, mesh: Mesh, iteration: int, again: str = "") -> str:
    """What went wrong, where, and what to try."""
    x, y, z = error.place
    where = f"({x:.4g} m, {y:.4g} m)" if mesh.is_plane else f"({x:.4g} m, {y:.4g} m, {z:.4g} m)"
    return (
        f"diverged in iteration {iteration}{again}: {error.cause}, near {where} beside {patch_near(mesh, error.place)}. "
        "Check the values on that patch; try first-order convection, or finer cells there"
    )
