"""What is known of a sweep as plain numbers for a template: a reading over one value, or over two of them with the samples."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.spatial import Delaunay, QhullError

from brook.core.results.pictures.colours import coloured
from brook.core.results.readings import unit_of_number
from brook.core.stages.readings import dimension_of_reading
from brook.core.study.sweeps import PARTS
from brook.core.sweeping import response, shares_of_variance
from brook.core.units import Dimension, pretty_unit, scale_of, sensible_unit
from brook.web.graph import marks, word
from brook.web.series_picture import limits_of
from brook.web.sweeps import Sample, Swept

WIDTH, HEIGHT = 560.0, 330.0
LEFT, RIGHT, TOP, BOTTOM = 64.0, 16.0, 14.0, 44.0
LEGEND = 70.0
FINE = 36  # pieces of a surface along each axis


class Axis:
    """A swept value along an axis, in its unit, from 0 to 1 of its way."""

    def __init__(self, swept: Swept, k: int):
        self.k, self.name = k, swept.sweep.values[k].name
        place = [PARTS // 2] * len(swept.sweep.values)
        ends = []
        for share in (0, PARTS):
            place[k] = share
            ends.append(swept.value(k, tuple(place)) or (0.0, Dimension()))
        dimension = ends[0][1]
        size = max(abs(ends[0][0]), abs(ends[1][0]))
        unit = (unit_of_number(size) if dimension.is_none else sensible_unit(dimension, size)) or ""
        factor, shift = scale_of(unit) if unit else (1.0, 0.0)
        self.low, self.high = (end[0] * factor + shift for end in ends)
        self.title = f"{self.name.replace('_', ' ')}{f', {pretty_unit(unit)}' if unit else ''}"

    @property
    def marks(self) -> list[tuple[float, str]]:
        """Round marks within the way, by share of it."""
        span = self.high - self.low
        if not span:
            return []
        return [((m - self.low) / span, word(m, False)) for m in marks([self.low, self.high], False)[2] if -1e-9 <= (m - self.low) / span <= 1 + 1e-9]  # fmt: skip


class Readings:
    """A requirement over the samples of a sweep, each at its worst operating point, in its unit."""

    def __init__(self, swept: Swept, k: int):
        self.requirement = swept.state.study.requirements[k]
        name = self.requirement.name
        self.samples = [s for s in swept.done if name in s.standing.values]
        prepared = self.samples[0].cases[0].prepared if self.samples else None
        dimension = dimension_of_reading(self.requirement, prepared) if prepared is not None else None
        raw = [s.standing.values[name][0] for s in self.samples]
        size = max((abs(v) for v in raw), default=1.0)
        unit = self.requirement.shown_in or ""
        if not unit and dimension is not None:
            unit = (unit_of_number(size) if dimension.is_none else sensible_unit(dimension, size)) or ""
        factor, shift = scale_of(unit) if unit else (1.0, 0.0)
        self.values = np.array([v * factor + shift for v in raw])
        self.halves = [s.standing.halves.get(name, 0.0) * factor for s in self.samples]
        limits = limits_of(self.requirement, prepared) if prepared is not None else []
        self.limits = [v * factor + shift for v in limits]
        self.at = swept.shares(self.samples) if self.samples else np.zeros((0, len(swept.sweep.values)))
        self.title = f"{self.requirement.title}{f', {pretty_unit(unit)}' if unit else ''}"


def over_one(swept: Swept, k: int, axis: int) -> dict[str, Any] | None:
    """A reading over a swept value, with the bands of samples; through them a smooth line where this is the only value."""
    told, along = Readings(swept, k), Axis(swept, axis)
    if not len(told.values):
        return None
    ends = [v + sign * half for v, half in zip(told.values, told.halves, strict=True) for sign in (-1, 1)]
    room = (max(ends) - min(ends)) or abs(ends[0]) or 1.0
    near = [v for v in told.limits if min(ends) - room <= v <= max(ends) + room]
    up = marks([*ends, *near], False)
    right, bottom = WIDTH - RIGHT, HEIGHT - BOTTOM

    def at(share: float, value: float) -> tuple[float, float]:
        return LEFT + (right - LEFT) * share, bottom - (bottom - TOP) * (value - up[0]) / (up[1] - up[0])

    line = ""
    surface = response(told.at, told.values) if len(swept.sweep.values) == 1 else None
    if surface is not None:
        shares = np.linspace(told.at.min(), told.at.max(), 80)
        line = " ".join(
            "{:.1f},{:.1f}".format(*at(s, v)) for s, v in zip(shares, surface(shares[:, None]), strict=True)
        )
    dots = [
        {"x": at(share, 0)[0], "y": at(share, value)[1], "top": at(share, value + half)[1], "end": at(share, value - half)[1],
         "half": half, **_of(swept, s)}
        for s, share, value, half in zip(told.samples, told.at[:, axis], told.values, told.halves, strict=True)
    ]  # fmt: skip
    return _frame(told, along.title, told.title) | {
        "dots": dots, "line": line, "limits": [at(0, v)[1] for v in near], "right": right, "bottom": bottom,
        "across": [(at(s, 0)[0], w) for s, w in along.marks], "up": [(at(0, m)[1], word(m, False)) for m in up[2]],
    }  # fmt: skip


def over_two(swept: Swept, k: int, first: int, second: int) -> dict[str, Any] | None:
    """A reading over two swept values as a surface through the samples, others at those of the best one; with what lies on a limit."""
    told, across, along = Readings(swept, k), Axis(swept, first), Axis(swept, second)
    surface = response(told.at, told.values) if len(told.values) else None
    right, bottom = WIDTH - RIGHT - LEGEND, HEIGHT - BOTTOM

    def at(x: float, y: float) -> tuple[float, float]:
        return LEFT + (right - LEFT) * x, bottom - (bottom - TOP) * y

    dots = [
        {"x": at(*s)[0], "y": at(*s)[1], "half": 0.0, **_of(swept, one)}
        for one, s in zip(told.samples, told.at[:, [first, second]], strict=True)
    ]
    found = _frame(told, across.title, along.title) | {
        "dots": dots, "cells": [], "limits": [], "legend": [], "right": right, "bottom": bottom,
        "across": [(at(s, 0)[0], w) for s, w in across.marks], "up": [(at(0, s)[1], w) for s, w in along.marks],
    }  # fmt: skip
    if surface is None:
        return found if dots else None
    best = swept.best
    base = np.array(best.place if best else [PARTS // 2] * len(swept.sweep.values), float) / PARTS
    edges = np.linspace(0, 1, FINE + 1)
    x, y = np.meshgrid(edges, edges, indexing="ij")
    places = np.tile(base, (x.size, 1))
    places[:, first], places[:, second] = x.ravel(), y.ravel()
    values = surface(places).reshape(x.shape)
    middle_at = (edges[:-1] + edges[1:]) / 2
    centres = np.tile(base, (FINE * FINE, 1))
    centres[:, first], centres[:, second] = np.repeat(middle_at, FINE), np.tile(middle_at, FINE)
    within = is_within(told.at, centres).reshape(FINE, FINE)
    if not within.any():
        return found
    middle = (values[:-1, :-1] + values[1:, :-1] + values[:-1, 1:] + values[1:, 1:]) / 4
    low, high = float(middle[within].min()), float(middle[within].max())
    span = (high - low) or 1.0
    colours = [_colour(v) for v in ((middle - low) / span).ravel()]
    width, height = (right - LEFT) / FINE, (bottom - TOP) / FINE
    found["cells"] = [
        {"x": LEFT + width * i, "y": bottom - height * (j + 1), "w": width + 0.4, "h": height + 0.4, "c": colours[i * FINE + j]}
        for i in range(FINE) for j in range(FINE) if within[i, j]
    ]  # fmt: skip
    found["limits"] = [
        "M{:.1f},{:.1f}L{:.1f},{:.1f}".format(*at(*a), *at(*b)) for limit in told.limits for a, b in level_lines(edges, values, limit)
        if within[min(int(a[0] * FINE), FINE - 1), min(int(a[1] * FINE), FINE - 1)]
    ]  # fmt: skip
    step = (bottom - TOP) / 5
    found["legend"] = [
        {
            "y": TOP + step * n,
            "h": step,
            "c": _colour(1 - (n + 0.5) / 5),
            "word": word(high - span * (n + 0.5) / 5, False),
        }
        for n in range(5)
    ]
    return found


def is_within(at: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Whether places (m, d) lie between samples (n, d): beyond them a surface is no more than a guess."""
    try:
        return np.asarray(Delaunay(at).find_simplex(places, tol=1e-6) >= 0)
    except QhullError:
        return np.zeros(len(places), bool)


def level_lines(
    edges: np.ndarray, values: np.ndarray, level: float
) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Pieces of the lines on which values (n, n) at crossings of edges have a level."""
    found = []
    for i in range(len(edges) - 1):
        for j in range(len(edges) - 1):
            corners = [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)]
            cuts = []
            for a, b in zip(corners, [*corners[1:], corners[0]], strict=True):
                va, vb = values[a] - level, values[b] - level
                if (va < 0) != (vb < 0):
                    t = va / (va - vb)
                    cuts.append(
                        (edges[a[0]] + t * (edges[b[0]] - edges[a[0]]), edges[a[1]] + t * (edges[b[1]] - edges[a[1]]))
                    )
            found += [(cuts[n], cuts[n + 1]) for n in range(0, len(cuts) - 1, 2)]
    return found


def influence(swept: Swept) -> list[dict[str, Any]]:
    """Of each requirement the share of its spread that each value makes by itself, in per cent."""
    found = []
    for k in range(len(swept.state.study.requirements)):
        told = Readings(swept, k)
        surface = response(told.at, told.values) if len(told.values) else None
        if surface is None or not float(np.ptp(told.values)):
            continue
        shares = shares_of_variance(surface, told.at.shape[1])
        named = sorted(zip((v.name for v in swept.sweep.values), shares, strict=True), key=lambda f: -f[1])
        found.append({"title": told.requirement.title, "shares": [(n.replace("_", " "), 100 * s) for n, s in named],
                      "together": max(0.0, 100 * (1 - sum(shares)))})  # fmt: skip
    return found


def _colour(share: float) -> str:
    r, g, b = (round(float(v)) for v in 255 * np.ravel(coloured(np.array([share]), "even"))[:3])
    return f"#{r:02x}{g:02x}{b:02x}"


def _of(swept: Swept, sample: Sample) -> dict[str, Any]:
    best = swept.best
    return {
        "title": sample.standing.title,
        "name": sample.name,
        "holds": not sample.standing.failures,
        "best": best is not None and best.place == sample.place,
    }


def _frame(told: Readings, x: str, y: str) -> dict[str, Any]:
    return {
        "cells": [],
        "legend": [],
        "width": WIDTH,
        "height": HEIGHT,
        "left": LEFT,
        "top": TOP,
        "x_title": x,
        "y_title": y,
        "title": told.title,
    }
