"""Two readings of all variants against each other, at their worst operating points, with the front of those that nothing beats, as plain numbers for a template."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.answer import BETTER, Standing, unbeaten
from brook.core.checks import Prepared
from brook.core.results.readings import unit_of_number
from brook.core.stages.readings import dimension_of_reading
from brook.core.study import Requirement
from brook.core.units import pretty_unit, scale_of, sensible_unit
from brook.web.graph import marks
from brook.web.series_picture import limits_of
from brook.web.state import StudyState

WIDTH, HEIGHT = 620.0, 330.0
LEFT, RIGHT, TOP, BOTTOM = 66.0, 120.0, 14.0, 44.0
LINE = 13.0  # height of a label
FEW, BESIDE = (
    6,
    190.0,
)  # dots that have their names at them; names of more stand in a column so wide, each with a line to its dot


def against(state: StudyState, x: str, y: str) -> dict[str, Any] | None:
    """What `compare/against.html` draws of two requirements by their names, the first two where these are not there; None for fewer than two requirements."""
    asked = state.study.requirements
    names = [r.name for r in asked]
    if len(names) < 2:
        return None
    x = x if x in names else names[0]
    y = y if y in names and y != x else next(n for n in names if n != x)
    known = [s for s in state.standings if x in s.values and y in s.values]
    with_both = {s.variant for s in known}
    prepared = next((v.prepared for v in state.variants if v.of in with_both), None)
    axes = [
        _axis(
            asked[names.index(name)],
            [s.values[name][0] for s in known],
            [s.halves.get(name, 0.0) for s in known],
            prepared,
        )
        for name in (x, y)
    ]
    found: dict[str, Any] = {
        "x": x, "y": y, "missing": [s.title for s in state.standings if s not in known],
        "choices": [(r.name, r.title) for r in asked], "dots": [], "ways": [axes[0]["way"], axes[1]["way"]],
        "x_title": axes[0]["title"], "y_title": axes[1]["title"],
    }  # fmt: skip
    return found | _drawn(known, axes) if len(known) > 1 else found


def _axis(
    requirement: Requirement, values: list[float], halves: list[float], prepared: Prepared | None
) -> dict[str, Any]:
    """How values of a requirement are shown, which way is better, and where its limits are."""
    dimension = dimension_of_reading(requirement, prepared) if prepared else None
    size = max((abs(v) for v in values), default=1.0)
    unit = requirement.shown_in or ""
    if not unit and dimension is not None:
        unit = unit_of_number(size) if dimension.is_none else sensible_unit(dimension, size)
    factor, shift = scale_of(unit) if unit else (1.0, 0.0)
    limits = limits_of(requirement, prepared) if prepared is not None else []
    way = BETTER.get(requirement.limit.kind, 0)
    better = {1: ", more is better", -1: ", less is better"}.get(way, "")
    return {
        "title": f"{requirement.title}{f', {pretty_unit(unit)}' if unit else ''}{better}", "way": way,
        "values": [v * factor + shift for v in values], "halves": [h * factor for h in halves], "limits": [v * factor + shift for v in limits],
    }  # fmt: skip


def _drawn(known: list[Standing], axes: list[dict[str, Any]]) -> dict[str, Any]:
    ends = [_ends(axis) for axis in axes]
    many = len(known) > FEW
    right, bottom = WIDTH - (BESIDE if many else RIGHT), HEIGHT - BOTTOM

    def across(value: float) -> float:
        return LEFT + (right - LEFT) * (value - ends[0][0]) / (ends[0][1] - ends[0][0])

    def up(value: float) -> float:
        return bottom - (bottom - TOP) * (value - ends[1][0]) / (ends[1][1] - ends[1][0])

    pairs = list(zip(axes[0]["values"], axes[1]["values"], strict=True))
    ways = (axes[0]["way"], axes[1]["way"])
    front = unbeaten(pairs, ways) if all(ways) else [False] * len(pairs)
    dots: list[dict[str, Any]] = []
    taken: list[tuple[float, float]] = []
    for k in sorted(range(len(pairs)), key=lambda k: pairs[k][1]):
        one = known[k]
        x, y = across(pairs[k][0]), up(pairs[k][1])
        label = y
        while any(abs(label - b) < LINE and (many or abs(x - a) < RIGHT) for a, b in taken):
            label -= 1.0
        taken.append((x, label))
        dots.append({
            "x": x, "y": y, "wide": _half(axes[0], k, across), "high": _half(axes[1], k, up), "label": label, "label_x": right + 14 if many else x + 9, "title": one.title, "name": one.variant, "front": front[k],
            "holds": not one.failures, "fresh": one.is_decided or one.ended,
        })  # fmt: skip
    if (
        many and dots and (over := TOP + LINE / 2 - min(d["label"] for d in dots)) > 0
    ):  # the column has grown over the top
        for d in dots:
            d["label"] += over
    chain = sorted((across(a), up(b)) for (a, b), on in zip(pairs, front, strict=True) if on)
    return {
        "width": WIDTH, "height": HEIGHT, "left": LEFT, "top": TOP, "right": right, "bottom": bottom, "dots": dots, "many": many,
        "front": " ".join(f"{a:.1f},{b:.1f}" for a, b in chain) if len(chain) > 1 else "",
        "across": [(across(m), _mark(m)) for m in ends[0][2]], "up": [(up(m), _mark(m)) for m in ends[1][2]],
        "limits_x": [across(v) for v in axes[0]["limits"] if ends[0][0] <= v <= ends[0][1]],
        "limits_y": [up(v) for v in axes[1]["limits"] if ends[1][0] <= v <= ends[1][1]],
    }  # fmt: skip


def _half(axis: dict[str, Any], k: int, place: Callable[[float], float]) -> float:
    """Half a band as it is drawn."""
    value, half = axis["values"][k], axis["halves"][k]
    return abs(place(value + half) - place(value))


def _ends(axis: dict[str, Any]) -> tuple[float, float, list[float]]:
    """Of values, and of limits that lie near them."""
    low, high = min(axis["values"]), max(axis["values"])
    room = (high - low) or abs(high) or 1.0
    near = [v for v in axis["limits"] if low - room <= v <= high + room]
    bands = [v + sign * h for v, h in zip(axis["values"], axis["halves"], strict=True) for sign in (-1, 1)]
    return marks([*bands, *near], False)


def _mark(value: float) -> str:
    return f"{value:.6g}" if abs(value) > 1e-12 else "0"
