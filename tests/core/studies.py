"""Small study documents for tests."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.solve import Checkpoint, History, Watch
from brook.core.solve.run import Wish
from brook.core.study import Study
from brook.core.study.document import study_from


def raw_tray(**changes: Any) -> dict[str, Any]:
    """A short, coarse incubation tray with one hanging baffle; top-level fields can be replaced."""
    raw = {
        "format": "brook-study",
        "version": 1,
        "title": "Short tray",
        "brief": {"question": "Does the baffle help?"},
        "named_values": {"length": "120 mm", "depth": "60 mm", "supply": "4 mm/s"},
        "places": {"egg_layer": {"left": "0 mm", "right": "length", "bottom": "0 mm", "top": "10 mm"}},
        "requirements": [
            {"name": "still", "title": "Still water", "reading": "tray.speed.share_below(0.5 mm/s)", "limit": {"kind": "at_most", "value": "40 %"}, "unit": "%"},
            {"name": "fastest", "title": "Fastest", "reading": "egg_layer.speed.max", "limit": {"kind": "at_most", "value": "6 mm/s"}},
            {"name": "drop", "title": "Drop", "reading": "inlet.pressure.mean - weir.pressure.mean", "limit": {"kind": "smallest"}},
        ],
        "variants": [variant("plain", "Plain", []), variant("hanging", "Hanging", [baffle()])],
        "mesh_plan": {"bulk": "6 mm", "wall": "4 mm", "growth": "1.2"},
        "set_up": {
            "fluid": {"kind": "library", "substance": "water", "temperature": "10 °C"},
            "boundaries": [
                {"kind": "velocity", "patch": "inlet", "speed": "supply"},
                {"kind": "pressure", "patch": "weir", "pressure": "0 Pa"},
            ],
        },
        "run_rules": {"residual": "1e-5", "monitor_window": 20, "iterations": 800},
    }  # fmt: skip
    return {**raw, **changes}


def variant(name: str, title: str, shapes: list[dict]) -> dict[str, Any]:
    outer = {"name": "tray", "left": "0 mm", "bottom": "0 mm", "width": "length", "height": "depth",
             "patches": {"left": "end_wall", "right": "end_wall", "bottom": "floor", "top": "lid"}}  # fmt: skip
    openings = [
        {"patch": "inlet", "side": "left", "start": "depth - 15 mm", "end": "depth"},
        {"patch": "weir", "side": "right", "start": "depth - 15 mm", "end": "depth"},
    ]
    return {"name": name, "title": title, "geometry": {"body": "tray", "depth": "100 mm", "outer": outer, "shapes": shapes, "openings": openings}}  # fmt: skip


def baffle(name: str = "baffle", left: str = "40 mm", height: str = "25 mm") -> dict[str, Any]:
    return {"name": name, "action": "take", "left": left, "bottom": f"depth - {height}", "width": "4 mm",
            "height": height, "patches": dict.fromkeys(("left", "right", "bottom", "top"), "baffle")}  # fmt: skip


def tray(**changes: Any) -> Study:
    return study_from(raw_tray(**changes))


class Wishing(Watch):
    """Wishes something once a run has come to an iteration, and remembers what it was told."""

    seconds = 0.0

    def __init__(self, what: Wish, after: int):
        self.what, self.after, self.reports, self.checkpoints = what, after, [], []

    def report(self, history: History, start: int) -> None:
        self.reports.append((start, len(history)))

    def keep(self, checkpoint: Callable[[], Checkpoint]) -> None:
        self.checkpoints.append(checkpoint())

    def wish(self) -> Wish:
        return self.what if self.reports[-1][1] >= self.after else "go on"
