"""Compare: one view of every variant, two in one picture, curves of all, the table, and inputs line by line."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.answer import BETTER, ranks
from brook.core.checks import declared_patches
from brook.core.editing import input_lines
from brook.core.results.quantities import OwnQuantity
from brook.core.units import round_text
from brook.web.against import against
from brook.web.pages import BODIES, StateHere, StudioHere, stage
from brook.web.routes.results import quantities
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()
WIDE = 2.0  # a spread over the mean that is one of signs, and says nothing as a share


def table(state: StudyState) -> list[dict[str, Any]]:
    """Of each requirement: what it asks, the rank of each case in words, and how far apart their values are."""
    found = []
    for k, requirement in enumerate(state.study.requirements):
        readings = [v.readings[k] for v in state.variants]
        values = [r.value for r in readings]
        known = [(v, r) for v, r in zip(values, readings, strict=True) if v is not None]
        spread = ""
        if len(known) > 1:
            (low, least), (high, most) = min(known, key=lambda f: f[0]), max(known, key=lambda f: f[0])
            share = abs(high - low) / (abs(high + low) / 2) if high + low else 0.0
            spread = f"{least.shown} to {most.shown}" + (
                f", {round_text(100 * share, 2)} % apart" if 0 < share < WIDE else ""
            )
        way = BETTER.get(requirement.limit.kind, 0)
        placed = _placed(state, values, [r.half or 0.0 for r in readings], way)
        words = next((r.judgement.words for r in readings if r.judgement), "")
        course = next((r.course for r in readings if r.course), "")
        found.append({
            "words": f"{course}; {words}" if course and words else course or words, "spread": spread,
            "ranks": placed,
        })  # fmt: skip
    return found


def _placed(state: StudyState, values: list[float | None], halves: list[float], way: int) -> list[str]:
    """Ranks in words, of each case among those at the same operating point."""
    found = [""] * len(values)
    for point in dict.fromkeys(v.point for v in state.variants) if way else ():
        here = [k for k, v in enumerate(state.variants) if v.point == point]
        there = [values[k] for k in here]
        placed = ranks(there, way)
        for k, rank in zip(here, placed, strict=True):
            found[k] = f"{ordinal(rank)} of {sum(v is not None for v in there)}" if rank else ""
        for k, rank in zip(here, placed, strict=True):
            before = next((n for n, r in zip(here, placed, strict=True) if rank and r == rank - 1), None)
            if before is not None and not _apart(values[k], halves[k], values[before], halves[before]):
                found[k] += f", not told apart from the {ordinal(rank - 1)}" if rank else ""
    return found


def _apart(one: float | None, half: float, other: float | None, other_half: float) -> bool:
    return one is None or other is None or abs(one - other) > half + other_half


def ordinal(number: int) -> str:
    """1st, 2nd, 3rd, 4th …"""
    if number % 100 in (11, 12, 13):
        return f"{number}th"
    return f"{number}{ {1: 'st', 2: 'nd', 3: 'rd'}.get(number % 10, 'th') }"


def body(studio: Studio, state: StudyState, variant: VariantState | None, a: str = "", b: str = "") -> dict[str, Any]:
    done = [v for v in state.variants if v.run.summary is not None]
    kept = {tuple(v.run.summary.get("moments") or ()) for v in done if v.run.summary}
    return {
        "moments": list(next(iter(kept))) if len(kept) == 1 else [], "apart": len(kept) > 1,
        "done": done, "quantities": quantities([v.run.summary for v in done if v.run.summary], _own(done)),
        "plate": None, "inputs": inputs(state, a, b), "every_patch": sorted(declared_patches(state.study)),
        "table": table(state), "against": against(state, "", ""),
    }  # fmt: skip


def inputs(state: StudyState, a: str, b: str) -> dict[str, Any]:
    """What differs between two variants; the first two when none are named."""
    names = [v.variant.name for v in state.variants]
    if len(names) < 2:
        return {}
    one, other = state.variant(a if a in names else names[0]), state.variant(b if b in names else names[1])
    lines, same = input_lines(state.study, one.variant, other.variant)
    return {
        "a": one.variant.name, "b": other.variant.name, "title_a": one.variant.title, "title_b": other.variant.title,
        "lines": lines, "same": same,
    }  # fmt: skip


def _own(done: list[VariantState]) -> dict[str, OwnQuantity]:
    return done[0].prepared.places.own if done else {}


BODIES["compare"] = body


@router.get("/studies/{slug}/compare")
def compare(
    studio: StudioHere, state: StateHere, part: str = "", plate: str = "", a: str = "", b: str = "", x: str = "", y: str = "",
) -> HTMLResponse:  # fmt: skip
    shown = next((p for p in state.study.plates if p.name == plate), None)
    more: dict[str, Any] = {"plate": shown, "inputs": inputs(state, a, b), "against": against(state, x, y)}
    return stage(studio, state, "compare", None, whole=part != "body", **more)
