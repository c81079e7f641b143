"""Running a flow until it may stop: residuals under their limit and every monitor standing still."""

from __future__ import annotations

import csv
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from io import StringIO
from typing import Literal

import numpy as np

from brook.core.mesh import Mesh
from brook.core.solve.fields import Fields
from brook.core.solve.flow import Diverged, SteadyFlow

State = Literal["converged", "not converged", "stopped", "diverged"]
Monitor = Callable[[Fields], float]
SNAPSHOT_EVERY = 25
REPORT_SECONDS = 0.25


@dataclass(frozen=True)
class Rules:
    """Limit of the residuals; the largest relative change of a monitor over a window of iterations."""

    residual: float = 1e-5
    monitor_change: float = 1e-3
    monitor_window: int = 40
    iterations: int = 3000


@dataclass
class History:
    """What was recorded at each iteration; monitors by name."""

    monitor_names: tuple[str, ...]
    momentum: list[float] = field(default_factory=list)
    mass: list[float] = field(default_factory=list)
    monitors: dict[str, list[float]] = field(default_factory=dict)
    seconds: list[float] = field(default_factory=list)

    def __post_init__(self) -> None:
        for name in self.monitor_names:
            self.monitors.setdefault(name, [])

    def __len__(self) -> int:
        return len(self.momentum)

    def since(self, start: int) -> dict[str, object]:
        """Everything recorded from an iteration on, as plain lists."""
        return {
            "start": start,
            "momentum": self.momentum[start:],
            "mass": self.mass[start:],
            "seconds": self.seconds[start:],
            "monitors": {name: values[start:] for name, values in self.monitors.items()},
        }

    def csv(self) -> str:
        """The history as a table, one line an iteration, monitors in SI units."""
        text = StringIO()
        writer = csv.writer(text, lineterminator="\n")
        writer.writerow(["iteration", "momentum_residual", "mass_residual", "seconds", *self.monitor_names])
        for k in range(len(self)):
            values = [self.monitors[n][k] for n in self.monitor_names]
            writer.writerow([k + 1, *(repr(v) for v in (self.momentum[k], self.mass[k], self.seconds[k], *values))])
        return text.getvalue()


@dataclass(frozen=True, eq=False)
class Outcome:
    """How a run ended: fields are the last good ones."""

    state: State
    message: str
    fields: Fields
    history: History
    steady: dict[str, bool]
    backflow: float

    @property
    def iterations(self) -> int:
        return len(self.history)


def standing_still(values: list[float], rules: Rules) -> bool:
    """A monitor's last window varies by no more than the allowed share of its size."""
    if len(values) < rules.monitor_window:
        return False
    window = np.array(values[-rules.monitor_window :])
    if not np.all(np.isfinite(window)):
        return False
    size = max(abs(float(window.mean())), 1e-3 * float(np.max(np.abs(values))))
    return float(np.ptp(window)) <= rules.monitor_change * size + 1e-300


def run_steady(
    flow: SteadyFlow,
    rules: Rules,
    monitors: dict[str, Monitor],
    report: Callable[[History, int], None] = lambda history, start: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Outcome:
    """Iterates until the rules are met, `should_stop` says so, or the flow runs away.

    A flow that runs away is started once more with smaller steps before it counts as diverged.
    `report(history, start)` is called a few times a second with what is new since `start`.
    """
    history = History(tuple(monitors))
    begun = reported = time.perf_counter()
    sent = 0
    last_good = flow.snapshot()
    again = ""
    state: State = "not converged"
    message = f"{rules.iterations} iterations were not enough"
    for iteration in range(rules.iterations):
        try:
            residuals = flow.iterate()
            now_fields = flow.snapshot()
            values = {name: monitor(now_fields) for name, monitor in monitors.items()}
        except Diverged as error:
            if not again:
                again, flow = f", after a second and gentler start at iteration {iteration + 1}", flow.gentler()
                continue
            state, message = "diverged", explain(error, flow.stencil.mesh, iteration + 1, again)
            again = ""
            break
        history.momentum.append(residuals.momentum)
        history.mass.append(residuals.mass)
        history.seconds.append(time.perf_counter() - begun)
        for name, value in values.items():
            history.monitors[name].append(value)
        if iteration % SNAPSHOT_EVERY == 0:
            last_good = now_fields
        if history.seconds[-1] + begun - reported > REPORT_SECONDS:
            report(history, sent)
            sent, reported = len(history), time.perf_counter()
            if should_stop():
                state, message = "stopped", f"stopped by hand after {iteration + 1} iterations; the fields are kept"
                break
        under = residuals.momentum <= rules.residual and residuals.mass <= rules.residual
        if under and all(standing_still(v, rules) for v in history.monitors.values()):
            state, message = "converged", f"converged after {iteration + 1} iterations"
            break
    if state != "diverged":
        flow.close_mass()
        last_good = flow.snapshot()
    report(history, sent)
    message += again
    if state == "not converged":
        message += _what_still_moves(history, rules)
    steady = {name: standing_still(values, rules) for name, values in history.monitors.items()}
    return Outcome(state, message, last_good, history, steady, flow.backflow() if state != "diverged" else 0.0)


def _what_still_moves(history: History, rules: Rules) -> str:
    moving = [n for n, v in history.monitors.items() if not standing_still(v, rules)]
    over = max(history.momentum[-1], history.mass[-1]) > rules.residual
    parts = []
    if over:
        parts.append(f"residuals stand at {max(history.momentum[-1], history.mass[-1]):.1e}")
    if moving:
        parts.append("still moving: " + ", ".join(moving))
    return "; " + "; ".join(parts) if parts else ""


def explain(error: Diverged, mesh: Mesh, iteration: int, again: str = "") -> str:
    """What went wrong, where, and what to try."""
    x, y, z = error.place
    where = f"({x:.4g} m, {y:.4g} m)" if mesh.is_plane else f"({x:.4g} m, {y:.4g} m, {z:.4g} m)"
    return (
        f"diverged in iteration {iteration}{again}: {error.cause}, near {where} beside {nearest_patch(mesh, error.place)}. "
        "Check the values on that patch; try first-order convection, or finer cells there"
    )


def nearest_patch(mesh: Mesh, place: np.ndarray) -> str:
    """The name of the patch whose face lies nearest."""
    best, name = np.inf, "no patch"
    for patch in mesh.patches:
        if patch.name == "plane_sides" or patch.count == 0:
            continue
        distance = np.linalg.norm(mesh.face_centre[patch.faces] - place, axis=1).min()
        if distance < best:
            best, name = float(distance), patch.name
    return name
