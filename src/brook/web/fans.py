"""Curves of fans and pumps as graphs, and where on them a run came to stand."""

from __future__ import annotations

from math import isfinite
from typing import Any

from brook.core.formulas import FormulaError
from brook.core.study import Resolved
from brook.core.study.of_flow import OfFlow
from brook.core.units import DIMENSIONS, from_si, pretty_unit, sensible_unit, show
from brook.web.graph import graph
from brook.web.state import VariantState

PLACES, LEAST, MOST = 60, 1e-7, 1e4  # flows in m³/s between which the end of a curve is looked for


def fan_graphs(variant: VariantState | None) -> dict[str, dict[str, Any]]:
    """By patch what a template draws of a curve, and in words where a run stands on it that is up to date: another had other curves."""
    if variant is None:
        return {}
    found = {}
    for said in variant.prepared.boundaries:
        if said.kind in ("fan", "exhaust") and isinstance(said.rise, OfFlow) and said.pressure is not None:
            found[said.patch] = fan_graph(said, said.rise, variant.run.summary if variant.run.fresh else None)
    return found


def fan_graph(said: Resolved, rise: OfFlow, summary: dict[str, Any] | None) -> dict[str, Any]:
    """What a template draws of one curve, with the place of the run of a summary on it."""
    point = _point(said, summary)
    end = max(_end(rise), 1.1 * point[0] if point else 0.0)
    line = [(q, value) for q in (k * end / PLACES for k in range(PLACES + 1)) if (value := _value(rise, q)) is not None]
    flow_unit = sensible_unit(DIMENSIONS["volume_flow"], end)
    pressure_unit = sensible_unit(DIMENSIONS["pressure"], max((abs(p) for _, p in line), default=1.0))

    def shown(pairs: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return [(from_si(q, flow_unit), from_si(p, pressure_unit)) for q, p in pairs]

    words = ""
    if point:
        words = f"The run stands at {show(point[0], DIMENSIONS['volume_flow'])} against {show(point[1], DIMENSIONS['pressure'])}."
    return {
        **graph({"line": shown(line) or [(0.0, 0.0)], "points": shown([point] if point else []), "logarithmic": False}),
        "x": f"Q in {pretty_unit(flow_unit)}", "y": f"rise in {pretty_unit(pressure_unit)}", "words": words,
        "title": f"Curve at {said.patch}",
    }  # fmt: skip


def _point(said: Resolved, summary: dict[str, Any] | None) -> tuple[float, float] | None:
    """Flow in m³/s and rise in Pa of a run, None where there is none or this patch had no part in it."""
    if summary is None or said.patch not in summary["flows"]:
        return None
    flow = summary["flows"][said.patch]
    if (
        said.kind == "exhaust"
    ):  # what a run tells is the pressure before the fan, not what it adds: that is on the curve
        rise = _value(said.rise, max(flow, 0.0))
        return None if rise is None else (flow, rise)
    return -flow, summary["mean_pressures"][said.patch] - said.pressure


def _end(rise: OfFlow) -> float:
    """The flow in m³/s at which a curve has come down to nothing, 1 where it never does."""
    rest, flow = _value(rise, 0.0), LEAST
    while flow < MOST and (value := _value(rise, flow)) is not None and rest and value > 0.0:
        flow *= 1.05
    if flow >= MOST:
        return 1.0
    low, high = flow / 1.05, flow
    for _ in range(30):
        middle = (low + high) / 2
        low, high = (middle, high) if (_value(rise, middle) or 0.0) > 0 else (low, middle)
    return low


def _value(rise: OfFlow, flow: float) -> float | None:
    """The rise in Pa, None where there is none that is finite."""
    try:
        found = rise.at(flow)
    except FormulaError:
        return None
    return found if isfinite(found) else None
