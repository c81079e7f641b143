"""The run desk: runs of all studies, what waits in which order, and what memory and time went where."""

from __future__ import annotations

import hashlib
import os
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Form, HTTPException
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field

from brook.core.memory import gb, machine_free, machine_total
from brook.core.study import DocumentError, Study, read_study
from brook.core.units import counted
from brook.runs.sharing import LARGE
from brook.store.people import Visitor
from brook.store.tables import RunRow, StudyRow, now
from brook.web.desk import TimeRefused, time_of, told_clock
from brook.web.forecasting import told_time
from brook.web.hub import LiveRun
from brook.web.pages import StudioHere, VisitorHere, render, seen_by
from brook.web.routes.board import curve
from brook.web.studio import Studio

router = APIRouter()
api = APIRouter(prefix="/api/desk", tags=["desk"])
LATELY = 40  # runs that ended are listed
BACK = 30  # iterations, of which the pace is told
DOING = {
    "shape": "making the shape",
    "mesh": "meshing",
    "run": "starting",
    "readings": "reading",
    "waiting": "starting",
}
ENDED = {"meshed": "meshed", "enough": "ended early"}
BEGUN = "It has begun already, or is over; only what waits can wait for a time."
Way = Literal["first", "earlier", "later", "last"]


@lru_cache(maxsize=64)
def _read(document: str) -> Study | None:
    try:
        return read_study(document)
    except DocumentError:
        return None


@dataclass(frozen=True)
class Lane:
    """A run as the desk shows it."""

    run: RunRow
    slug: str
    study: str
    case: str
    live: LiveRun | None

    @property
    def where(self) -> str:
        """The page of its run."""
        return f"/studies/{self.slug}/run/{self.run.variant}"

    @property
    def words(self) -> str:
        """What it does just now."""
        live = self.live
        if live is None:
            return "starting"
        if live.trouble or live.compiling:
            return live.trouble or live.compiling
        if live.stage == "run" and live.iteration:
            return f"step {live.iteration}, at {live.time[-1]:.4g} s" if live.time else f"iteration {live.iteration}"
        doing = DOING[live.stage]
        return f"{doing}: {live.words}" if live.words else doing

    @property
    def ahead(self) -> str:
        """When it will likely end."""
        seconds = self.seconds_left
        if seconds is not None:
            return f"about {told_time(seconds)} to go"
        return "its end cannot be seen yet" if self.live is not None and self.live.iteration > BACK else ""

    @property
    def seconds_left(self) -> float | None:
        """Until it ends, as far as its residuals tell."""
        live = self.live
        if live is None or live.iteration < 2 or live.forecast.get("iterations") is None:
            return None
        back = min(live.iteration - 1, BACK)
        return float(live.forecast["iterations"] * (live.seconds[-1] - live.seconds[-1 - back]) / back)

    @property
    def curve(self) -> str:
        """Its residuals as points of a small curve."""
        if self.live is None or not self.live.iteration:
            return ""
        return curve(self.live.worst()[:: max(1, self.live.iteration // 60)])

    @property
    def took(self) -> float:
        """Seconds since it began, or from its begin to its end."""
        began = self.run.started
        return ((self.run.ended or now()) - began).total_seconds() if began else 0.0

    @property
    def ended(self) -> str:
        return ENDED.get(self.run.state, self.run.state)

    @property
    def may_again(self) -> bool:
        """Whether there is something left to do of it."""
        return self.run.state not in ("converged", "meshed", "enough")


def _lanes(studio: Studio, runs: list[RunRow], rows: dict[int, StudyRow]) -> list[Lane]:
    found = []
    for run in runs:
        row = rows.get(run.study_id)
        if row is None:
            continue
        study = _read(run.document)
        try:
            case = study.variant(run.variant).title if study is not None else run.variant
        except KeyError:
            case = run.variant
        title = (study.title if study is not None else "") or row.slug
        found.append(Lane(run, row.slug, title, case, studio.hub.live.get(run.id)))
    return found


def _seen(
    studio: Studio, visitor: Visitor, errors: dict[int, tuple[str, str]] | None = None, notice: str = ""
) -> dict[str, Any]:
    """Everything that the desk shows."""
    rows = {row.id: row for row in seen_by(studio, visitor)}
    every = _lanes(studio, studio.store.unfinished(), rows)
    running = [one for one in every if one.run.state == "running" or one.run.id in studio.desk.given]
    waiting = [one for one in every if one not in running]
    spent = [
        {"slug": rows[study].slug, "title": _title(rows[study]), "runs": count, "seconds": told_time(s), "cpu": told_time(cpu) if cpu else "", "memory": gb(memory) if memory else "", "share": s}
        for study, count, s, cpu, memory in studio.store.spent_by_study() if study in rows
    ]  # fmt: skip
    most = max((seconds for _, _, seconds, _, _ in studio.store.spent_by_study()), default=0.0) or 1.0
    return {
        "running": running, "waiting": waiting, "ended": _lanes(studio, studio.store.ended_runs(LATELY), rows), "studies": sorted(spent, key=lambda row: -row["share"]), "most": most,
        "cores": studio.queue.cores if studio.queue.ready else os.cpu_count() or 1, "is_here": studio.queue.is_here, "machines": _machines(studio), "ready": studio.queue.ready, "large": counted(LARGE),
        "free": gb(machine_free()), "total": gb(machine_total()), "answer": _answer(running, waiting), "errors": errors or {}, "notice": notice, "load": studio.desk.load() if studio.queue.ready else None,
        "told_clock": told_clock, "told_time": told_time, "gb": gb, "whole": False, "polled": False,
    }  # fmt: skip


def _machines(studio: Studio) -> str:
    """The workers of a cluster in words, those that are alike together."""
    alike = Counter((m.cores, gb(m.memory) if m.memory else "") for m in studio.queue.machines())
    told = [
        f"{count} with {cores} core{'s' if cores != 1 else ''} and {memory}" if cores and memory else f"{count} that do{'es' if count == 1 else ''} not say what it has"
        for (cores, memory), count in sorted(alike.items(), reverse=True)
    ]  # fmt: skip
    return "; ".join(told)


def _title(row: StudyRow) -> str:
    study = _read(row.document)
    return study.title if study is not None and study.title else row.slug


def _answer(running: list[Lane], waiting: list[Lane]) -> str:
    """What the machine does, in a sentence."""
    if not running and not waiting:
        return "Nothing is under way and nothing waits."
    parts = [f"{len(running)} run{'s are' if len(running) != 1 else ' is'} under way" if running else "nothing is under way"]  # fmt: skip
    if waiting:
        parts.append(f"{len(waiting)} wait{'s' if len(waiting) == 1 else ''}")
    known = [one.seconds_left for one in running]
    last = max((seconds for seconds in known if seconds is not None), default=None)
    if running and last is not None and None not in known:
        parts.append(f"those under way will be over in about {told_time(last)}")
    text = ", ".join(parts)
    return f"{text[:1].upper()}{text[1:]}."


def _stamp(seen: dict[str, Any]) -> str:
    """Changes when the list of those that wait would look otherwise."""
    text = repr([(one.run.id, one.run.place, one.run.not_before, one.live.why if one.live else "", one.run.cells) for one in seen["waiting"]])  # fmt: skip
    return hashlib.sha256(text.encode()).hexdigest()[:12]


@router.get("/desk")
def desk(
    studio: StudioHere, visitor: VisitorHere, part: Literal["", "now", "waiting"] = "", stamp: str = ""
) -> Response:
    """The page, or one of its parts that look again and again."""
    seen = _seen(studio, visitor)
    seen["stamp"] = _stamp(seen)
    if part == "waiting" and stamp == seen["stamp"]:
        return Response(headers={"HX-Reswap": "none"})
    return render(f"desk/{part or 'page'}.html", {**seen, "whole": not part, "polled": bool(part)})


def _again(
    studio: Studio, visitor: Visitor, errors: dict[int, tuple[str, str]] | None = None, notice: str = ""
) -> HTMLResponse:
    seen = _seen(studio, visitor, errors, notice)
    return render("desk/body.html", {**seen, "stamp": _stamp(seen)})


def _run(studio: Studio, run_id: int) -> RunRow:
    run = studio.store.run(run_id)
    if run is None:
        raise HTTPException(404, "there is no such run")
    return run


@router.post("/desk/{run_id}/move")
def move(studio: StudioHere, visitor: VisitorHere, run_id: int, way: Annotated[Way, Form()]) -> HTMLResponse:
    """Puts a run that waits to another place."""
    studio.desk.move(_run(studio, run_id).id, way)
    return _again(studio, visitor)


@router.post("/desk/{run_id}/hold")
def hold(
    studio: StudioHere, visitor: VisitorHere, run_id: int, until: Annotated[str, Form(max_length=40)] = ""
) -> HTMLResponse:
    """Lets a run begin no sooner than a time."""
    run = _run(studio, run_id)
    try:
        begun = not studio.desk.hold(run.id, time_of(until))
    except TimeRefused as error:
        return _again(studio, visitor, {run.id: (until, str(error))})
    return _again(studio, visitor, notice=BEGUN if begun else "")


@router.post("/desk/{run_id}/{what}")
def change(
    studio: StudioHere, visitor: VisitorHere, run_id: int, what: Literal["pause", "stop", "again"]
) -> HTMLResponse:
    """Pauses a run, ends it with what it has, or takes it up again."""
    run = _run(studio, run_id)
    row = next((row for row in studio.store.studies() if row.id == run.study_id), None)
    if row is None:
        raise HTTPException(404, "its study is not there any more")
    return _again(studio, visitor, notice=_change(studio, row.slug, run, what))


def _change(studio: Studio, slug: str, run: RunRow, what: str) -> str:
    """Does it; says why not."""
    if what in ("pause", "stop"):
        if run.state == "queued" and run.id not in studio.desk.given:
            studio.desk.withdraw(run)
        elif run.state in ("queued", "running"):
            (studio.queue.pause if what == "pause" else studio.queue.stop)(run.job)
        return ""
    try:
        variant = studio.state(slug).variant(run.variant)
    except (KeyError, DocumentError):
        return f"“{run.variant}” is not in its study any more."
    if variant.is_busy:
        return f"“{variant.variant.title}” is in the queue already."
    if variant.can_go_on and variant.same_mesh and studio.go_on(slug, run.variant):
        return ""
    if studio.bring_up_to_date(slug, [run.variant], anew=True):
        return ""
    problems = [p.message for p in variant.prepared.problems]
    why = problems[0] if problems else "it is up to date, and the same inputs would end the same way"
    return f"“{variant.variant.title}” was not taken up again: {why}."


class LaneOut(BaseModel):
    run: int
    study: str = Field(description="the address of its study")
    case: str
    state: str = Field(description="running, queued, or how it ended")
    words: str = Field(description="what it does, why it waits, or what it said at its end")
    cells: int = Field(description="expected, 0 where that is not known before the mesh is made")
    cores: int
    not_before: str = Field(description="in UTC, empty for at once")
    seconds_left: float | None = Field(description="as far as residuals tell")
    machine: str
    cpu: float = Field(description="seconds of cores")
    memory: int = Field(description="bytes at most")


def _out(lane: Lane, waits: bool) -> LaneOut:
    run, live = lane.run, lane.live
    words = run.message if run.ended else (live.why if live else "") if waits else lane.words
    return LaneOut(
        run=run.id, study=lane.slug, case=run.variant, state=run.state, words=words, cells=run.cells, cores=live.cores if live and not waits else 0,
        not_before=run.not_before.isoformat() if run.not_before else "", seconds_left=lane.seconds_left, machine=run.machine, cpu=run.cpu, memory=run.memory,
    )  # fmt: skip


@api.get("")
def lanes(studio: StudioHere, visitor: VisitorHere) -> list[LaneOut]:
    """Runs under way, those that wait in their order, and those that ended lately."""
    seen = _seen(studio, visitor)
    found = [_out(one, False) for one in seen["running"]] + [_out(one, True) for one in seen["waiting"]]
    return found + [_out(one, False) for one in seen["ended"]]


class Wanted(BaseModel):
    move: Way | None = None
    until: str | None = Field(None, max_length=40, description="no sooner than this time of the server's clock; '' for at once")  # fmt: skip
    do: Literal["pause", "stop", "again"] | None = None


@api.post("/{run_id}")
def want(studio: StudioHere, visitor: VisitorHere, run_id: int, wanted: Wanted) -> list[LaneOut]:
    """Changes the place or the time of a run that waits, pauses or ends one, or takes one up again."""
    run = _run(studio, run_id)
    try:
        until = time_of(wanted.until) if wanted.until is not None else None
    except TimeRefused as error:
        raise HTTPException(422, str(error)) from None
    if wanted.move:
        studio.desk.move(run.id, wanted.move)
    if wanted.until is not None and not studio.desk.hold(run.id, until):
        raise HTTPException(409, BEGUN)
    if wanted.do:
        row = next(row for row in studio.store.studies() if row.id == run.study_id)
        if why := _change(studio, row.slug, run, wanted.do):
            raise HTTPException(409, why)
    return lanes(studio, visitor)
