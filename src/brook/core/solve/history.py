"""What a run records, when it counts as done, and when that will be."""

from __future__ import annotations

import csv
import json
import math
from dataclasses import dataclass, field
from io import StringIO
from typing import Any

import numpy as np

from brook.core.solve.residuals import Residuals


@dataclass(frozen=True)
class Rules:
    """Limit of the residuals; the largest relative change of a monitor over a window of iterations. A run may stop before once what is still to come of
    every monitor is within what is `enough`, in SI units."""

    residual: float = 1e-5
    monitor_change: float = 1e-3
    monitor_window: int = 40
    iterations: int = 3000
    enough: dict[str, float] = field(default_factory=dict)


@dataclass
class History:
    """What was recorded at each iteration; residuals and monitors by name, nan where there was none yet.

    `time` is that of each step of a run through time, in s, and empty for others.
    `marks` are (iteration, what happened then): a pause, an interruption, other settings.
    """

    monitor_names: tuple[str, ...]
    residuals: dict[str, list[float]] = field(default_factory=dict)
    monitors: dict[str, list[float]] = field(default_factory=dict)
    seconds: list[float] = field(default_factory=list)
    time: list[float] = field(default_factory=list)
    marks: list[tuple[int, str]] = field(default_factory=list)

    def __post_init__(self) -> None:
        for name in self.monitor_names:
            self.monitors.setdefault(name, [math.nan] * len(self))

    def __len__(self) -> int:
        return len(self.seconds)

    def add(self, residuals: Residuals, seconds: float, values: dict[str, float], time: float | None = None) -> None:
        """Records one iteration, or one step in time."""
        if time is not None:
            self.time.append(time)
        for name in residuals.of:
            self.residuals.setdefault(name, [math.nan] * len(self))
        for name, values_of in self.residuals.items():
            values_of.append(residuals.of.get(name, math.nan))
        self.seconds.append(seconds)
        for name in self.monitor_names:
            self.monitors[name].append(values[name])

    @property
    def worst(self) -> np.ndarray:
        """The largest residual of each iteration."""
        return np.nanmax(list(self.residuals.values()), axis=0) if self.residuals else np.zeros(0)

    def since(self, start: int) -> dict[str, object]:
        """Everything recorded from an iteration on, as plain lists for JSON."""
        return {
            "start": start,
            "residuals": {name: _plain(values[start:]) for name, values in self.residuals.items()},
            "seconds": self.seconds[start:],
            "time": self.time[start:],
            "monitors": {name: _plain(self.monitors[name][start:]) for name in self.monitor_names},
            "marks": [list(mark) for mark in self.marks],
        }

    @classmethod
    def read(cls, text: str, monitor_names: tuple[str, ...] | None = None) -> History:
        """The history that `json.dumps(history.since(0))` wrote, watched from now on by these monitors, or by the same."""
        raw = lifted(json.loads(text))
        kept = {n: _filled(values) for n, values in raw["monitors"].items()}
        monitor_names = tuple(kept) if monitor_names is None else monitor_names
        marks = [(int(at), str(what)) for at, what in raw["marks"]]
        return cls(
            monitor_names, {n: _filled(values) for n, values in raw["residuals"].items()},
            {n: v for n, v in kept.items() if n in monitor_names}, raw["seconds"], raw["time"], marks,
        )  # fmt: skip

    def csv(self) -> str:
        """The history as a table, one line an iteration, monitors in SI units."""
        text = StringIO()
        writer = csv.writer(text, lineterminator="\n")
        first = ["step", "time"] if self.time else ["iteration"]
        residuals = [f"{name}_residual" for name in self.residuals]
        writer.writerow([*first, *residuals, "seconds", *self.monitor_names])
        columns = [*self.residuals.values(), self.seconds]
        for k in range(len(self)):
            begin = [k + 1, repr(self.time[k])] if self.time else [k + 1]
            values = [*(column[k] for column in columns), *(self.monitors[n][k] for n in self.monitor_names)]
            writer.writerow([*begin, *map(repr, values)])
        return text.getvalue()


def lifted(raw: dict[str, Any]) -> dict[str, Any]:
    """A history as `since` gives it, from one that was kept before residuals went by name."""
    if "residuals" in raw:
        return raw
    found = {k: v for k, v in raw.items() if k not in ("momentum", "mass", "heat")}
    named = {name: raw[name] for name in ("momentum", "mass", "heat") if raw.get(name)}
    return {"time": [], **found, "residuals": named or {"momentum": [], "mass": []}}


def _plain(values: list[float]) -> list[float | None]:
    """For JSON, which has no number for one that is not there."""
    return [v if math.isfinite(v) else None for v in values]


def _filled(values: list[float | None]) -> list[float]:
    return [math.nan if v is None else v for v in values]


def standing_still(values: list[float], rules: Rules) -> bool:
    """A monitor's last window varies by no more than the allowed share of its size; one that has no value all along does not vary."""
    if len(values) < rules.monitor_window:
        return False
    window = np.array(values[-rules.monitor_window :])
    known = np.isfinite(window)
    if not known.all():
        return not known.any()
    size = max(abs(float(window.mean())), 1e-3 * float(np.nanmax(np.abs(values))))
    return float(np.ptp(window)) <= rules.monitor_change * size + 1e-300


@dataclass(frozen=True)
class Forecast:
    """How many more iterations a run will likely take, and what it waits for; None when it does not come nearer."""

    iterations: int | None
    waits_for: str


def forecast(history: History, rules: Rules, began_at: int = 0) -> Forecast:
    """The end of a run if residuals go on falling as they did over the last third of it.

    Residuals fall by a constant factor near the end, so their logarithm is drawn out as a straight line.
    """
    left = rules.iterations - (len(history) - began_at)
    worst = history.worst
    if len(worst) < 20:
        return Forecast(None, "the residuals")
    moving = [n for n in history.monitor_names if not standing_still(history.monitors[n], rules)]
    if worst[-1] <= rules.residual:
        return Forecast(min(left, rules.monitor_window), f"monitor {moving[0]}" if moving else "")
    tail = np.log10(np.maximum(worst[-max(20, len(worst) // 3) :], 1e-16))
    slope = float(np.polyfit(np.arange(len(tail)), tail, 1)[0])
    if slope > -1e-5:
        return Forecast(None, "the residuals")
    wanted = math.ceil((math.log10(rules.residual) - float(np.mean(tail[-5:]))) / slope)
    if wanted > left:
        return Forecast(max(left, 0), "the limit of iterations")
    return Forecast(max(wanted, 1), "the residuals")
