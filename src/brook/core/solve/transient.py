"""Running a flow through time."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from brook.core.numerics.general import Unsolved
from brook.core.solve.acceleration import Acceleration
from brook.core.solve.averages import Averages
from brook.core.solve.checkpoint import Checkpoint
from brook.core.solve.flow import Diverged, SteadyFlow
from brook.core.solve.history import History
from brook.core.solve.past import Moment, Past
from brook.core.solve.residuals import Residuals
from brook.core.solve.run import UNWATCHED, Flow, Monitor, Outcome, State, Watch, explain
from brook.core.solve.setup import BoundaryConditions

GROWTH = 1.1  # of a step over the one before
FEW = 0.1  # of all steps, the last apart, may stay over their residual in a run that counts as converged: those of a start
TRIES = 12  # times that a step may be halved when it runs away
LEAST_OUTER = 2
MOMENT = ("velocity", "pressure", "flux", "off")
SWEEPS = 2
COUPLING = (
    0.85  # of what cells give each other, inertia apart: where friction rules, steps of SIMPLEC's own hardly close
)
UNMIXED = 2  # iterations of a step before its states are mixed: most steps need no more


@dataclass(frozen=True)
class Timing:
    """Times in s. Steps are of one length `step`, or so long that the Courant number is `courant` but no longer than
    `step` where that is given. Each is done in at most `outer` iterations, until residuals are under `residual`."""

    duration: float
    steps: Literal["courant", "fixed"] = "courant"
    step: float = 0.01
    courant: float = 1.0
    order: Literal[1, 2] = 2
    outer: int = 10
    residual: float = 1e-4
    save_every: float = 0.0
    average_from: float | None = None
    corrections: int = 1


@dataclass(eq=False)
class Clock:
    """Where a run through time stands: the time, the last two steps in s, how many there were, and what was before."""

    time: float = 0.0
    step: float = 0.0
    before: float = 0.0
    count: int = 0
    saved: int = 0
    loose: int = 0
    moments: tuple[Moment, ...] = ()

    def arrays(self) -> dict[str, np.ndarray]:
        found = {"clock": np.array([self.time, self.step, self.before, self.count, self.saved, self.loose])}
        for k, moment in enumerate(self.moments):
            found |= {f"moment-{k}-{name}": getattr(moment, name) for name in MOMENT}
            found |= {f"moment-{k}-of-{name}": values for name, values in moment.fields.items()}
        return found

    @classmethod
    def of(cls, arrays: dict[str, np.ndarray]) -> Clock:
        """Where arrays of a checkpoint stand; at the beginning when they are of no run through time."""
        if "clock" not in arrays:
            return cls()
        now, step, before, count, saved, loose = arrays["clock"].tolist()
        moments = []
        for k in range(2):
            if f"moment-{k}-velocity" in arrays:
                start = f"moment-{k}-of-"
                fields = {n.removeprefix(start): a for n, a in arrays.items() if n.startswith(start)}
                velocity, pressure, flux, off = (arrays[f"moment-{k}-{name}"] for name in MOMENT)
                moments.append(Moment(velocity, pressure, flux, off, fields))
        return cls(now, step, before, int(count), int(saved), int(loose), tuple(moments))


def run_in_time(
    flow: Flow, timing: Timing, monitors: dict[str, Monitor], watch: Watch = UNWATCHED,
    start: Checkpoint | None = None, conditions_at: Callable[[float], BoundaryConditions] | None = None,
) -> Outcome:  # fmt: skip
    """Steps through time until its end; the history has one entry for each step.

    A step that runs away is done anew at half its length. `conditions_at` gives boundary values of a time in s where
    they change. With `start` the run goes on from a checkpoint of the same mesh, bit for bit where nothing else differs.
    """
    names = tuple(monitors)
    clock, averages, history = Clock(), Averages(), History(names)
    if start is not None:
        flow, history = start.onto(flow), start.history_of(names)
        clock, averages = Clock.of(start.arrays), Averages.of(start.arrays)
        if "clock" not in start.arrays:
            history = History(names)
        if clock.time >= timing.duration - 1e-9 * timing.duration:
            clock.saved, clock.time, clock.count = 0, 0.0, 0
            history, averages = History(names), Averages()
    flow.corrections, flow.relaxation, flow.coupling, flow.sweeps = timing.corrections, 1.0, COUPLING, SWEEPS
    if not clock.moments:
        clock.moments = (flow.moment(),)
    mixing = Mixing(flow)
    before = history.seconds[-1] if len(history) else 0.0
    begun = reported = time.perf_counter()
    sent, began, short, last = 0, len(history), 0, False
    last_good = averages.onto(flow.snapshot())
    state: State = "converged"
    message = ""
    wanted = clock.step or _first_step(flow, timing)
    watch.report(history, 0)
    while clock.time < timing.duration * (1 - 1e-9):
        if timing.steps == "courant":
            now = flow.courant(1.0)
            longest = timing.courant / now if now > 0 else np.inf
            wanted = min(GROWTH * wanted, longest, timing.step)
        else:
            wanted = timing.step
        try:
            step, residuals = _stepped(
                flow, clock, timing, _fitted(clock, timing, wanted), conditions_at, history, mixing
            )
        except Diverged as error:
            state, message = "diverged", explain(error, flow.stencil.mesh, clock.count + 1, f", at {clock.time:.4g} s")
            break
        except Unsolved as error:
            state, message = "diverged", f"ended in step {clock.count + 1}, at {clock.time:.4g} s: {error}"
            break
        short += timing.steps == "fixed" and step < timing.step * (1 - 1e-6)
        if step < 0.51 * wanted:
            wanted = step
        clock.time, clock.before, clock.step, clock.count = clock.time + step, step, wanted, clock.count + 1
        clock.moments = (flow.moment(), *clock.moments[: timing.order - 1])
        last = residuals.worst > timing.residual
        clock.loose += last
        fields = flow.snapshot()
        if timing.average_from is not None and clock.time > timing.average_from * (1 + 1e-9):
            averages.add(fields, step)
        fields = averages.onto(fields)
        values = {name: monitor(fields) for name, monitor in monitors.items()}
        history.add(residuals, before + time.perf_counter() - begun, values, clock.time)
        last_good = fields
        if timing.save_every > 0 and clock.time >= (clock.saved + 1) * timing.save_every * (1 - 1e-9):
            clock.saved += 1
            watch.save_moment(clock.time, fields)
        if time.perf_counter() - reported > watch.seconds:
            watch.report(history, sent)
            sent, reported = len(history), time.perf_counter()
            watch.look(fields)
            watch.keep(partial(_checkpoint, flow, history, began, clock, averages))
            wish = watch.wish()
            if wish != "go on":
                state = "stopped" if wish == "stop" else "paused"
                message = f"{'stopped by hand' if wish == 'stop' else 'paused'} at {clock.time:.4g} s"
                break
    final = _checkpoint(flow, history, began, clock, averages)
    if state == "converged":
        message = f"reached {clock.time:.4g} s in {clock.count} steps"
        if clock.loose:
            message += f"; in {clock.loose} of them residuals stayed over {timing.residual:g}"
        if clock.loose > FEW * clock.count or last:
            state = "not converged"
            message += ": allow more repeats, or take shorter steps"
        if short:
            message += (
                f"; {short} steps were shorter than {timing.step:.4g} s, so that kept moments and the end are met"
            )
    message += "".join(f"; {note}" for note in flow.notes())
    watch.report(history, sent)
    backflow = flow.backflow() if state != "diverged" else 0.0
    return Outcome(state, message, last_good, history, {}, backflow, final)


def _checkpoint(flow: Flow, history: History, began: int, clock: Clock, averages: Averages) -> Checkpoint:
    made = Checkpoint.of(flow, history, began)
    made.arrays.update(clock.arrays() | averages.arrays())
    return made


def _first_step(flow: Flow, timing: Timing) -> float:
    """A tenth of what the Courant number would allow: the start state is rarely one the flow could have come to."""
    if timing.steps == "fixed":
        return timing.step
    now = flow.courant(1.0)
    return min(timing.step, 0.1 * timing.courant / now if now > 0 else np.inf)


def _fitted(clock: Clock, timing: Timing, wanted: float) -> float:
    """A step shortened so that saved times and the end are met."""
    goals = [timing.duration]
    if timing.save_every > 0:
        goals.append((clock.saved + 1) * timing.save_every)
    left = min(goals) - clock.time
    if left <= wanted * (1 + 1e-9):
        return left
    return left / 2 if left < 2 * wanted and timing.steps == "courant" else wanted


class Mixing:
    """Mixes the states of a step that does not close in its first iterations."""

    def __init__(self, flow: Flow):
        self._flow = flow
        self._acceleration: Acceleration | None = None

    def forget(self) -> None:
        if self._acceleration is not None:
            self._acceleration.forget()

    def begin(self, iteration: int) -> None:
        if iteration < UNMIXED or not isinstance(self._flow, SteadyFlow):
            return
        if self._acceleration is None:
            self._acceleration = Acceleration(self._flow, near=True, first=0)
        self._acceleration.begin()

    def end(self, iteration: int, residual: float) -> None:
        if iteration >= UNMIXED and self._acceleration is not None:
            self._acceleration.end(residual)


def _stepped(
    flow: Flow, clock: Clock, timing: Timing, step: float,
    conditions_at: Callable[[float], BoundaryConditions] | None, history: History, mixing: Mixing,
) -> tuple[float, Residuals]:  # fmt: skip
    """Does one step, shorter where it runs away. Gives its length in s and the last residuals. Raises `Diverged`."""
    for tries in range(TRIES + 1):
        kept = flow.state()
        before = clock.before if timing.order == 2 and clock.count > 0 else None
        flow.past = Past.of(clock.moments[: timing.order], step, before or None)
        try:
            if before and tries == 0:
                flow.draw_out(clock.moments[0], clock.moments[1], step / before)
            if conditions_at is not None:
                flow.change(conditions_at(clock.time + step))
            mixing.forget()
            for k in range(timing.outer):
                mixing.begin(k)
                residuals = flow.iterate()
                if k + 1 >= LEAST_OUTER and residuals.worst <= timing.residual:
                    break
                if k + 1 < timing.outer:
                    mixing.end(k, residuals.worst)
            return step, residuals
        except (Diverged, Unsolved):
            if tries == TRIES:
                raise
            flow.restore(kept)
            step /= 2
            history.marks.append((len(history), f"a step ran away and was halved to {step:.3g} s"))
    raise AssertionError("unreachable")
