"""What of periodic pairs would keep a study from running, at its place, and which patches belong to them."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.checks.context import Context
from brook.core.geometry.plane import PlaneShape
from brook.core.mesh.pairs import Motion, Pair
from brook.core.study import Problem, Resolved

CLOSE = 1e-6  # of the size of a shape: how far the middle of a side may be off its partner


def pairs_in(plan: Resolved, names: tuple[str, ...]) -> list[Pair]:
    """The periodic pairs that a plan wants of some patches; those that are not all evaluated are left out."""
    found = []
    for pair in plan.pairs:
        at = (pair.x, pair.y, pair.z)
        angle = pair.angle if pair.kind == "turn" else 0.0
        if pair.patch in names and None not in (*at, angle):
            motion = Motion.shifted(at) if pair.kind == "shift" else Motion.turned(pair.axis, angle, at)
            found.append(Pair(pair.patch, motion))
    return found


def partner_in(shape: PlaneShape, pair: Pair) -> str:
    """The patch of a plane shape that another lies on after a motion, nothing where there is none."""
    edges = shape.edges()
    one = next(e for e in edges if e.patch == pair.patch)
    x, y = pair.motion.places(np.array([[0.5 * (one.x0 + one.x1), 0.5 * (one.y0 + one.y1), 0.0]]))[0, :2]
    size = float(np.hypot(np.ptp(shape.x), np.ptp(shape.y)))
    for edge in edges:
        along = np.array([edge.x1 - edge.x0, edge.y1 - edge.y0])
        from_start = np.array([x - edge.x0, y - edge.y0])
        share = np.clip(from_start @ along / (along @ along), 0.0, 1.0)
        if edge.patch != pair.patch and np.linalg.norm(from_start - share * along) <= CLOSE * size:
            return str(edge.patch)
    return ""


def pair_problems(c: Context) -> list[Problem]:
    """What is said of a paired patch that has no place there, what is to be driven without a pair, and what has no end."""
    variant, plan = c.variant, c.plan
    if c.patches is None:
        return []
    pairs = pairs_in(plan, c.patches)
    turned = {p.patch for p in plan.pairs if p.kind == "turn"}
    of = {p.patch: partner_in(c.shape, p) if c.shape is not None else "" for p in pairs}
    partners = {other: patch for patch, other in of.items() if other}
    problems = [
        Problem(
            f"/mesh_plan/pairs/{k}/{'x' if pair.kind == 'shift' else 'angle'}",
            f"{pair.patch} lies on no other patch when it is {'moved' if pair.kind == 'shift' else 'turned'} so",
            "missing",
            variant.name,
        )
        for k, pair in enumerate(plan.pairs)
        if c.shape is not None and of.get(pair.patch) == ""
    ]
    for k, said in c.said:
        at = f"/set_up/boundaries/{k}/patch"
        message = ""
        if said.kind == "periodic" and said.patch not in of and said.patch in c.patches:
            hint = (
                f"say it of {partners[said.patch]}, its partner"
                if said.patch in partners
                else "say first on Mesh where it lies when it is moved, as a periodic pair"
            )
            message = f"{said.patch} is driven as a periodic pair; {hint}"
        elif said.kind == "periodic" and said.patch in turned and said.drive != "none":
            message = f"{said.patch} is turned onto its partner, and no drop of pressure drives a flow round; let a wall or another pair drive it"
        elif said.kind != "periodic" and (said.patch in of or said.patch in partners):
            message = f"what leaves by the other side comes in again through {said.patch}, a periodic pair (Mesh): take this out, or the pair"
        if message:
            problems.append(Problem(at, message, "missing", variant.name))
    if pairs and plan.layers is not None and not plan.layers.patches:
        message = "say along which walls layers stand: patches of periodic pairs are none"
        problems.append(Problem("/mesh_plan/layers", message, "missing", variant.name))
    return problems + _of_heat(c, of, partners)


def _of_heat(c: Context, of: dict[str, str], partners: dict[str, str]) -> list[Problem]:
    study, heat, problems = c.study, c.study.set_up.heat, []
    if heat is None:
        return []
    for k, said in enumerate(heat.patches):
        at, message = f"/set_up/heat/patches/{k}/patch", ""
        if said.kind == "returning" and said.patch not in of and said.patch in (c.patches or ()):
            message = f"nothing comes in again through {said.patch}: it is no patch of a periodic pair (Mesh)"
        elif said.kind != "returning" and (said.patch in of or said.patch in partners):
            message = (
                f"{said.patch} is one of a periodic pair: say only of its patch at what temperature heat comes in again"
            )
        elif said.kind == "returning" and study.set_up.timing.kind != "steady":
            message = "heat is brought back to a temperature in steady flows only; in time it comes in as it left"
        elif said.kind == "returning":
            message = _not_brought_back(c, said, k)
        if message:
            problems.append(Problem(at, message, "missing", c.variant.name))
    open_kinds = {"temperature", "film", "returning"}
    opened = any(b.role in ("inflow", "outflow") for b in study.set_up.boundaries)
    steady, heats = study.set_up.timing.kind == "steady", bool(heat.patches or heat.sources)
    if of and steady and heats and not opened and not any(p.kind in open_kinds for p in heat.patches):
        message = "heat that goes round has no way out: say at what temperature it comes in again through a pair, or cool a wall"
        problems.append(Problem("/set_up/heat/patches", message, "missing", c.variant.name))
    return problems


def _not_brought_back(c: Context, said: Any, k: int) -> str:
    """Why heat cannot be brought back to a temperature as the k-th statement of a patch says it, nothing if it can."""
    heat = c.study.set_up.heat
    assert heat is not None
    if heat.buoyancy != "none" or heat.varying:
        return (
            "where heat is brought back to a temperature at a periodic pair, weight and properties may not depend on it: they "
            "would not be periodic; take out buoyancy and varying properties, or what is said of the pair"
        )
    values = c.set_up.heat.patches[k] if c.set_up.heat is not None else None
    if said.way == "scale" and values is not None and values.about is not None and values.about == values.temperature:
        return f"what comes in again through {said.patch} is as warm as the walls it is scaled about; choose another temperature"
    return ""
