"""What a study is computed for over several runs: bands of its readings, or until it is decided. Each time a run ends it is looked at anew what to run next."""

from __future__ import annotations

import queue
import threading
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from brook.core.deciding import CaseNow, Plan, Ran, allowed, for_bands, open_variants, until_decided
from brook.core.study import point_name, sized_name, steps_coarser, told_size
from brook.store.tables import AimRow, now
from brook.web.forecasting import Costs, told_time
from brook.web.series_picture import limits_of
from brook.web.state import StudyState, VariantState
from brook.web.sweeps import Swept

if TYPE_CHECKING:
    from brook.web.studio import Studio

KINDS = {"bands": "bands for every reading", "decide": "until it is decided", "sweep": "a sweep"}
AT_ONCE = 4  # runs of a sweep that wait or are under way together
ENDED = ("converged", "enough", "not converged")  # runs whose fields another may begin with
MOST_TOLD = 6


@dataclass(frozen=True)
class Wanted:
    """What is asked for: of these variants or cases (all where none are named), within so many seconds of computing (0: no limit), on cells no
    finer than by so many steps."""

    kind: str
    names: list[str] = field(default_factory=list)
    seconds: float = 0.0
    finest: int = 0
    sweep: str = ""

    def as_dict(self) -> dict[str, Any]:
        """The same for the store."""
        return {"names": self.names, "seconds": self.seconds, "finest": self.finest, "sweep": self.sweep}


class Aims:
    """The aims of all studies, each with its own runs in the queue, one thread for all."""

    def __init__(self, studio: Studio):
        self.studio = studio
        self._waiting: queue.SimpleQueue[int | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._work, name="brook-aims", daemon=True)
        self._lock = threading.Lock()

    def start(self) -> None:
        """Begins to look after aims, and goes on with those that were under way."""
        for aim in self.studio.store.aims_under_way():
            self._waiting.put(aim.study_id)
        self._thread.start()

    def close(self) -> None:
        self._waiting.put(None)
        if self._thread.is_alive():
            self._thread.join(timeout=5)

    def look(self, study_id: int) -> None:
        """Something of this study ended: what is next is looked at soon."""
        self._waiting.put(study_id)

    def newest(self, study_id: int) -> AimRow | None:
        """The last aim of a study, under way or ended."""
        return self.studio.store.newest_aim(study_id)

    def begin(self, slug: str, wanted: Wanted) -> str:
        """Takes an aim up; says why not, '' where it did."""
        state = self.studio.state(slug)
        cases = _cases(state, wanted.names)
        if wanted.kind not in KINDS:
            raise KeyError(wanted.kind)
        if not state.study.requirements:
            return "Nothing is asked for yet: a band is that of a reading."
        ready = [v for v in cases if v.prepared.ready]
        if wanted.kind == "sweep":
            k = next(k for k, s in enumerate(state.study.sweeps) if s.name == wanted.sweep)
            if wrong := [
                p.message for p in state.problems if p.path.startswith(f"/sweeps/{k}/") or p.path == f"/sweeps/{k}"
            ]:
                return f"Not started: {wrong[0]}."
        if not ready:
            problems = [p.message for v in cases for p in v.prepared.problems]
            return f"Not started: {problems[0]}." if problems else "Not started: there is no variant yet."
        if self.studio.store.add_aim(state.row.id, wanted.kind, wanted.as_dict()) is None:
            return "Something of this kind is under way already; stop it first."
        self.look(state.row.id)
        return ""

    def stop(self, slug: str) -> None:
        """Ends an aim with its runs; what they have is kept."""
        row = self.studio.store.study_row(slug)
        aim = self.newest(row.id)
        if aim is None or aim.state != "under way":
            return
        with self._lock:
            self.studio.store.change_aim(aim.id, state="stopped", words="stopped by hand", ended=now())
        for run in self.studio.store.runs_of(list(aim.tried.values())):
            if run.state in ("queued", "running"):
                self.studio.stop(slug, run.variant)
        self.studio.hub.announce(row.id, {"type": "aim"})

    def _work(self) -> None:
        while (study_id := self._waiting.get()) is not None:
            try:
                self._step(study_id)
            except Exception as error:  # an aim that fails must not end the looking after all others
                aim = self.newest(study_id)
                if aim is not None:
                    self.studio.store.change_aim(
                        aim.id, state="failed", words=f"an error in Brook itself: {error!r}", ended=now()
                    )
                self.studio.hub.announce(study_id, {"type": "aim"})

    def _step(self, study_id: int) -> None:
        """Queues what is wanted next, or ends an aim."""
        with self._lock:
            aim = self.newest(study_id)
            if aim is None or aim.state != "under way":
                return
            slug = next((row.slug for row in self.studio.store.studies() if row.id == study_id), None)
            if slug is None:
                return
            state = self.studio.state(slug)
            found = _Looked(state, aim, self.studio.store.runs_of(list(aim.tried.values())))
            runs, short = found.within_limit()
            tried = dict(aim.tried)
            for name, coarser in runs:
                run = self._run(state, name, coarser, found)
                if run is not None:
                    tried[sized_name(name, coarser)] = run
            if tried != aim.tried:
                self.studio.store.change_aim(aim.id, tried=tried)
            elif not found.is_busy:
                self.studio.store.change_aim(aim.id, state="ended", words=found.ended(short), ended=now())
            self.studio.hub.announce(study_id, {"type": "aim"})

    def _run(self, state: StudyState, name: str, coarser: int, found: _Looked) -> int | None:
        variant = state.variant(sized_name(name, coarser))
        if found.swept is not None:
            run = self.studio.enqueue(state, variant, begin_with=found.swept.nearest(name, coarser))
            return run.id if run is not None else None
        base = state.variant(name)
        enough = _enough(base) if found.kind == "decide" else {}
        run = self.studio.enqueue(state, variant, begin_with=nearest_run(state, variant), enough=enough)
        return run.id if run is not None else None


class _Looked:
    """How an aim stands: its cases with their runs, and what it wants next."""

    def __init__(self, state: StudyState, aim: AimRow, runs: list[Any]):
        self.state, self.aim, self.kind = state, aim, aim.kind
        self.seconds, self.finest = float(aim.said.get("seconds", 0)), int(aim.said.get("finest", 0))
        there = [n for n in aim.said.get("names", []) if _is_there(state, n)]  # some may have been taken out since
        self.cases = _cases(state, there) if there or not aim.said.get("names") else []
        self.runs = {run.variant: run for run in runs}
        self.swept: Swept | None = None
        sweep = next((s for s in state.study.sweeps if s.name == aim.said.get("sweep")), None)
        if aim.kind == "sweep" and sweep is not None:
            self.swept = Swept(state, sweep, [run.variant for run in runs if self._has_failed(run)])
        self.costs = Costs(state)
        self.spent = sum(
            ((run.ended or now()) - run.started).total_seconds() for run in runs if run.started is not None
        )
        self.plan = self._plan()

    @property
    def is_busy(self) -> bool:
        if self.swept is not None:
            return any(s.state == "busy" for s in self.swept.samples)
        return any(case.is_busy for case in self._now)

    def _has_failed(self, run: Any) -> bool:
        ended = run.state not in ("queued", "running", "converged", "enough")
        return ended and run.document == self.state.row.document

    def _plan(self) -> Plan:
        self._now: list[CaseNow] = []
        if self.kind == "sweep":
            return Plan(self.swept.next_runs(AT_ONCE) if self.swept is not None else [])
        self._now = [self._case(v) for v in self.cases if v.prepared.ready]
        if self.kind == "bands":
            plan = for_bands(self._now)
            if plan.runs or self.finest == 0 or any(case.is_busy for case in self._now):
                return plan
        names = {v.of for v in self.cases}
        return until_decided(
            self._now, [s for s in self.state.standings if s.variant in names], self.state.wishes, self.finest
        )

    def _case(self, v: VariantState) -> CaseNow:
        runs = []
        for one in v.every_size:
            run = self.runs.get(one.variant.name)
            tried = run is not None and run.document == self.state.row.document
            if one.is_busy:
                state, message = "busy", ""
            elif one.counts:
                state, message = "sound", ""
            elif tried and run is not None:
                state, message = "failed", run.message
            else:
                continue
            runs.append(Ran(steps_coarser(one.variant), state, message))
        told = all(r.half is not None for r in v.readings if r.value is not None and r.fresh)
        return CaseNow(v.variant.name, v.of, tuple(runs), told)

    def within_limit(self) -> tuple[list[tuple[str, int]], list[tuple[str, int]]]:
        """Of what is wanted next what the limit on time leaves room for, and what not."""
        left = self.seconds - self.spent if self.seconds else float("inf")
        fits, short = [], []
        for name, coarser in self.plan.runs:
            expected = self.costs.seconds(name, coarser)
            if expected <= left:
                left -= expected
                fits.append((name, coarser))
            else:
                short.append((name, coarser))
        return fits, short

    def ended(self, short: list[tuple[str, int]]) -> str:
        """What it came to, in words: what it cost, what is left open, and what that would take."""
        count = len(self.runs)
        parts = [
            f"{told_time(self.spent)} of computing in {count} run{'' if count == 1 else 's'}"
            if count
            else "nothing was left to run"
        ]
        if short:
            need = sum(self.costs.seconds(*one) for one in short)
            parts.append(
                f"the limit of {told_time(self.seconds)} leaves no room for {_told(short, self.state)}, about {told_time(need)}"
            )
        if self.swept is not None:
            failed = [s for s in self.swept.samples if s.state == "failed"]
            parts.append(f"{len(self.swept.done)} samples are computed")
            if failed:
                why = next((run.message for run in self.runs.values() if self._has_failed(run)), "")
                parts.append(f"{len(failed)} could not be{f': {why}' if why else ''}")
            return "; ".join(parts)
        titles = {v.name: v.title for v in self.state.study.variants}
        names = {v.of for v in self.cases}
        opened = open_variants([s for s in self.state.standings if s.variant in names], self.state.wishes)
        if (self.kind == "decide" or self.finest) and opened:
            who = ", ".join(f"“{titles[n]}”" for n in titles if n in opened)
            beyond = self.plan.beyond
            need = sum(self.costs.seconds(*one) for one in beyond)
            take = f"; {_told(beyond, self.state)} would take about {told_time(need)}" if beyond and not short else ""
            parts.append(f"not decided: {who}{take}")
        elif self.kind == "decide" or self.finest:
            parts.append("every verdict stands")
        known = [r for v in self.cases for r in v.readings if r.value is not None and r.fresh]
        without = [r for r in known if r.half is None]
        if self.kind == "bands" and known:
            parts.append(
                f"{len(without)} of {len(known)} readings have no band"
                if without
                else f"all {len(known)} readings have bands"
            )
        more = len(self.plan.notes) - MOST_TOLD
        notes = [*self.plan.notes[:MOST_TOLD], *([f"and {more} more"] if more > 0 else [])]
        return "\n".join(["; ".join(parts), *notes])


def _told(runs: list[tuple[str, int]], state: StudyState) -> str:
    """Runs in words."""
    told = [state.variant(sized_name(name, coarser)).variant.title for name, coarser in runs[:MOST_TOLD]]
    more = len(runs) - len(told)
    return ", ".join(f"“{title}”" for title in told) + (f" and {more} more" if more else "")


def _cases(state: StudyState, names: list[str]) -> list[VariantState]:
    if not names:
        return list(state.variants)
    wanted = {v.variant.name for name in names for v in state.cases_of(name)}
    return [v for v in state.variants if v.variant.name in wanted]


def _is_there(state: StudyState, name: str) -> bool:
    try:
        return bool(state.cases_of(name))
    except KeyError:
        return False


def nearest_run(state: StudyState, variant: VariantState) -> str:
    """The key of the solution with which a run begins: that of the same case on the nearest coarser cells, or on finer ones, or of its variant at another
    operating point; '' for none."""
    base = state.variant(told_size(variant.variant.name)[0])
    mine = steps_coarser(variant.variant)

    def has(v: VariantState) -> bool:
        return bool(v.run.key and v.run.fresh and v.run.summary and v.run.summary.get("state") in ENDED)

    own = [v for v in base.every_size if has(v)]
    own.sort(key=lambda v: (steps_coarser(v.variant) < mine, abs(steps_coarser(v.variant) - mine)))
    others = [v for v in state.variants if v.of == base.of and v is not base and point_name(v.variant) and has(v)]
    there = own or others
    return str(there[0].run.key) if there else ""


def _enough(base: VariantState) -> dict[str, float]:
    """What iterations may leave open of each reading on the next mesh, {} while nothing is known of some."""
    found = {}
    sound = [v for v in base.every_size if v.counts]
    for k, reading in enumerate(base.readings):
        if reading.value is None or not reading.fresh:
            return {}
        known = [v.readings[k].value for v in sound if v.readings[k].value is not None]
        limits = limits_of(reading.requirement, base.prepared)
        found[reading.requirement.name] = allowed(
            reading.value, reading.half, known[1] if len(known) > 1 else None, limits
        )
    return found
