"""Accounts as a page shows them: rows, a picture, and in words how far they close."""

from __future__ import annotations

from typing import Any

from brook.core.results.ledger import Ledger
from brook.core.units import DIMENSIONS, Dimension, sensible_unit, show
from brook.web.ledger_picture import ledger_picture

KINDS = {
    "mass": ("Mass", "mass_flow"), "heat": ("Heat", "power"),
    **{axis: (f"Momentum along {axis}", "force") for axis in "xyz"},
}  # fmt: skip
CLOSED = 1e-3  # of what passes


def accounts_shown(found: dict[str, Ledger]) -> list[dict[str, Any]]:
    """What a page shows of accounts by what they are of, in one unit each."""
    return [_shown(ledger, *KINDS[kind]) for kind, ledger in found.items() if ledger.entries or ledger.passing]


def _shown(ledger: Ledger, title: str, kind: str) -> dict[str, Any]:
    dimension = DIMENSIONS[kind]
    unit = sensible_unit(dimension, ledger.moved)

    def text(value: float) -> str:
        return show(value, dimension, unit)

    picture = ledger_picture(ledger)
    for label in picture["labels"] if picture else ():
        label["words"] = text(label["size"])
    rows = [
        {"what": e.what, "body": e.body, "comes": text(e.value) if e.value > 0 else "", "goes": text(-e.value) if e.value < 0 else ""}
        for e in sorted(ledger.entries, key=lambda e: -abs(e.value))
    ]  # fmt: skip
    walls = [{"what": p.wall, "way": f"{p.source} to {p.target}", "size": text(p.value)} for p in ledger.passing]
    comes = sum(e.value for e in ledger.entries if e.value > 0)
    goes = -sum(e.value for e in ledger.entries if e.value < 0)
    words, says = _closure(ledger, dimension)
    return {
        "title": title,
        "picture": picture,
        "rows": rows,
        "walls": walls,
        "comes": text(comes),
        "goes": text(goes),
        "words": words,
        "says": says,
    }


def _closure(ledger: Ledger, dimension: Dimension) -> tuple[str, str]:
    """How far an account closes: short, and in a sentence."""
    if ledger.closes is None:
        if ledger.balanced:
            return (
                "",
                "What stands or acts within, and weight, is what is left of all patches; it cannot be told apart from what does not close.",
            )
        return (
            f"{show(abs(ledger.left), dimension)} {'stored' if ledger.left > 0 else 'given up'}",
            "In time, what comes in more than goes out is stored.",
        )
    share = f"closes to {ledger.closes:.1e} of what passes" if ledger.closes > 1e-15 else "closes"
    if ledger.closes > CLOSED:
        return (
            f"does not close: {100 * ledger.closes:.2g} %",
            f"{show(abs(ledger.left), dimension)} {'come in and do not leave' if ledger.left > 0 else 'leave and do not come in'}: the run is not at its end, or a source is not written down.",
        )
    return share, f"What comes in is what leaves: it {share}."
