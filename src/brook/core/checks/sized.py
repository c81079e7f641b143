"""The mesh plan of a case on coarser or finer cells: all sizes so many times as large at the same places, and with them the steps in time.

A series of such meshes is similar: where cells grow by g from one to the next, those f times as large grow by gᶠ; layers along walls are as thick together,
with fewer of them. So what a reading changes by from mesh to mesh tells how far it is from where it goes (`results.bands`).
"""

from __future__ import annotations

from copy import copy

from brook.core.study import Resolved


def sized_plan(plan: Resolved, by: float, across: int) -> Resolved:
    """A resolved mesh plan with cells `by` times as large, in so many directions `across`."""
    made = copy(plan)
    made.bulk, made.wall, made.smallest = plan.bulk * by, plan.wall * by, plan.smallest * by
    made.patches = {name: size * by for name, size in plan.patches.items()}
    made.growth = plan.growth**by
    made.per_turn, made.per_gap = plan.per_turn / by, plan.per_gap / by
    made.zones = [_with(zone, size=zone.size * by) for zone in plan.zones]
    made.follows = [_with(f, cells=max(8, round(f.cells / by**across)), least=f.least * by) for f in plan.follows]
    if plan.layers is not None:
        groups = [_sized_layers(group, by) for group in plan.layers.groups]
        made.layers = _with(_sized_layers(plan.layers, by), groups=groups)
    return made


def sized_timing(timing: Resolved, by: float) -> Resolved:
    """Steps `by` times as long, so that errors of cells and of steps shrink together; a number of cells a step stays."""
    return timing if timing.kind == "steady" else _with(timing, step=timing.step * by)


def _with(part: Resolved, **said: object) -> Resolved:
    made = copy(part)
    vars(made).update(said)
    return made


def _sized_layers(group: Resolved, by: float) -> Resolved:
    """Layers that are as thick together, of which there are `by` times fewer."""
    number = max(1, round(group.number / by))
    growth = group.growth ** (group.number / number)
    thinner = _sum(group.growth, group.number) / _sum(growth, number)
    first = group.height if group.height_of == "all" else group.height * thinner
    return _with(group, number=number, growth=growth, height=first, y_plus=group.y_plus * thinner)


def _sum(growth: float, number: int) -> float:
    return float(sum(growth**k for k in range(number)))
