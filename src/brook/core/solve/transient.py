"""Running a flow through time."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from brook.core.numerics.general import Unsolved
from brook.core.solve.acceleration import Acceleration
from brook.core.solve.averages import Averages
from brook.core.solve.checkpoint import IN_TIME, Checkpoint
from brook.core.solve.flow import Diverged, FlowSolver
from brook.core.solve.history import History
from brook.core.solve.residuals import Residuals
from brook.core.solve.run import UNWATCHED, Monitor, Outcome, State, Watch, Wish, explain
from brook.core.solve.setup import BoundaryConditions
from brook.core.solve.solver import Solver
from brook.core.solve.states import State as Arrays
from brook.core.solve.time_levels import TimeLevel, TimeScheme

GROWTH = 1.1  # of a step over the one before
FEW = 0.1  # of all steps, the last apart, may stay over their residual in a run that counts as converged: those of a start
TRIES = 12  # times that a step may be halved when it runs away
LEAST_OUTER = 2
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
    levels: tuple[TimeLevel, ...] = ()

    def state(self) -> dict[str, Arrays]:
        """What is kept of the levels and of the step."""
        stands = [self.time, self.step, self.before, self.count, self.saved, self.loose]
        found: dict[str, Arrays] = {f"{IN_TIME}clock": {"clock": np.array(stands)}}
        return found | {f"{IN_TIME}level-{k}": level.arrays() for k, level in enumerate(self.levels)}

    @classmethod
    def of(cls, state: dict[str, Arrays], volume: np.ndarray) -> Clock:
        """Where a checkpoint stands; at the beginning when it is of no run through time. `volume` (C,) is that of cells where
        time levels do not keep it."""
        if f"{IN_TIME}clock" not in state:
            return cls()
        now, step, before, count, saved, loose = state[f"{IN_TIME}clock"]["clock"].tolist()
        kept = [state[name] for k in range(2) if (name := f"{IN_TIME}level-{k}") in state]
        levels = tuple(TimeLevel.of({"volume": volume, **arrays}) for arrays in kept)
        return cls(now, step, before, int(count), int(saved), int(loose), levels)


def run_in_time(
    flow: Solver, timing: Timing, monitors: dict[str, Monitor], watch: Watch = UNWATCHED,
    start: Checkpoint | None = None, conditions_at: Callable[[float], BoundaryConditions] | None = None,
) -> Outcome:  # fmt: skip
    """Steps through time until its end; the history has one entry for each step.

    A step that runs away is done anew at half its length. `conditions_at` gives boundary values of a time in s where
    they change. With `start` the run goes on from a checkpoint of the same mesh, bit for bit where nothing else differs.
    """
    return _March(flow, timing, monitors, watch, start, conditions_at).to_the_end()


class _March:
    """A run through time: the solver, its clock, and what is recorded on the way."""

    def __init__(
        self, flow: Solver, timing: Timing, monitors: dict[str, Monitor], watch: Watch, start: Checkpoint | None,
        conditions_at: Callable[[float], BoundaryConditions] | None,
    ):  # fmt: skip
        self.timing, self.monitors, self.watch, self.conditions_at = timing, monitors, watch, conditions_at
        names = tuple(monitors)
        self.clock, self.averages, self.history = Clock(), Averages(), History(names)
        if start is not None:
            self.clock = Clock.of(start.time, flow.stencil.mesh.volume)
            self.history = start.history_of(names) if self.clock.levels else History(names)
            flow = start.onto(flow, self.history)
            self.averages = Averages.of(start.time.get(f"{IN_TIME}averages", {}))
            if self.clock.time >= timing.duration - 1e-9 * timing.duration:
                self.clock.saved, self.clock.time, self.clock.count = 0, 0.0, 0
                self.history, self.averages = History(names), Averages()
        self.flow = flow
        flow.settings = flow.settings.in_time(timing.corrections)
        if not self.clock.levels:
            self.clock.levels = (flow.time_level(),)
        self.mixing = Mixing(flow)
        self.before = self.history.seconds[-1] if len(self.history) else 0.0
        self.begun = self.reported = time.perf_counter()
        self.sent, self.began = 0, len(self.history)
        self.short, self.last = 0, False  # steps shorter than asked for; whether the last stayed over its residual
        self.fields = self.averages.onto(flow.snapshot())
        self.wanted = self.clock.step or _first_step(flow, timing)

    def to_the_end(self) -> Outcome:
        """All steps, and what they came to."""
        state: State = "converged"
        message = ""
        self.watch.report(self.history, 0)
        while self.clock.time < self.timing.duration * (1 - 1e-9) and not message:
            try:
                self._step()
            except Diverged as error:
                state, at = "diverged", f", at {self.clock.time:.4g} s"
                message = explain(error, self.flow.stencil.mesh, self.clock.count + 1, at)
                break
            except Unsolved as error:
                state = "diverged"
                message = f"ended in step {self.clock.count + 1}, at {self.clock.time:.4g} s: {error}"
                break
            wish = self._tell()
            if wish != "go on":
                state = "stopped" if wish == "stop" else "paused"
                message = f"{'stopped by hand' if wish == 'stop' else 'paused'} at {self.clock.time:.4g} s"
        final = self._checkpoint()
        if state == "converged":
            state, message = self._judged()
        message += "".join(f"; {note}" for note in self.flow.notes())
        self.watch.report(self.history, self.sent)
        backflow = self.flow.backflow() if state != "diverged" else 0.0
        return Outcome(state, message, self.fields, self.history, {}, backflow, final)

    def _step(self) -> None:
        """One step and what is recorded of it. Raises `Diverged`, `Unsolved`."""
        clock, timing, flow = self.clock, self.timing, self.flow
        if timing.steps == "courant":
            now = flow.courant(1.0)
            longest = timing.courant / now if now > 0 else np.inf
            self.wanted = min(GROWTH * self.wanted, longest, timing.step)
        else:
            self.wanted = timing.step
        step, residuals = _stepped(
            flow, clock, timing, _fitted(clock, timing, self.wanted), self.conditions_at, self.history, self.mixing
        )
        self.short += timing.steps == "fixed" and step < timing.step * (1 - 1e-6)
        if step < 0.51 * self.wanted:
            self.wanted = step
        clock.time, clock.before, clock.step, clock.count = clock.time + step, step, self.wanted, clock.count + 1
        clock.levels = (flow.time_level(), *clock.levels[: timing.order - 1])
        self.last = residuals.worst > timing.residual
        clock.loose += self.last
        fields = flow.snapshot()
        if timing.average_from is not None and clock.time > timing.average_from * (1 + 1e-9):
            self.averages.add(fields, step)
        self.fields = fields = self.averages.onto(fields)
        values = {name: monitor(fields) for name, monitor in self.monitors.items()}
        self.history.add(residuals, self.before + time.perf_counter() - self.begun, values, clock.time)
        if timing.save_every > 0 and clock.time >= (clock.saved + 1) * timing.save_every * (1 - 1e-9):
            clock.saved += 1
            self.watch.save_moment(clock.time, fields)

    def _tell(self) -> Wish:
        """Tells whoever watches how far it is, no oftener than that is wanted, and asks what to do."""
        if time.perf_counter() - self.reported <= self.watch.seconds:
            return "go on"
        self.watch.report(self.history, self.sent)
        self.sent, self.reported = len(self.history), time.perf_counter()
        self.watch.show(self.fields)
        self.watch.keep(self._checkpoint)
        return self.watch.wish()

    def _judged(self) -> tuple[State, str]:
        """How a run that came to its end has gone."""
        clock, timing = self.clock, self.timing
        state: State = "converged"
        message = f"reached {clock.time:.4g} s in {clock.count} steps"
        if clock.loose:
            message += f"; in {clock.loose} of them residuals stayed over {timing.residual:g}"
        if clock.loose > FEW * clock.count or self.last:
            state = "not converged"
            message += ": allow more repeats, or take shorter steps"
        if self.short:
            message += (
                f"; {self.short} steps were shorter than {timing.step:.4g} s, so that kept moments and the end are met"
            )
        return state, message

    def _checkpoint(self) -> Checkpoint:
        made = Checkpoint.of(self.flow, self.history, self.began)
        return replace(made, time=self.clock.state() | {f"{IN_TIME}averages": self.averages.arrays()})


def _first_step(flow: Solver, timing: Timing) -> float:
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

    def __init__(self, flow: Solver):
        self._flow = flow
        self._acceleration: Acceleration | None = None

    def forget(self) -> None:
        """Begins anew, as for another step."""
        if self._acceleration is not None:
            self._acceleration.forget()

    def begin(self, iteration: int) -> None:
        """Comes before an iteration."""
        if iteration < UNMIXED or not isinstance(self._flow, FlowSolver):
            return
        if self._acceleration is None:
            self._acceleration = Acceleration(self._flow, near=True, first=0)
        self._acceleration.begin()

    def end(self, iteration: int, residual: float) -> None:
        """Comes after it, with its residual."""
        if iteration >= UNMIXED and self._acceleration is not None:
            self._acceleration.end(residual)


def _stepped(
    flow: Solver, clock: Clock, timing: Timing, step: float,
    conditions_at: Callable[[float], BoundaryConditions] | None, history: History, mixing: Mixing,
) -> tuple[float, Residuals]:  # fmt: skip
    """Does one step, shorter where it runs away. Gives its length in s and the last residuals. Raises `Diverged`."""
    for tries in range(TRIES + 1):
        kept = flow.state()
        before = clock.before if timing.order == 2 and clock.count > 0 else None
        flow.time_scheme = TimeScheme.of(clock.levels[: timing.order], step, before or None)
        try:
            if before and tries == 0:
                flow.extrapolate(clock.levels[0], clock.levels[1], step / before)
            if conditions_at is not None:
                flow.change(conditions_at(clock.time + step))
            flow.acts.over(clock.time, step, timing.order)
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
