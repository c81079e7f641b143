"""The same operations as JSON, beneath the pages: /api, described by /api/openapi.json.

Refused changes answer 422 with the problems, changes that others came before 409, unknown things 404.
"""

from __future__ import annotations

import json
from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, HTTPException, Path, Query, Request
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from brook.core.editing import ACTIONS, EditRefused
from brook.core.stages.readings import dimension_of_reading
from brook.core.study import DocumentError, Problem, Study
from brook.core.study.document import MAX_BYTES
from brook.runs import SideProcessError, readout, sheets
from brook.store import Author, StoreError
from brook.web.pages import UNREADABLE, RowHere, StudioHere, VisitorHere, seen_by
from brook.web.routes.live import run_history
from brook.web.routes.plots import plot_of
from brook.web.routes.readout import ask, shown_of, source_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter(prefix="/api", tags=["studies"])
Slug = Annotated[str, Path(max_length=80)]
Text = Annotated[str, StringConstraints(max_length=20_000)]
# JSON may hold halves of characters that no text file can.
BAD = "this text holds characters that cannot be written"


Count = Annotated[int, Field(ge=0, lt=2**53)]


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ProblemOut(BaseModel):
    path: str
    message: str
    kind: str


class StudyOut(BaseModel):
    slug: str
    title: str
    changes: int = Field(description="counts every step; give it back as `seen` to be told of what others did")
    changed: datetime
    answer: str
    variants: list[str]


class Edit(Strict):
    """Texts by JSON pointer; `was` says what stood there when they were decided."""

    values: Annotated[dict[str, Text], Field(min_length=1, max_length=40)]
    was: dict[str, Text] = {}
    seen: Count | None = None
    who: Annotated[str, StringConstraints(max_length=60)] = ""


class Act(Strict):
    values: Annotated[dict[str, Text], Field(max_length=20)] = {}
    seen: Count | None = None
    who: Annotated[str, StringConstraints(max_length=60)] = ""


class Step(Strict):
    seen: Count | None = None
    who: Annotated[str, StringConstraints(max_length=60)] = ""


class Changed(BaseModel):
    changes: int
    message: str = ""


class StepOut(BaseModel):
    number: int
    parent: int | None
    who: str
    what: str
    at: datetime
    current: bool


class ReadingOut(BaseModel):
    requirement: str
    reads: str = Field(description="what of a flow in time is read; empty for a steady one")
    value: float | None = Field(description="in SI units")
    unit: str
    shown: str
    verdict: str
    margin: float | None
    fresh: bool
    problem: str
    swing: str = Field("", description="mean and swing in a steady run that stands without converging")
    band: float | None = Field(
        None, description="half the width of the band in which it lies, in SI units; nothing where it has none"
    )
    how_sure: str = Field("", description="where the band comes from, or why there is none")
    read_on: str = Field("", description="on which cells, where these are not those of the mesh plan")


class VariantOut(BaseModel):
    name: str
    title: str
    of: str = Field(description="the variant that this is a case of")
    point: str = Field(description="its operating point, empty for none")
    ready: bool
    problems: list[ProblemOut]
    run: str = Field(description="state of the newest run, or `none`")
    message: str
    fresh: bool
    can_go_on: bool
    mesh: dict[str, Any] | None
    readings: list[ReadingOut]


class RunWish(Strict):
    until: Literal["mesh", "readings"] = "readings"
    from_start: bool = False


class Queued(BaseModel):
    queued: list[str]


def state_of(studio: StudioHere, slug: Slug) -> StudyState:
    try:
        return studio.state(slug)
    except StoreError as error:
        raise HTTPException(404, str(error)) from error


StateHere = Annotated[StudyState, Depends(state_of)]


def _refuse(problems: list[Problem]) -> HTTPException:
    return HTTPException(422, {"problems": [_problem(p).model_dump() for p in problems]})


def _problem(problem: Problem) -> ProblemOut:
    return ProblemOut(path=problem.path, message=problem.message, kind=problem.kind)


def _variant(state: StudyState, name: str) -> VariantState:
    try:
        return state.variant(name)
    except KeyError:
        raise HTTPException(404, f"'{name}' is not a variant of this study") from None


def _changed(studio: Studio, slug: str, change: Any, message: str = "") -> Changed:
    """Does a change and tells how often the study has changed; refusals become answers."""
    try:
        said = change()
    except EditRefused as refused:
        if not refused.problems[0].path:
            raise HTTPException(409, str(refused)) from refused
        raise _refuse(refused.problems) from refused
    except KeyError as error:
        raise HTTPException(404, f"there is nothing at {error}") from error
    except StoreError as error:
        raise HTTPException(404, str(error)) from error
    return Changed(changes=studio.store.study_row(slug).changes, message=said if isinstance(said, str) else message)


def _sound(*texts: str) -> None:
    """Texts that a file can hold; 422 for others."""
    for text in texts:
        try:
            text.encode()
        except UnicodeEncodeError:
            raise HTTPException(422, {"problems": [{"path": "", "message": BAD, "kind": "wrong"}]}) from None


def _study(state: StudyState) -> StudyOut:
    return StudyOut(
        slug=state.row.slug, title=state.study.title, changes=state.row.changes, changed=state.row.changed,
        answer=state.answer, variants=[v.name for v in state.study.variants],
    )  # fmt: skip


@router.get("/studies")
def studies(studio: StudioHere, visitor: VisitorHere) -> list[StudyOut]:
    found = []
    for row in seen_by(studio, visitor):
        try:
            found.append(_study(studio.state(row.slug)))
        except DocumentError as error:
            told = f"{UNREADABLE}: {error}"
            found.append(
                StudyOut(
                    slug=row.slug, title=row.slug, changes=row.changes, changed=row.changed, answer=told, variants=[]
                )
            )
    return found


@router.post("/studies", status_code=201)
async def add_study(studio: StudioHere, visitor: VisitorHere, request: Request) -> StudyOut:
    """Takes in a study document."""
    study = await _document(studio, await _body(request))
    slug = await run_in_threadpool(studio.store.add_study, study, "taken in", Author(visitor.name))
    await run_in_threadpool(studio.people.own, slug, visitor.id)
    return _study(await run_in_threadpool(studio.state, slug))


async def _body(request: Request) -> bytes:
    """The body, refused as soon as it is too large."""
    content = bytearray()
    async for part in request.stream():
        content += part
        if len(content) > MAX_BYTES:
            raise HTTPException(413, f"a document may have {MAX_BYTES // 1_000_000} MB, this one is larger")
    return bytes(content)


async def _document(studio: Studio, content: bytes) -> Study:
    try:
        return await studio.geometry_worker.gate.study(content)
    except SideProcessError as error:
        raise HTTPException(503, str(error)) from error
    except DocumentError as error:
        raise _refuse(error.problems) from error


@router.get("/studies/{slug}")
def study(state: StateHere) -> StudyOut:
    return _study(state)


@router.get("/studies/{slug}/document")
def document(row: RowHere) -> dict[str, Any]:
    return json.loads(row.document)


@router.put("/studies/{slug}/document")
async def put_document(
    studio: StudioHere, visitor: VisitorHere, slug: Slug, request: Request, seen: Count | None = None,
    who: Annotated[str, Query(max_length=60)] = "",
) -> Changed:  # fmt: skip
    """Puts another document in the place of the study's, as one step of its history."""
    state = await run_in_threadpool(state_of, studio, slug)
    study = await _document(studio, await _body(request))
    author = Author(visitor.name or who, "", seen)
    return await run_in_threadpool(
        _changed, studio, state.row.slug, lambda: studio.replace(slug, study, "Document replaced", author)
    )


@router.delete("/studies/{slug}", status_code=204)
def remove_study(studio: StudioHere, row: RowHere) -> None:
    studio.remove(row.slug)


@router.get("/studies/{slug}/problems")
def problems(state: StateHere) -> list[ProblemOut]:
    """What keeps the study from running."""
    return [_problem(p) for p in state.problems]


@router.post("/studies/{slug}/edit")
def edit(studio: StudioHere, visitor: VisitorHere, state: StateHere, wish: Edit) -> Changed:
    """Changes values, all or none, as one step."""
    _sound(*wish.values, *wish.values.values(), wish.who)
    author = Author(visitor.name or wish.who, "", wish.seen)
    return _changed(studio, state.row.slug, lambda: studio.edit(state.row.slug, wish.values, wish.was, author))


@router.get("/actions", tags=["actions"])
def actions() -> list[str]:
    """Names of the actions on a document."""
    return sorted(ACTIONS)


@router.post("/studies/{slug}/actions/{action}", tags=["actions"])
def act(studio: StudioHere, visitor: VisitorHere, state: StateHere, action: str, wish: Act) -> Changed:
    """A named action on the document, as one step."""
    _sound(*wish.values, *wish.values.values(), wish.who)
    if action not in ACTIONS:
        raise HTTPException(404, f"'{action}' is not an action; known are {', '.join(sorted(ACTIONS))}")
    author = Author(visitor.name or wish.who, "", wish.seen)
    return _changed(studio, state.row.slug, lambda: studio.act(state.row.slug, action, wish.values, author))


@router.get("/studies/{slug}/history", tags=["history"])
def history(
    studio: StudioHere, state: StateHere, before: Count | None = None, count: Annotated[int, Query(ge=1, le=500)] = 100
) -> list[StepOut]:
    return [
        StepOut(number=r.number, parent=r.parent, who=r.who, what=r.what, at=r.at, current=r.number == state.row.revision)
        for r in studio.store.revisions(state.row.id, before, count)
    ]  # fmt: skip


@router.post("/studies/{slug}/undo", tags=["history"])
def undo(studio: StudioHere, visitor: VisitorHere, state: StateHere, wish: Step) -> Changed:
    _sound(wish.who)
    author, slug = Author(visitor.name or wish.who, "", wish.seen), state.row.slug
    return _changed(studio, slug, lambda: studio.undo(slug, author))


@router.post("/studies/{slug}/redo", tags=["history"])
def redo(studio: StudioHere, visitor: VisitorHere, state: StateHere, wish: Step) -> Changed:
    _sound(wish.who)
    author, slug = Author(visitor.name or wish.who, "", wish.seen), state.row.slug
    return _changed(studio, slug, lambda: studio.redo(slug, author))


@router.post("/studies/{slug}/history/{number}", tags=["history"])
def go_back(
    studio: StudioHere, visitor: VisitorHere, state: StateHere, number: Annotated[int, Path(ge=1, lt=2**31)], wish: Step
) -> Changed:
    """Makes any step the one that stands."""
    _sound(wish.who)
    author, slug = Author(visitor.name or wish.who, "", wish.seen), state.row.slug
    return _changed(studio, slug, lambda: studio.go_back(slug, number, author))


def _variant_out(variant: VariantState) -> VariantOut:
    readings = []
    for r in variant.readings:
        dimension = dimension_of_reading(r.requirement, variant.prepared)
        readings.append(ReadingOut(
            requirement=r.requirement.name, reads=r.course, value=r.value, unit=dimension.unit() if dimension else "", shown=r.shown,
            verdict=r.judgement.verdict if r.judgement else "", fresh=r.fresh, problem=r.problem, swing=r.swing,
            margin=r.judgement.margin if r.judgement else None, band=r.half, how_sure=r.sure_words, read_on=r.on,
        ))  # fmt: skip
    mesh = variant.mesh.summary
    return VariantOut(
        name=variant.variant.name, title=variant.variant.title, of=variant.of, point=variant.point, ready=variant.prepared.ready,
        problems=[_problem(p) for p in variant.prepared.problems], run=variant.job.state if variant.job else "none",
        message=variant.job.message if variant.job else "", fresh=variant.fresh, can_go_on=variant.can_go_on,
        mesh={k: mesh[k] for k in ("cells", "faces", "points", "verdict", "sentence")} if mesh else None,
        readings=readings,
    )  # fmt: skip


@router.get("/studies/{slug}/variants", tags=["variants"])
def variants(state: StateHere) -> list[VariantOut]:
    """How every variant stands, with its readings."""
    return [_variant_out(v) for v in state.variants]


@router.get("/studies/{slug}/variants/{name}", tags=["variants"])
def variant(state: StateHere, name: str) -> VariantOut:
    return _variant_out(_variant(state, name))


@router.post("/studies/{slug}/run", tags=["runs"])
def run_all(studio: StudioHere, state: StateHere, wish: RunWish) -> Queued:
    """Queues every variant that is out of date and can run."""
    names = [v.variant.name for v in state.variants]
    return Queued(queued=studio.bring_up_to_date(state.row.slug, names, wish.until, wish.from_start))


@router.post("/studies/{slug}/variants/{name}/run", tags=["runs"])
def run(studio: StudioHere, state: StateHere, name: str, wish: RunWish) -> Queued:
    """Queues a variant if it is out of date; 422 while something keeps it from running."""
    found = _variant(state, name)
    queued = studio.bring_up_to_date(state.row.slug, [name], wish.until, wish.from_start)
    if not queued and found.prepared.problems and not found.is_busy:
        raise _refuse(list(found.prepared.problems))
    return Queued(queued=queued)


@router.post("/studies/{slug}/variants/{name}/{what}", tags=["runs"])
def change_run(studio: StudioHere, state: StateHere, name: str, what: Literal["stop", "pause", "continue"]) -> Queued:
    """Stops a run and keeps its fields, pauses it, or goes on from the last checkpoint."""
    _variant(state, name)
    if what == "continue":
        return Queued(queued=[name] if studio.go_on(state.row.slug, name) else [])
    (studio.stop if what == "stop" else studio.pause)(state.row.slug, name)
    return Queued(queued=[])


@router.get("/studies/{slug}/variants/{name}/history", tags=["runs"])
def run_curves(studio: StudioHere, state: StateHere, name: str) -> dict[str, Any]:
    """Residuals and monitors of the run under way, or of the newest one that ended."""
    return run_history(studio, _variant(state, name))


@router.get("/studies/{slug}/variants/{name}/forces", tags=["results"])
def forces(studio: StudioHere, state: StateHere, name: str) -> list[dict[str, Any]]:
    """Pressure and friction parts of the force on each patch, in N."""
    _variant(state, name)
    return ask(studio, readout.forces, source_of(studio, state, name))


@router.get("/studies/{slug}/plots/{name}", tags=["results"])
def plot(
    studio: StudioHere, state: StateHere, name: str, variants: Annotated[str, Query(max_length=4000)] = ""
) -> dict[str, Any]:
    """Curves of a plot, with the differences from its reference points."""
    return ask(studio, sheets.plot_data, shown_of(studio, state, variants), plot_of(state, name)[1])
