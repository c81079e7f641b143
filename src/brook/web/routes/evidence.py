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
    ("Flow in channels and pipes", ("channel", "pipe", "sheared", "taylor-couette")),
    ("Closed and open flows", ("cavity", "cylinder", "flat-plate")),
    ("Orders of accuracy", ("manufactured", "taylor-green")),
    ("Heat", ("convection", "graetz", "composite", "fin", "sphere", "counterflow")),
)


@cache
def _known() -> dict[str, Any]:
    return json.loads(FIGURES.read_text()) if FIGURES.exists() else {"cases": {}, "speed": []}


def shown(case: dict[str, Any]) -> list[dict[str, Any]]:
    """Comparisons with the words that the page has for their tolerance and difference."""
    rows = []
    for c in case["comparisons"]:
        absolute = c["scale"] is not None or c["at_least"]
        rows.append({
            **c,
            "wanted": f"at least {c['reference']:g}" if c["at_least"] else f"{c['reference']:.5g}",
            "found": f"{c['measured']:.5g}" if abs(c["measured"]) >= 1e-9 else "0",
            "off": "" if c["at_least"] else f"{c['difference']:+.2g}" if absolute else f"{100 * c['difference']:+.2g} %",
            "allowed": "" if c["at_least"] else f"± {c['tolerance']:g}" if absolute else f"± {100 * c['tolerance']:g} %",
        })  # fmt: skip
    return rows


@router.get("/evidence")
def evidence() -> HTMLResponse:
    known = _known()["cases"]
    groups: list[dict[str, Any]] = []
    for title, begins in GROUPS:
        cases = [
            {"name": name, "rows": shown(case), "curves": [graph(c) for c in case["curves"]], "seconds": case["seconds"],
             "passed": all(c["passed"] for c in case["comparisons"])}
            for name, case in known.items() if name.startswith(begins)
        ]  # fmt: skip
        if cases:
            groups.append({"title": title, "cases": cases})
    figures = [row for group in groups for case in group["cases"] for row in case["rows"]]
    return render("evidence/page.html", {
        "groups": groups, "count": len(figures), "failed": [r for r in figures if not r["passed"]],
        "cases": sum(len(g["cases"]) for g in groups),
    })  # fmt: skip
