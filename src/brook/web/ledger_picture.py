"""An account as a picture: what comes in on the left, through the bodies, and what leaves on the right, as bands as wide as there is much of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from brook.core.results.ledger import Ledger

WIDTH, WIDE, BAR, GAP, ROOM, LABEL = 420.0, 700.0, 12.0, 10.0, 150.0, 200.0  # ROOM is for the widest column of bands
LEAST, FEW, ASIDE = (
    1.2,
    8,
    30.0,
)  # px of the thinnest band; entries beyond as many are one; px by which what leaves goes aside of what stays


@dataclass
class _Body:
    """A bar in the middle: the column it stands in, and what goes in and out as (word, size, the body it comes from or goes to)."""

    name: str
    column: int = 0
    comes: list[tuple[str, float, str]] = field(default_factory=list)
    goes: list[tuple[str, float, str]] = field(default_factory=list)
    y: float = 0.0

    @property
    def size(self) -> float:
        return max(sum(s for _, s, _ in self.comes), sum(s for _, s, _ in self.goes))


def ledger_picture(ledger: Ledger) -> dict[str, Any] | None:
    """Bars, bands and labels for an SVG; None where nothing passes."""
    bodies: dict[str, _Body] = {}
    for entry in ledger.entries:
        body = bodies.setdefault(entry.body, _Body(entry.body))
        (body.comes if entry.value > 0 else body.goes).append((entry.what, abs(entry.value), ""))
    for one in ledger.passing:
        if one.value > 0:
            bodies.setdefault(one.source, _Body(one.source)).goes.append((one.wall, one.value, one.target))
            bodies.setdefault(one.target, _Body(one.target)).comes.append((one.wall, one.value, one.source))
    order = _columns(bodies)
    if not order or not max(b.size for b in order) > 0:
        return None
    for body in order:
        body.comes, body.goes = _few(body.comes), _few(body.goes)
    columns = 1 + max(b.column for b in order)
    largest = max(sum(b.size for b in order if b.column == k) for k in range(columns))
    return _drawn(order, columns, ROOM / largest)


def _few(parts: list[tuple[str, float, str]]) -> list[tuple[str, float, str]]:
    """The largest first; small ones that come from outside or go there are one when there are many."""
    parts = sorted(parts, key=lambda p: (not p[2], -p[1]))  # what goes between bodies at the top
    outside = [p for p in parts if not p[2]]
    if len(outside) <= FEW:
        return parts
    rest = outside[FEW - 1 :]
    kept = [p for p in parts if p[2] or p in outside[: FEW - 1]]
    return [*kept, (f"{len(rest)} others", sum(s for _, s, _ in rest), "")]


def _columns(bodies: dict[str, _Body]) -> list[_Body]:
    """Each body stands behind all that it gets something from, as far as that does not go round."""
    order = list(bodies.values())
    for _ in range(len(order)):
        for body in order:
            before = [bodies[source].column + 1 for _, _, source in body.comes if source]
            body.column = min(len(order) - 1, max(before, default=0))
    used = sorted({b.column for b in order})
    for body in order:
        body.column = used.index(body.column)
    return order


def _drawn(order: list[_Body], columns: int, scale: float) -> dict[str, Any]:
    wide = WIDE if columns > 1 else WIDTH
    step = (wide - 2 * LABEL - BAR) / max(1, columns - 1) if columns > 1 else 0.0
    left = LABEL if columns > 1 else (wide - BAR) / 2
    at = {b.name: left + b.column * step for b in order}
    height = 0.0
    for k in range(columns):
        y = GAP
        for body in (b for b in order if b.column == k):
            body.y = y
            rows = max(len(body.comes), len(body.goes))
            y += (
                max(body.size * scale, 16.0 * rows)
                + 2 * GAP
                + 12
                + (ASIDE if any(o for _, _, o in body.comes + body.goes) else 0.0)
            )
        height = max(height, y)
    bands: list[dict[str, Any]] = []
    labels: list[dict[str, Any]] = []
    starts: dict[tuple[str, str, str], float] = {}
    for body in order:
        _sides(body, at[body.name], scale, bands, labels, starts)
    for body in order:
        top = body.y + 14
        for what, size, source in body.comes:
            if source:
                thick = max(LEAST, size * scale)
                bands.append(_band(at[source] + BAR, starts[source, body.name, what], at[body.name], top, thick, what))
            top += max(LEAST, size * scale)
    bars = [{"x": at[b.name], "y": b.y + 14, "height": max(2.0, b.size * scale), "name": b.name} for b in order]
    return {
        "width": wide,
        "wide": columns > 1,
        "height": height + GAP,
        "bars": bars,
        "bands": bands,
        "labels": labels,
        "bar": BAR,
    }


def _sides(
    body: _Body, x: float, scale: float, bands: list[dict[str, Any]], labels: list[dict[str, Any]], starts: dict[tuple[str, str, str], float]
) -> None:  # fmt: skip
    """Bands that come from outside or go there, spread so that their labels have room; those to other bodies only begin here."""
    for parts, sign in ((body.comes, -1.0), (body.goes, 1.0)):
        inner, outer = body.y + 14, body.y + 14
        edge = x if sign < 0 else x + BAR
        outer += sum(max(LEAST, size * scale) for _, size, other in parts if other)
        outer += ASIDE if any(other for _, _, other in parts) else 0.0
        for what, size, other in parts:
            thick = max(LEAST, size * scale)
            if other and sign > 0:
                starts[body.name, other, what] = inner
            if not other:
                end = edge + sign * 60
                bands.append(
                    _band(end, outer, edge, inner, thick, what)
                    if sign < 0
                    else _band(edge, inner, end, outer, thick, what)
                )
                labels.append(
                    {
                        "x": end + sign * 4,
                        "y": outer + thick / 2 + 4,
                        "anchor": "end" if sign < 0 else "start",
                        "what": what,
                        "size": size,
                    }
                )
                outer += max(thick, 15.0)
            inner += thick


def _band(x0: float, y0: float, x1: float, y1: float, thick: float, what: str) -> dict[str, Any]:
    """From one place to another, as thick all the way."""
    m = (x0 + x1) / 2
    path = (
        f"M{x0:.1f} {y0:.1f}C{m:.1f} {y0:.1f} {m:.1f} {y1:.1f} {x1:.1f} {y1:.1f}"
        f"V{y1 + thick:.1f}C{m:.1f} {y1 + thick:.1f} {m:.1f} {y0 + thick:.1f} {x0:.1f} {y0 + thick:.1f}Z"
    )
    return {"path": path, "what": what}
