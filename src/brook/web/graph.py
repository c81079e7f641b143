"""A small graph as plain numbers for a template: a line beside points, on axes with a few round marks."""

from __future__ import annotations

import math
from typing import Any

WIDTH, HEIGHT = 400.0, 210.0
LEFT, RIGHT, TOP, BOTTOM = 58.0, 12.0, 10.0, 40.0


def graph(curve: dict[str, Any]) -> dict[str, Any]:
    """What `templates/evidence/page.html` draws of a curve of `core/verification`."""
    logarithmic = curve["logarithmic"]
    line, points = ([tuple(p) for p in curve[name]] for name in ("line", "points"))
    if logarithmic:
        line, points = ([(math.log10(x), math.log10(y)) for x, y in part if x > 0 and y > 0] for part in (line, points))
    across, up = (marks([p[k] for p in line + points], logarithmic) for k in (0, 1))

    def place(p: tuple[float, float]) -> str:
        x = LEFT + (WIDTH - LEFT - RIGHT) * (p[0] - across[0]) / (across[1] - across[0])
        y = HEIGHT - BOTTOM - (HEIGHT - TOP - BOTTOM) * (p[1] - up[0]) / (up[1] - up[0])
        return f"{x:.1f},{y:.1f}"

    def ticks(axis: tuple[float, float, list[float]], horizontal: bool) -> list[tuple[str, str]]:
        found = []
        for mark in axis[2]:
            x, y = place((mark, up[0]) if horizontal else (across[0], mark)).split(",")
            found.append((x if horizontal else y, word(mark, logarithmic)))
        return found

    return {
        **curve, "path": " ".join(place(p) for p in line), "places": [place(p).split(",") for p in points],
        "across": ticks(across, True), "up": ticks(up, False), "width": WIDTH, "height": HEIGHT, "left": LEFT, "top": TOP,
        "right": WIDTH - RIGHT, "bottom": HEIGHT - BOTTOM,
    }  # fmt: skip


def marks(values: list[float], logarithmic: bool) -> tuple[float, float, list[float]]:
    """Ends of an axis and its marks: whole decades, or about five round numbers."""
    low, high = min(values), max(values)
    if logarithmic:
        marks = [float(k) for k in range(math.floor(low), math.ceil(high) + 1)]
        return marks[0], marks[-1], marks
    span = (high - low) or abs(high) or 1.0
    raw = span / 4
    size = 10 ** math.floor(math.log10(raw))
    step = next(size * k for k in (1, 2, 5, 10) if size * k >= raw)
    first, last = math.floor(low / step + 1e-9), math.ceil(high / step - 1e-9)
    if first == last:  # values that are all alike, on a mark
        first, last = first - 1, last + 1
    marks = [step * k for k in range(first, last + 1)]
    return marks[0], marks[-1], marks


def word(mark: float, logarithmic: bool) -> str:
    """A mark as it stands on an axis."""
    value = 10**mark if logarithmic else mark
    return "0" if abs(value) < 1e-12 else f"{value:.3g}".replace("e+0", "e").replace("e-0", "e-")
