"""The geometry worker: shapes in space are made here, one after the other, while pages go on to be served."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

from brook.runs import shaping
from brook.runs.gate import Gate
from brook.runs.shaping import FileGone, Order
from brook.runs.side_process import SideProcess, SideProcessError
from brook.store.files import ResultFiles
from brook.store.room import trouble_of

SECONDS = 600.0
MOST_SAID = 60


def _warm() -> bool:
    return bool(shaping.MOST_TRIANGLES)


@dataclass(frozen=True)
class Making:
    """How a shape stands: `done` with what is said of it, `working` with what is done just now, or `failed`.

    As long as it is not done, `said` is what was said of this variant's shape before, and `order` that shape.
    """

    state: str
    said: dict[str, Any] | None = None
    words: str = ""
    order: Order | None = None


class GeometryWorker:
    """Makes shapes in a process beside the server. Safe to use from any thread."""

    def __init__(self, files: ResultFiles, announce: Callable[[int], None]):
        self.files, self.announce = files, announce
        self.process = SideProcess(SECONDS, _warm)
        self.gate = Gate()  # looks at files that come in, however busy the geometry worker is
        self._lock = threading.Lock()
        self._thread = ThreadPoolExecutor(1, "brook-geometry")
        self._under_way: set[str] = set()
        self._now = ""
        self._failed: dict[str, str] = {}
        self._said: dict[str, dict[str, Any]] = {}
        self._before: dict[tuple[int, str], Order] = {}

    def start(self) -> None:
        """Begins to load what making and looking need; does not wait for it."""
        self.process.start()
        self.gate.start()

    def known(self, order: Order) -> dict[str, Any] | None:
        """What is said of a shape that was made before, None otherwise."""
        if order.bodies_key in self._said:
            return self._said[order.bodies_key]
        if not (self.files.has("shape", order.key) and self.files.has("bodies", order.bodies_key)):
            return None
        said: dict[str, Any] = {}
        for stage, key in (("shape", order.key), ("bodies", order.bodies_key)):
            said |= json.loads((self.files.folder(stage, key) / "summary.json").read_text())
        return self._remember(order, said)

    def making_of(self, order: Order, study_id: int) -> Making:
        """How a shape stands; begins to make it when nobody did. The study's pages are told when it is done."""
        said = self.known(order)
        place = (study_id, order.variant)
        if said is not None:
            self._before[place] = order
            return Making("done", said, "", order)
        before = self._before.get(place)
        shown = self.known(before) if before is not None else None
        with self._lock:
            if order.bodies_key in self._failed:
                return Making("failed", shown, self._failed[order.bodies_key], before)
            if order.bodies_key not in self._under_way:
                self._under_way.add(order.bodies_key)
                self._thread.submit(self._make, order, study_id)
        return Making("working", shown, self.progress(order.bodies_key), before)

    def progress(self, bodies_key: str) -> str:
        try:
            return self.files.folder("shape", f".progress-{bodies_key}").read_text()
        except OSError:
            return "waiting for its turn"

    def again(self, order: Order | None = None) -> None:
        """Forgets that a shape failed or was stopped; that any did, as when a file came in."""
        with self._lock:
            if order is None:
                self._failed.clear()
            else:
                self._failed.pop(order.bodies_key, None)

    def stop(self, order: Order) -> None:
        """Ends the making of a shape, or takes it out of those that wait; others go on."""
        with self._lock:
            if order.bodies_key in self._under_way:
                self._failed[order.bodies_key] = "stopped"
            now = self._now == order.bodies_key
        if now:
            self.process.stop()

    def _make(self, order: Order, study_id: int) -> None:
        try:
            with self._lock:
                self._now = order.bodies_key
                stopped = order.bodies_key in self._failed
            if not stopped:
                self._remember(order, self.process.ask(shaping.make, order))
        except Exception as error:  # whatever it is, its page has to say so
            told = isinstance(error, SideProcessError | ValueError | FileGone)
            words = trouble_of(error) or (str(error) if told else f"an error in Brook itself: {error!r}")
            with self._lock:
                self._failed.setdefault(order.bodies_key, words)
        finally:
            with self._lock:
                self._now = ""
                self._under_way.discard(order.bodies_key)
            self.announce(study_id)

    def _remember(self, order: Order, said: dict[str, Any]) -> dict[str, Any]:
        with self._lock:
            self._said[order.bodies_key] = said
            while len(self._said) > MOST_SAID:
                self._said.pop(next(iter(self._said)))
        shaping.remember(order, said)
        return said

    def close(self) -> None:
        self._thread.shutdown(wait=False, cancel_futures=True)
        self.process.close()
        self.gate.close()
