"""Questions to the result reader about accounts: what goes in and out, of mass, heat and momentum."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from brook.core.results.ledger import Ledger, heat_ledger, mass_ledger, momentum_ledger
from brook.core.solve.put import Put
from brook.runs.readout import Source, loaded, prepared_of


def ledgers(source: Source, put: list[list[Any]]) -> dict[str, Ledger]:
    """By what they are of: `mass`, `heat` where temperatures are computed, `x`, `y` and in space `z` of momentum; `put` is what a run wrote down of heat that did
    not come through patches."""
    fields, prepared = loaded(source).fields, prepared_of(source)
    in_time = prepared.timing.kind == "in_time"
    found = {"mass": mass_ledger(fields)}
    heat = heat_ledger(fields, [Put(*one) for one in put], in_time)
    if heat is not None:
        found["heat"] = heat
    lifted = prepared.heat is not None and prepared.heat.buoyancy != "none"
    acts = (
        lifted
        or prepared.frame is not None
        or any(w.kind not in ("heating", "release", "exchanger") for w in prepared.within)
    )
    if fields.speed.any():
        axes = "xy" if fields.mesh.is_plane else "xyz"
        each = {axis: momentum_ledger(fields, k, in_time, acts) for k, axis in enumerate(axes)}
        largest = max(ledger.moved for ledger in each.values())
        found |= {axis: replace(ledger, over=largest) for axis, ledger in each.items()}
    return found
