"""The run desk: runs of all studies in one order, handed to the queue when their turn, their time and the machine allow it."""

from __future__ import annotations

import re
import threading
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING, Any

from brook.runs.memory import Memory
from brook.runs.sharing import Waiting, asks, begin_next, shares
from brook.store.tables import RunRow, now

if TYPE_CHECKING:
    from brook.web.studio import Studio

EVERY = 1.0  # seconds until it is looked at again whether something may begin
OUT = "taken out of the queue before it began"
CLOCK = re.compile(r"(?:(?P<day>\d{4}-\d{1,2}-\d{1,2}|today|tomorrow)[ T]+)?(?P<hour>\d{1,2}):(?P<minute>\d{2})")
LATEST = timedelta(days=366)


class TimeRefused(ValueError):
    """What was typed is no time at which a run could begin."""


class Desk:
    """Who is next; one thread looks now and then, and everybody who changes something does at once."""

    def __init__(self, studio: Studio):
        self.studio = studio
        self.given: set[int] = set()  # runs that the queue has
        self._out: set[int] = set()  # that were taken out while they waited, which is not written yet
        self._shared: dict[str, int] = {}  # cores by job, as the queue knows them
        self._memory = Memory(studio.store.files.root)
        self._lock = threading.Lock()
        self._closed = threading.Event()
        self._thread = threading.Thread(target=self._work, name="brook-desk", daemon=True)

    def start(self) -> None:
        """Begins to look by itself."""
        self._thread.start()

    def close(self) -> None:
        self._closed.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5)

    def look(self) -> None:
        """Hands over what may begin now, says of the others why they wait, and shares the cores out anew. What goes wrong on the way, a full disk or a queue that
        does not answer, is told and tried again within a second: it must not hurt what was going on when it was looked at."""
        try:
            self._look()
        except Exception as error:
            print(f"the run desk: {error!r}", flush=True)

    def _look(self) -> None:
        queue = self.studio.queue
        if not queue.ready:
            return
        with self._lock:
            rows = self.studio.store.unfinished()
            self.given, self._out = ({run.id for run in rows} & known for known in (self.given, self._out))
            running = [run for run in rows if run.id in self.given]
            waiting = [run for run in rows if run.id not in self.given | self._out and run.state == "queued"]
            free = self._memory.left() if waiting and queue.is_here else 2**62
            needs, why = {}, {}
            if not queue.is_here:
                machines = queue.machines()
                found = {run.id: asks(run.cells, machines) for run in waiting}
                why = {number: words for number, (_, words) in found.items() if words}
                needs = {number: what for number, (what, _) in found.items()}
            asked = [Waiting(r.id, r.cells if queue.is_here else 0, r.not_before) for r in waiting if r.id not in why]
            busy = [r.cells if queue.is_here else 0 for r in running]
            begun, others = begin_next(asked, busy, queue.cores, free, now())
            why |= others
            for run in waiting:
                live = self.studio.hub.live.get(run.id)
                if live is not None:
                    live.why = why.get(run.id, "")
            by_id = {run.id: run for run in waiting}
            for number in begun:
                self.studio.submit(by_id[number], needs.get(number))
                self.given.add(number)
            if (begun or running) and queue.is_here:
                self._share([*running, *(by_id[n] for n in begun)])

    def _share(self, runs: list[RunRow]) -> None:
        cores = shares([run.id for run in runs], self.studio.queue.cores)
        wanted = {run.job: cores[run.id] for run in runs}
        if wanted != self._shared:
            self.studio.queue.share(wanted)
            self._shared = wanted
        for number, count in cores.items():
            live = self.studio.hub.live.get(number)
            if live is not None:
                live.cores = count

    def withdraw(self, run: RunRow) -> None:
        """Takes a run that waits out of the queue."""
        with self._lock:
            given = run.id in self.given
            if not given:
                self._out.add(run.id)
                self.studio.hub.receive(
                    {"run": run.id, "type": "ended", "state": "stopped", "message": OUT, "iterations": 0}
                )
        if given:
            self.studio.queue.withdraw(run.job)
        self.studio.queue.stop(run.job)

    def move(self, run_id: int, way: Any) -> None:
        """Puts a run that waits first, earlier, later or last."""
        self.studio.store.move_run(run_id, way)
        self.look()

    def hold(self, run_id: int, until: datetime | None) -> bool:
        """Lets a run that waits begin no sooner than then (UTC); at once where there is no time. Whether it still waited."""
        with self._lock:
            run = self.studio.store.run(run_id)
            waits = run is not None and run.state == "queued" and run_id not in self.given
            if waits:
                self.studio.store.change_run(run_id, not_before=until)
        self.look()
        return waits

    def load(self) -> dict[str, int]:
        """Workers, and runs that wait or are under way."""
        return {**self.studio.queue.load(), "runs": len(self.studio.store.unfinished())}

    def _work(self) -> None:
        while not self._closed.wait(EVERY):
            self.look()


def time_of(text: str, at: datetime | None = None) -> datetime | None:
    """A time of this machine's clock as one types it, in UTC: `22:30` (the next one), `tomorrow 6:00` or `2026-12-24 18:00`; None for nothing. Raises `TimeRefused`."""
    text = text.strip().lower()
    if not text:
        return None
    found = CLOCK.fullmatch(text)
    here = (at or datetime.now()).astimezone()
    try:
        if found is None:
            raise ValueError
        day = here.date()
        if found["day"] == "tomorrow":
            day += timedelta(days=1)
        elif found["day"] not in (None, "today"):
            day = datetime.strptime(found["day"], "%Y-%m-%d").date()
        wanted = datetime(day.year, day.month, day.day, int(found["hour"]), int(found["minute"])).astimezone()
    except (ValueError, OverflowError):
        raise TimeRefused(f"'{text}' is no time; type 22:30, tomorrow 6:00 or 2026-12-24 18:00") from None
    if found["day"] is None and wanted <= here:
        wanted += timedelta(days=1)
    if wanted <= here:
        raise TimeRefused(f"{text} is over; it is {here:%Y-%m-%d %H:%M} on this machine")
    if wanted - here > LATEST:
        raise TimeRefused(f"{text} is more than a year away")
    return wanted.astimezone(UTC).replace(tzinfo=None)


def told_clock(at: datetime, beside: datetime | None = None) -> str:
    """A time in UTC by this machine's clock, as `time_of` takes it, with its day where that is not today."""
    here, today = at.replace(tzinfo=UTC).astimezone(), (beside or datetime.now()).date()
    return f"{here:%H:%M}" if here.date() == today else f"{here:%Y-%m-%d %H:%M}"
