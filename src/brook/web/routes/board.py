"""The board: the question, its answer, the variants and how they stand."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.web.drawing import thumbnail
from brook.web.pages import BODIES, StateHere, StudioHere, stage
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


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    rows = [
        {
            "state": v,
            "thumbnail": thumbnail(v.prepared.shape, v.prepared.boundaries) if v.prepared.shape else None,
            "picture": small_address(studio, state, v),
            "curve": _curve_of(v),
        }
        for v in state.variants
    ]
    waiting = [v for v in state.variants if v.can_run and (not v.fresh or v.run.summary["state"] == "stopped")]  # type: ignore[index]
    in_space = any(v.geometry.kind == "space" for v in state.study.variants)
    texts = {name: "\n".join(f"{a:.12g} {b:.12g}" for a, b in made.points) for name, made in state.study.tables.items()}
    return {
        "in_space": in_space,
        "table_texts": texts,
        "rows": rows,
        "waiting": waiting,
        "busy": [v for v in state.variants if v.is_busy],
    }


BODIES["board"] = body


@router.get("/studies/{slug}")
def board(studio: StudioHere, state: StateHere, part: str = "") -> HTMLResponse:
    return stage(studio, state, "board", None, whole=part != "body")
