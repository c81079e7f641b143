"""The bars of the intake when the stream all but stands: too slow for eddies to leave them."""

from __future__ import annotations

import json
from typing import Any

from brook.core.study import Study
from brook.core.study.document import study_from

BRIEF = {
    "question": "Which bar is dragged least where the stream all but stands, and how much water turns back behind it?",
    "notes": "The bars of the screen, 12 mm wide, at 4 mm/s: Re = 37. Eddies stay where they are, so the flow is steady.",
}
REQUIREMENTS = [
    {"name": "drag", "title": "Drag of a bar of one metre", "reading": "bar.force_x.total", "unit": "mN",
     "limit": {"kind": "smallest"}},
    {"name": "loss", "title": "Loss over the bar", "reading": "inlet.total_pressure.mean - outlet.total_pressure.mean",
     "unit": "mPa", "limit": {"kind": "smallest"}},
    {"name": "turned", "title": "Water behind it that flows back", "reading": "behind.velocity_x.share_below(0 mm/s)",
     "limit": {"kind": "at_most", "value": "25 %"}},
]  # fmt: skip


def study(bars: str) -> Study:
    """The same drawings, mesh and water as those of the text of the study of the bars."""
    raw: dict[str, Any] = json.loads(bars)
    raw |= {"title": "Intake bars in slack water", "brief": BRIEF, "requirements": REQUIREMENTS}
    raw["places"] = {"behind": {"left": "6 mm", "right": "42 mm", "bottom": "-6 mm", "top": "6 mm"}}
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["boundaries"][0]["speed"] = "4 mm/s"
    return study_from(raw)
