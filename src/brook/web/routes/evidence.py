"""Evidence: what the program's own verification measured, beside what is published."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.web.graph import graph
from brook.web.pages import render

router = APIRouter()
FIGURES = Path(__file__).parents[2] / "evidence.json"
# what each group of cases shows, and how names of cases begin
GROUPS = (
    (
        "Flow in channels and pipes",
        (
            "channel",
            "pipe",
            "periodic",
            "sheared",
            "taylor-couette",
            "womersley",
            "fan-duct",
            "total-pressure",
            "porous-plug",
            "screen",
            "shares",
            "turning-frame",
        ),
    ),
    ("Closed and open flows", ("cavity", "cylinder", "flat-plate")),
    ("Orders of accuracy", ("manufactured", "taylor-green", "profile")),
    (
        "Turbulent flows",
        (
            "channel-",
            "flat-plate-turbulent",
            "pipe-turbulent",
            "step-turbulent",
            "enlargement-turbulent",
            "bend-turbulent",
            "hill-turbulent",
            "bluff-body",
            "stratified-shear",
            "curved-shear",
        ),
    ),
    ("Heat", ("convection", "graetz", "composite", "fin", "sphere", "counterflow", "source-window", "exchanger")),
    ("What a flow carries", ("tracer", "particles")),
    ("How sure readings are", ("bands",)),
)
FURTHER = "Further cases"  # what no group names is shown all the same


def group_of(name: str) -> str:
    """The title of the group that names a case best: by the longest of its beginnings."""
    found = [(len(begin), title) for title, begins in GROUPS for begin in begins if name.startswith(begin)]
    return max(found)[1] if found else FURTHER


@cache
def _known() -> dict[str, Any]:
    return json.loads(FIGURES.read_text()) if FIGURES.exists() else {"cases": {}, "speed": []}


def _signed(value: float) -> str:
    return "0" if abs(value) < 1e-9 else f"{value:+.2g}".replace("-", "−")


def shown(case: dict[str, Any]) -> list[dict[str, Any]]:
    """Comparisons with the words that the page has for their tolerance and difference."""
    rows = []
    for c in case["comparisons"]:
        absolute = c["scale"] is not None
        step, allowed = (c["difference"], c["tolerance"]) if absolute else (100 * c["difference"], 100 * c["tolerance"])
        per_cent = "" if absolute else " %"
        rows.append({
            **c,
            "wanted": f"at least {c['reference']:g}" if c["at_least"] else f"{c['reference']:.5g}".replace("-", "−"),
            "found": f"{c['measured']:.5g}".replace("-", "−") if abs(c["measured"]) >= 1e-9 else "0",
            "off": "" if c["at_least"] else _signed(step) + per_cent,
            "allowed": "" if c["at_least"] else f"± {allowed:.3g}{per_cent}",
        })  # fmt: skip
    return rows


@router.get("/evidence")
def evidence() -> HTMLResponse:
    known = _known()["cases"]
    groups: list[dict[str, Any]] = []
    for title in (*(title for title, _ in GROUPS), FURTHER):
        cases = [
            {"name": name, "rows": shown(case), "curves": [graph(c) for c in case["curves"]], "seconds": case["seconds"],
             "passed": all(c["passed"] for c in case["comparisons"])}
            for name, case in known.items() if group_of(name) == title
        ]  # fmt: skip
        if cases:
            groups.append({"title": title, "cases": cases})
    figures = [row for group in groups for case in group["cases"] for row in case["rows"]]
    return render("evidence/page.html", {
        "groups": groups, "count": len(figures), "failed": [r for r in figures if not r["passed"]],
        "cases": sum(len(g["cases"]) for g in groups),
    })  # fmt: skip
