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
from brook.core.solve.solver import Solver

State = Literal["converged", "not converged", "stopped", "paused", "diverged"]
Wish = Literal["go on", "stop", "pause"]
Monitor = Callable[[Fields], float]
SNAPSHOT_EVERY = 25
AGAIN = ", after a second and gentler start at iteration {}"


class Watch:
    """What somebody who watches a run does every so many `seconds`; this one does nothing."""

    seconds = 0.25

    def report(self, history: History, start: int) -> None:
        """Is told what is new in the history since `start`."""

    def look(self, fields: Fields) -> None:
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

    @property
    def iterations(self) -> int:
        return len(self.history)


def run_steady(
    flow: Solver, rules: Rules, monitors: dict[str, Monitor], watch: Watch = UNWATCHED,
    start: Checkpoint | None = None,
) -> Outcome:  # fmt: skip
    """Iterates until the rules are met, somebody wishes otherwise, or the flow runs away.

    A flow that runs away is started once more with smaller steps before it counts as diverged.
    With `start` the run goes on from a checkpoint of the same mesh.
    """
    names = tuple(monitors)
    if start is None:
        history, began_at = History(names), 0
    else:
        history, began_at = start.history_of(names), start.began_at
        flow = start.onto(flow, history)
    again = AGAIN.format(began_at) if flow.settings.is_gentle else ""
    before = history.seconds[-1] if len(history) else 0.0
    begun = reported = time.perf_counter()
    sent = 0
    last_good = flow.fields().copied(np.float32)
    state: State = "not converged"
    message = f"{rules.iterations} iterations were not enough"
    watch.report(history, 0)
    mixing, cycles = None, None
    if isinstance(flow, FlowSolver) and flow.mixes:
        cycles = Cycles(flow, starts=start is None)
        levels = cycles.start(_unhurried(watch)) if start is None else 0
        if levels:
            history.marks.append(
                (0, f"started from {levels} coarser meshes" if levels > 1 else "started from a coarser mesh")
            )
        give_back()
        mixing = Acceleration(flow, near=levels > 0)
    while len(history) - began_at < rules.iterations:
        iteration = len(history)
        try:
            if mixing is not None:
                mixing.begin()
            residuals = flow.iterate() if cycles is None else cycles.iterate()
            now_fields = flow.fields()
            values = {name: monitor(now_fields) for name, monitor in monitors.items()}
        except Diverged as error:
            if not again:
                again, flow, mixing, cycles = AGAIN.format(iteration + 1), flow.gentler(), None, None
                history.marks.append((iteration, "started again with smaller steps"))
                continue
            state, message = "diverged", explain(error, flow.stencil.mesh, iteration + 1, again)
            again = ""
            break
        except Unsolved as error:
            state, message = "diverged", f"ended in iteration {iteration + 1}{again}: {error}"
            again = ""
            break
        history.add(residuals, before + time.perf_counter() - begun, values)
        if iteration % SNAPSHOT_EVERY == 0:
            last_good = now_fields.copied(np.float32)
        if time.perf_counter() - reported > watch.seconds:
            watch.report(history, sent)
            sent, reported = len(history), time.perf_counter()
            watch.look(now_fields)
            watch.keep(partial(Checkpoint.of, flow, history, began_at))
            wish = watch.wish()
            if wish == "stop":
                state, message = "stopped", f"stopped by hand after {len(history)} iterations; the fields are kept"
                break
            if wish == "pause":
                state, message = "paused", f"paused after {len(history)} iterations"
                break
        under = residuals.worst <= rules.residual
        if under and all(standing_still(history.monitors[n], rules) for n in names):
            state, message = "converged", f"converged after {len(history)} iterations"
            break
        if mixing is not None:
            mixing.end(residuals.worst)
    mixing = cycles = None  # their room is needed for what is kept
    give_back()
    final = Checkpoint.of(flow, history, began_at)
    short: list[str] = []
    if state not in ("diverged", "paused"):
        short = flow.close()
        last_good = flow.fields()
    watch.report(history, sent)
    message += again if state != "paused" else ""
    if state == "not converged":
        message += _what_still_moves(history, rules)
    message += "".join(f"; {note}" for note in [*short, *flow.notes()])
    steady = {name: standing_still(history.monitors[name], rules) for name in names}
    backflow = flow.backflow() if state != "diverged" else 0.0
    return Outcome(state, message, last_good.copied(), history, steady, backflow, final)


def _unhurried(watch: Watch) -> Callable[[], bool]:
    """Whether a watch wishes to go on, asked no oftener than it likes."""
    asked, wished = time.perf_counter(), True

    def wanted() -> bool:
        nonlocal asked, wished
        if wished and time.perf_counter() - asked > watch.seconds:
            asked, wished = time.perf_counter(), watch.wish() == "go on"
        return wished

    return wanted


def _what_still_moves(history: History, rules: Rules) -> str:
    if not len(history):
        return ""
    moving = [n for n in history.monitor_names if not standing_still(history.monitors[n], rules)]
    worst = history.worst[-1]
    over = worst > rules.residual
    parts = []
    if over:
        parts.append(f"residuals stand at {worst:.1e}")
    if moving:
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
