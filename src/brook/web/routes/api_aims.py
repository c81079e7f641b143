"""What is computed over several runs, as JSON: bands for all readings, until it is decided, and sweeps."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from brook.core.study.variants import FINEST
from brook.store.tables import AimRow
from brook.web.aims import Wanted
from brook.web.pages import StudioHere
from brook.web.routes.api import StateHere, Strict
from brook.web.state import StudyState
from brook.web.sweeps import Swept

router = APIRouter(prefix="/api", tags=["aims"])


class AimWish(Strict):
    kind: Literal["bands", "decide", "sweep"]
    names: list[str] = Field([], description="variants or cases; all when empty", max_length=240)
    seconds: float = Field(0.0, ge=0, le=1e8, description="at most so many of computing, 0 for no limit")
    finest: int = Field(
        0, ge=FINEST, le=0, description="steps by which cells may be finer than planned, each by the root of two"
    )
    sweep: str = Field("", max_length=40, description="of a sweep: its name")


class AimOut(BaseModel):
    kind: str
    state: str
    words: str
    runs: list[str]


class SampleOut(BaseModel):
    case: str
    state: str
    values: dict[str, float | None] = Field(description="swept values in SI units")
    readings: dict[str, float] = Field(description="at the worst operating point, in SI units")
    bands: dict[str, float] = Field(description="half the width of the band of a reading, where it has one")
    verdicts: dict[str, str]


def _out(aim: AimRow | None) -> AimOut | None:
    return None if aim is None else AimOut(kind=aim.kind, state=aim.state, words=aim.words, runs=list(aim.tried))


@router.get("/studies/{slug}/aim")
def aim(studio: StudioHere, state: StateHere) -> AimOut | None:
    """The last one, under way or ended; nothing where there was none."""
    return _out(studio.aims.newest(state.row.id))


@router.post("/studies/{slug}/aim")
def begin(studio: StudioHere, state: StateHere, wish: AimWish) -> AimOut | None:
    """Begins to compute; 422 where it cannot, or something of this kind is under way."""
    for name in wish.names:
        try:
            state.cases_of(name)
        except KeyError:
            raise HTTPException(404, f"'{name}' is not a variant of this study") from None
    if wish.kind == "sweep":
        _sweep(state, wish.sweep)
    refused = studio.aims.begin(state.row.slug, Wanted(wish.kind, wish.names, wish.seconds, wish.finest, wish.sweep))
    if refused:
        raise HTTPException(422, {"problems": [{"path": "", "message": refused, "kind": "wrong"}]})
    return _out(studio.aims.newest(state.row.id))


@router.delete("/studies/{slug}/aim")
def stop(studio: StudioHere, state: StateHere) -> AimOut | None:
    """Stops it with its runs; what they have is kept."""
    studio.aims.stop(state.row.slug)
    return _out(studio.aims.newest(state.row.id))


def _sweep(state: StudyState, name: str) -> Any:
    found = next((s for s in state.study.sweeps if s.name == name), None)
    if found is None:
        raise HTTPException(404, f"there is no sweep '{name}' in this study")
    return found


@router.get("/studies/{slug}/sweeps/{name}")
def samples(state: StateHere, name: str) -> list[SampleOut]:
    """All samples of a sweep, with what is known of them."""
    swept = Swept(state, _sweep(state, name))
    found = []
    for s in swept.samples:
        values = {v.name: swept.value(k, s.place) for k, v in enumerate(swept.sweep.values)}
        found.append(SampleOut(
            case=s.name, state=s.state or "waiting", values={n: v[0] if v else None for n, v in values.items()},
            readings={n: v for n, (v, _) in s.read.items()}, bands=dict(s.standing.halves) if s.read else {},
            verdicts={n: j.verdict for n, (_, j) in s.read.items()},
        ))  # fmt: skip
    return found
