"""What pages say and draw of what stands or acts within the fluid."""

from __future__ import annotations

from math import cos, hypot, pi, sin
from typing import Any

from brook.core.physics.within.porous import coefficients, fitted
from brook.core.physics.within.screen import loss_of
from brook.core.study.regions import REGIONS
from brook.core.study.within import CALLED, KINDS
from brook.core.units import DIMENSIONS, powered, round_text, show
from brook.web.drawing import Drawing
from brook.web.state import StudyState, VariantState

REGION_WORDS = {"everywhere": "everywhere", "body": "in", "box": "in a box", "ball": "in a ball", "cylinder": "in a cylinder"}  # fmt: skip
ROUND = 48  # corners of a disc
PASSING = 1.0  # m/s, at which a porous body and a screen are told by what they take


def within_shown(state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    """What the sheet needs of them."""
    said = state.study.set_up.within
    pools = [b for s in state.study.set_up.scalars for b in getattr(s, "begins", ())]
    flat = variant is None or variant.variant.geometry.kind == "plane"
    bodies = list(variant.prepared.places.bodies) if variant else []
    regions = [k.model_fields["kind"].default for k in REGIONS]
    tables = [(name, name) for name in state.study.tables]
    return {
        "flat": flat,
        "within_kinds": [(k.model_fields["kind"].default, k.words) for k in KINDS],
        "within_called": [f"{s.called} {k + 1}" for k, s in enumerate(said)],
        "within_said": [_numbers(state, variant, k) for k in range(len(said))],
        "region_kinds": [
            (k, "in a disc" if flat and k == "ball" else "in a strip" if flat and k == "cylinder" else REGION_WORDS[k])
            for k in regions if k != "body" or len(bodies) > 1 or any(s.where.kind == "body" for s in [*said, *pools])
        ],
        "body_choices": [(name, name) for name in bodies],
        "measured_choices": [("", "not measured"), *tables],
        "tracer_choices": [(s.name, s.title) for s in state.study.set_up.scalars if s.kind == "tracer"],
    }  # fmt: skip


def _numbers(state: StudyState, variant: VariantState | None, k: int) -> str:
    """What a statement comes to; empty where that cannot be known."""
    if variant is None or k >= len(variant.prepared.within) or variant.prepared.fluid is None:
        return ""
    said, fluid, pressure = variant.prepared.within[k], variant.prepared.fluid, DIMENSIONS["pressure"]
    if None in vars(said).values():
        return ""
    try:
        if said.kind == "screen":
            loss = loss_of(said)
            words = f"ζ = {round_text(loss, 3)}; at {PASSING:g} m/s it takes {show(loss * fluid.density * PASSING**2 / 2, pressure)}"
            return words + {
                "plate": " (Idelchik 1966, sharp holes)", "wires": " (Idelchik 1966, wires)", "number": ""
            }[said.of]  # fmt: skip
        if said.kind != "porous":
            return ""
        table = state.study.tables[said.measured].known() if said.measured else None
        linear, square = coefficients(said, fluid.viscosity, fluid.density, table)
        words = f"at {PASSING:g} m/s it takes {show(linear * PASSING + square * PASSING**2, pressure)} for each metre"
        if table is None:
            return words
        found = f"κ = {powered(fluid.viscosity / linear)} m²" if linear else "no part in proportion to the speed"
        miss = fitted(table, said.thick).miss
        return f"fitted: {found}, c = {round_text(2 * square / fluid.density, 3)} /m, off by {100 * miss:.2g} % of the largest pressure at most; {words}"
    except (KeyError, ValueError):
        return ""  # told at its place


def mark_within(drawn: Drawing, variant: VariantState) -> None:
    """Puts shapes and screens onto a drawing."""
    shape = variant.prepared.shape
    for said in variant.prepared.within:
        region = said.where
        if shape is None or None in (*vars(said).values(), *vars(region).values()):
            continue
        if said.kind in ("screen", "blower"):
            along, across = ("y", "x") if said.axis == "x" else ("x", "y")
            every = getattr(shape, along)
            low, high = float(every.min()), float(every.max())
            if region.kind == "box":
                size = region.depth if along == "y" else region.width
                low, high = max(low, getattr(region, along)), min(high, getattr(region, along) + size)
            ends = [{along: end, across: said.at} for end in (low, high)]
            path = _path(drawn, [(end["x"], end["y"]) for end in ends])
            drawn.regions.append(("line", path, said.kind, CALLED[said.kind]))
        elif (corners := _outline(region)) is not None:
            drawn.regions.append(("area", _path(drawn, corners) + "Z", said.kind, CALLED[said.kind]))


def _outline(region: Any) -> list[tuple[float, float]] | None:
    """Corners in m of a shape in a drawing, None of what has none."""
    if region.kind == "box":
        right, top = region.x + region.width, region.y + region.depth
        return [(region.x, region.y), (right, region.y), (right, top), (region.x, top)]
    if region.kind == "ball":
        turns = [2 * pi * k / ROUND for k in range(ROUND)]
        return [(region.x + region.diameter / 2 * cos(a), region.y + region.diameter / 2 * sin(a)) for a in turns]
    if region.kind == "cylinder":
        along_x, along_y = region.end_x - region.x, region.end_y - region.y
        half = region.diameter / 2 / max(hypot(along_x, along_y), 1e-12)
        aside = (-along_y * half, along_x * half)
        ends = ((region.x, region.y, 1), (region.end_x, region.end_y, 1), (region.end_x, region.end_y, -1), (region.x, region.y, -1))  # fmt: skip
        return [(x + side * aside[0], y + side * aside[1]) for x, y, side in ends]
    return None


def _path(drawn: Drawing, places: list[tuple[float, float]]) -> str:
    """Through places in m."""
    at = [(drawn.left + (x - drawn.x0) * drawn.scale, drawn.top + (drawn.y0 - y) * drawn.scale) for x, y in places]
    return "M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in at)
