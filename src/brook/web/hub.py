"""What happens to runs: written to the store by one thread, passed on to the pages that listen."""

from __future__ import annotations

import asyncio
import contextlib
import queue
import threading
from collections import deque
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from typing import Any

from brook.store import Store
from brook.store.room import trouble_of
from brook.store.tables import now

Event = dict[str, Any]
WRITTEN = ("started", "spent", "result", "ended")  # to the store; the others are only passed on
AGAIN = 1.0  # seconds until what could not be written is tried again


@dataclass
class LiveRun:
    """What is known of a run under way."""

    study_id: int
    variant: str
    stage: str = "waiting"
    words: str = ""
    compiling: str = ""
    trouble: str = ""
    why: str = ""  # it waits
    cores: int = 0
    lost: str = ""
    residuals: dict[str, list[float | None]] = field(default_factory=dict)
    seconds: list[float] = field(default_factory=list)
    time: list[float] = field(default_factory=list)
    monitors: dict[str, list[float | None]] = field(default_factory=dict)
    marks: list[list[Any]] = field(default_factory=list)
    forecast: dict[str, Any] = field(default_factory=dict)

    @property
    def iteration(self) -> int:
        return len(self.seconds)

    def worst(self) -> list[float]:
        """The largest residual of each iteration."""
        rows = zip(*self.residuals.values(), strict=False)
        return [max((v for v in row if v is not None), default=1.0) for row in rows]

    def add(self, history: dict[str, Any]) -> None:
        """Appends new iterations; a worker that began anew starts again at its first."""
        start = history["start"]
        for values, fresh in ((self.seconds, history["seconds"]), (self.time, history.get("time", []))):
            del values[start:]
            values.extend(fresh)
        for kept, of in ((self.residuals, history["residuals"]), (self.monitors, history["monitors"])):
            for name, fresh in of.items():
                found = kept.setdefault(name, [None] * start)
                del found[start:]
                found.extend(fresh)
        self.marks = history.get("marks", [])

    def history(self) -> dict[str, Any]:
        return {"start": 0, "residuals": self.residuals, "seconds": self.seconds, "time": self.time,
                "monitors": self.monitors, "marks": self.marks, "forecast": self.forecast}  # fmt: skip


class Hub:
    """Owns the writing of run events. `receive` may be called from any thread."""

    def __init__(self, store: Store):
        self.store = store
        self.live: dict[int, LiveRun] = {}
        self._events: queue.SimpleQueue[Event | None] = queue.SimpleQueue()
        self._listeners: dict[asyncio.Queue[Event], int] = {}
        self._present: dict[asyncio.Queue[Event], dict[str, str]] = {}  # who listens, where that is known
        self._loop: asyncio.AbstractEventLoop | None = None
        self._thread = threading.Thread(target=self._work, name="brook-hub", daemon=True)
        self._late: deque[Event] = deque()  # that could not be written yet, in their order
        self.trouble = ""  # why, in words
        self.after_end: Callable[[int], None] = lambda _: None  # is told the study of each run that ended
        self.after_any: Callable[[], None] = lambda: None  # is told that one ended, whoever looks after its study

    def start(self, loop: asyncio.AbstractEventLoop) -> None:
        self._loop = loop
        self._thread.start()

    def close(self) -> None:
        self._events.put(None)
        self._thread.join(timeout=5)

    def receive(self, event: Event) -> None:
        self._events.put(event)

    @asynccontextmanager
    async def listening(self, study_id: int) -> AsyncIterator[asyncio.Queue[Event]]:
        """A queue of the events of one study while the block runs."""
        events: asyncio.Queue[Event] = asyncio.Queue(maxsize=1000)
        self._listeners[events] = study_id
        try:
            yield events
        finally:
            del self._listeners[events]
            if self._present.pop(events, None) is not None:
                self._tell_present(study_id)

    def come(self, events: asyncio.Queue[Event], name: str, page: str, window: str) -> None:
        """Says who listens, on which page and in which window; others that look at the study see it."""
        self._present[events] = {"name": name, "page": page, "window": window}
        self._tell_present(self._listeners[events])

    def _tell_present(self, study_id: int) -> None:
        there = [self._present[e] for e, study in self._listeners.items() if study == study_id and e in self._present]
        self.announce(study_id, {"type": "present", "who": there})

    def announce(self, study_id: int, event: Event) -> None:
        """Tells the pages of a study something; drops it for a page that does not keep up."""
        if self._loop is None or self._loop.is_closed():
            return

        def pass_on() -> None:
            for events, wanted in list(self._listeners.items()):
                if wanted == study_id and not events.full():
                    events.put_nowait(event)

        self._loop.call_soon_threadsafe(pass_on)

    def _work(self) -> None:
        while True:
            try:
                event = self._events.get(timeout=AGAIN if self._late else None)
            except queue.Empty:
                self._write_late()
                continue
            if event is None:
                self._write_late()
                return
            if self._late and event["type"] in WRITTEN:
                self._late.append(event)
                self._write_late()
                continue
            self._write(event)

    def _write(self, event: Event) -> bool:
        """Keeps an event and passes it on; one that there is no room for waits, and False comes back."""
        try:
            self._handle(event)
        except Exception as error:  # one bad event must not end the writing of all others
            trouble = trouble_of(error)
            if trouble:
                self._late.append(event)
                self._in_trouble(f"{trouble}; what runs have done is written when it can be")
                return False
            self._lost(event, error)
        return True

    def _write_late(self) -> None:
        """Tries again what could not be written, in its order."""
        waiting, self._late = self._late, deque()
        while waiting:
            if not self._write(waiting.popleft()):
                self._late.extend(waiting)
                return
        self._in_trouble("")

    def _in_trouble(self, words: str) -> None:
        if words != self.trouble:
            self.trouble = words
            print(words or "there is room again; all that runs have done is written", flush=True)

    def _lost(self, event: Event, error: Exception) -> None:
        """What could not be kept is told in its run; a run whose end was lost has failed."""
        words = f"'{event.get('type')}' of this run could not be kept, an error in Brook itself: {error!r}"
        print(f"run {event.get('run')}: {words}", flush=True)
        live = self.live.get(event.get("run", -1))
        if live is not None:
            live.lost = words
        if event.get("type") == "ended":
            with contextlib.suppress(Exception):
                self.store.change_run(event["run"], state="failed", message=words, ended=now())
                self.live.pop(event["run"], None)

    def _handle(self, event: Event) -> None:
        run_id, kind = event["run"], event["type"]
        live = self.live.get(run_id)
        if kind in WRITTEN and self.store.run(run_id) is None:  # its study was removed, and so is what it still made
            if kind == "result" and self.store.result(event["key"]) is None and event["stage"] in ("mesh", "run"):
                self.store.files.remove(event["stage"], event["key"])
            if kind == "ended":
                self.live.pop(run_id, None)
            return
        if kind == "spent":  # it may come after the end of its run
            self.store.change_run(run_id, cpu=event["cpu"], memory=event["memory"], machine=event["machine"])
            return
        if live is None:
            row = self.store.run(run_id)
            if row is None or row.state not in ("queued", "running"):
                return
            live = self.live[run_id] = LiveRun(row.study_id, row.variant)
        if kind == "started":
            row = self.store.run(run_id)
            if row is not None and row.state == "running":  # it began before: its worker was lost
                self.store.change_run(run_id, interruptions=row.interruptions + 1)
            else:
                self.store.change_run(run_id, state="running", started=now(), machine=event.get("machine", ""))
        elif kind == "trouble":
            live.trouble = event["words"]
        elif kind == "compiling":
            live.compiling = event["words"]
        elif kind == "stage":
            live.compiling = ""
            live.stage, live.words = event["stage"], event.get("words", "")
        elif kind == "history":
            live.compiling = ""
            live.add(event["history"])
            live.forecast = event.get("forecast", {})
        elif kind == "result":
            self.store.keep_result(live.study_id, live.variant, event["stage"], event["key"], event["summary"])
        elif kind == "ended":
            iterations = event.get("iterations") or live.iteration
            message = "; ".join(words for words in (event["message"], live.lost) if words)
            self.store.change_run(run_id, state=event["state"], message=message, iterations=iterations, ended=now())
            self.live.pop(run_id, None)
            self.after_any()
            self.after_end(live.study_id)
        passed = {k: v for k, v in event.items() if k != "summary"}
        self.announce(
            live.study_id,
            {
                **passed,
                "variant": live.variant,
                "iteration": live.iteration,
                "time": live.time[-1] if live.time else None,
            },
        )
