"""The bars of the intake when the stream is in flood: turbulent, and told as it is on the whole."""

from __future__ import annotations

import json
from typing import Any

from brook.core.study import Study
from brook.core.study.document import study_from

BRIEF = {
    "question": "Which bar holds back least of a stream in flood, and is dragged least?",
    "notes": "The bars of the screen, 12 mm wide, at 0.6 m/s: Re = 5500. Eddies of 5 mm come in with the stream, by a model of turbulence; "
             "those that leave the bars are not followed one by one.",
}  # fmt: skip
REQUIREMENTS = [
    {"name": "drag", "title": "Drag of a bar of one metre", "reading": "bar.force_x.total", "unit": "N",
     "limit": {"kind": "smallest"}},
    {"name": "loss", "title": "Loss over the bar", "reading": "inlet.total_pressure.mean - outlet.total_pressure.mean",
     "unit": "Pa", "limit": {"kind": "at_most", "value": "20 Pa"}},
    {"name": "turned", "title": "Water behind it that flows back", "reading": "behind.velocity_x.share_below(0 mm/s)",
     "limit": {"kind": "at_most", "value": "25 %"}},
]  # fmt: skip


def study(bars: str) -> Study:
    """The same drawings, mesh and water as those of the text of the study of the bars."""
    raw: dict[str, Any] = json.loads(bars)
    raw |= {"title": "Intake bars in flood", "brief": BRIEF, "requirements": REQUIREMENTS}
    raw["places"] = {"behind": {"left": "6 mm", "right": "42 mm", "bottom": "-6 mm", "top": "6 mm"}}
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["turbulence"] = {"incoming": {"kind": "length", "intensity": "5 %", "length": "5 mm"}}
    raw["set_up"]["boundaries"][0]["speed"] = "0.6 m/s"
    return study_from(raw)
