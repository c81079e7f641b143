"""How a worker watches its run: events for the pages, live pictures, checkpoints."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.results.picture import PlanePolygons, corner_values
from brook.core.results.pictures import Drawn, Seen, drawn
from brook.core.results.quantities import View, drawn_of
from brook.core.results.space import Locator
from brook.core.solve import Checkpoint, Fields, History, Rules, Watch, forecast
from brook.core.solve.run import Wish
from brook.core.study.views import Plate
from brook.runs.patience import Patience, unless_full
from brook.store.files import RunFiles, moment_file, replace_text

MOST_PLATES = 4  # that are drawn while a run computes
Emit = Callable[[dict[str, Any]], None]
# Pictures and checkpoints may take this share of the computing time.
SHARE = 0.04
PICTURE_SECONDS = 1.0
CHECKPOINT_SECONDS = 4.0


def moments_in(folder: Path) -> list[float]:
    """The times in s of which a folder keeps what is drawn."""
    path = folder / "times.json"
    return list(json.loads(path.read_text())) if path.exists() else []


def live_layer(plate: str, number: int) -> str:
    """The file of a layer of a plate of a run under way."""
    return f"plate-{plate}-{number}.bin"


class Due:
    """Says when something is due again: after so many seconds, later when it takes long."""

    def __init__(self, seconds: float):
        self.least = seconds
        self.next = time.perf_counter() + seconds

    def is_now(self) -> bool:
        return time.perf_counter() >= self.next

    def done(self, begun: float) -> None:
        now = time.perf_counter()
        self.next = now + max(self.least, (now - begun) / SHARE)


class WorkerWatch(Watch):
    """Reports a run to the queue's listener and keeps what it needs to go on."""

    def __init__(
        self, emit: Emit, wish: Callable[[], Wish], files: RunFiles, rules: Rules, shapes: PlanePolygons,
        keys: tuple[str, str], began_at: int, patience: Patience,
    ):  # fmt: skip
        self.patience = patience
        self.emit, self._wish, self.files, self.rules, self.shapes = emit, wish, files, rules, shapes
        self.mesh_key, self.run_key = keys
        self.began_at = began_at
        self._picture, self._checkpoint = Due(0.0), Due(CHECKPOINT_SECONDS)
        self._picture.least = PICTURE_SECONDS
        self._iterations = 0
        self.plates: tuple[Plate, ...] = ()  # in space, that are drawn while it computes
        self._locator: Locator | None = None

    def report(self, history: History, start: int) -> None:
        self._iterations = len(history)
        ahead = forecast(history, self.rules, self.began_at)
        self.emit({"type": "history", "history": history.since(start),
                   "forecast": {"iterations": ahead.iterations, "waits_for": ahead.waits_for}})  # fmt: skip

    def show(self, fields: Fields) -> None:
        if not self._picture.is_now():
            return
        begun = time.perf_counter()
        with unless_full(self.patience.tell):
            self._draw(fields)
        self._picture.done(begun)

    def _draw(self, fields: Fields) -> None:
        ranges = {}
        view = View(fields)
        for quantity in drawn_of(fields):
            values = corner_values(view, quantity, self.shapes)
            ranges[quantity] = [float(values.min()), float(values.max())]
            self.files.write_live(f"{quantity}.f32", np.ascontiguousarray(values, "<f4").tobytes())
        for plate in self.plates[:MOST_PLATES]:
            self._draw_plate(plate, view)
        drawn = [plate.name for plate in self.plates[:MOST_PLATES]]
        about = {"mesh_key": self.mesh_key, "iteration": self._iterations, "ranges": ranges, "plates": drawn}
        self.files.write_live("about.json", json.dumps(about).encode())
        self.emit({"type": "picture", "at": self._iterations})

    def _draw_plate(self, plate: Plate, view: View) -> None:
        if self._locator is None:
            self._locator = Locator(view.fields.mesh)
        seen = Seen(view, self._locator, plate.quantity)
        for k, layer in enumerate(plate.layers):
            try:
                made = drawn(layer, seen)
            except KeyError as error:
                made = Drawn({}, {}, (f"there is no {error} while it computes",))
            except ValueError as error:
                made = Drawn({}, {}, (str(error),))
            if plate.less:
                made = replace(made, words=(*made.words, "the difference is drawn when the run has ended"))
            self.files.write_live(live_layer(plate.name, k), made.packed())

    def save_moment(self, time: float, fields: Fields) -> None:
        """Keeps the fields of a moment and what is drawn of it flat; moments that a run cut short kept of later times go."""
        self.patience.write(lambda: self._write_moment(time, fields))
        self.emit({"type": "kept", "what": "moments"})

    def _write_moment(self, time: float, fields: Fields) -> None:
        folder = self.files.moments
        folder.mkdir(parents=True, exist_ok=True)
        times = [t for t in moments_in(folder) if t < time * (1 - 1e-9)]
        view = View(fields)
        for quantity in drawn_of(fields):
            values = np.ascontiguousarray(corner_values(view, quantity, self.shapes), "<f4")
            values.tofile(folder / f"at-{len(times):04d}-{quantity}.f32")
        fields.save(folder / moment_file(f"{len(times):04d}"), time)
        replace_text(folder / "times.json", json.dumps([*times, time]))

    def keep(self, checkpoint: Callable[[], Checkpoint]) -> None:
        if self._checkpoint.is_now():
            begun = time.perf_counter()
            self.save(checkpoint())
            self._checkpoint.done(begun)

    def save(self, checkpoint: Checkpoint) -> None:
        self.patience.write(lambda: checkpoint.save(self.files.checkpoint, self.mesh_key, self.run_key))
        self.emit({"type": "kept", "what": "checkpoint"})

    def wish(self) -> Wish:
        return self._wish()
