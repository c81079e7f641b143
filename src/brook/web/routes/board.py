"""The board: the question, its answer, the variants and how they stand."""

from __future__ import annotations

import re
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.web.drawing import thumbnail
from brook.web.pages import BODIES, StateHere, StudioHere, stage
from brook.web.routes.sure import aim_context
from brook.web.shapes import small_address
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

router = APIRouter()


def curve(values: list[float], width: float = 84, height: float = 26) -> str:
    """Points of a small residual curve, logarithmic over eight decades."""
    import math

    if len(values) < 2:
        return ""
    points = []
    for k, value in enumerate(values):
        level = min(0.0, max(-8.0, math.log10(max(value, 1e-12))))
        points.append(f"{width * k / (len(values) - 1):.1f},{-level / 8 * height:.1f}")
    return " ".join(points)


def _curve_of(variant: VariantState) -> str:
    if variant.live is not None and variant.live.iteration:
        thin = max(1, variant.live.iteration // 60)
        return curve(variant.live.worst()[::thin])
    return curve(variant.run.summary["residual_curve"]) if variant.run.summary else ""


def _named(state: StudyState) -> list[str]:
    """Named values that an operating point may say; those that the set-up uses first."""
    study = state.study
    known = dict.fromkeys([*study.named_values, *(n for v in study.variants for n in v.named_values)])
    used = set(re.findall(r"[a-z][a-z0-9_]*", study.set_up.model_dump_json()))
    return sorted(known, key=lambda name: name not in used)


def _waits(v: VariantState) -> bool:
    return v.can_run and (not v.fresh or v.run.summary is None or v.run.summary["state"] == "stopped")


def _families(state: StudyState, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows of each variant under it; over operating points with the worst reading of each requirement, whose it is, and where."""
    titles = {v.name: v.title for v in state.study.variants}
    found = []
    for standing in state.standings:
        mine = [row for row in rows if row["state"].of == standing.variant]
        worst = []
        for k, requirement in enumerate(state.study.requirements):
            at = standing.worst.get(requirement.name)
            there = next((row for row in mine if row["point"] == at), None)
            worst.append((there["state"].readings[k], there["state"].variant.name, at) if there else (None, "", ""))
        found.append({
            "name": standing.variant, "title": titles[standing.variant], "rows": mine, "folded": bool(state.study.points), "worst": worst,
            "done": sum(row["state"].fresh for row in mine), "waiting": any(_waits(row["state"]) for row in mine),
        })  # fmt: skip
    return found


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    points = {p.name: p.title for p in state.study.points}
    rows = [
        {
            "state": v,
            "thumbnail": thumbnail(v.prepared.shape, v.prepared.boundaries) if v.prepared.shape else None,
            "picture": small_address(studio, state, v),
            "curve": _curve_of(v),
            "point": points.get(v.point, ""),
        }
        for v in state.variants
    ]
    waiting = [v for v in state.variants if _waits(v)]
    in_space = any(v.geometry.kind == "space" for v in state.study.variants)
    texts = {name: "\n".join(f"{a:.12g} {b:.12g}" for a, b in made.points) for name, made in state.study.tables.items()}
    return {
        "in_space": in_space,
        "table_texts": texts,
        "rows": rows,
        "families": _families(state, rows),
        "points_know": _named(state),
        "at_points": [(p.name, f"at {p.title[:1].lower()}{p.title[1:]}") for p in state.study.points],
        "waiting": waiting,
        "busy": [v for v in state.variants if v.at_work.is_busy],
    } | aim_context(studio, state)


BODIES["board"] = body


@router.get("/studies/{slug}")
def board(studio: StudioHere, state: StateHere, part: str = "") -> HTMLResponse:
    return stage(studio, state, "board", None, whole=part != "body")
