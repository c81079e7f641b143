"""Questions to the result reader about forces: on each patch, on several together, and along a direction."""

from __future__ import annotations

from typing import Any

from brook.core.results.loads import load_on, spread_along
from brook.runs.readout import Source, forces, view_of


def loads(source: Source, patches: tuple[str, ...], axis: int) -> dict[str, Any]:
    """Rows of all patches as `forces` gives them, and of those that are named and there: force in N, moment in N m, where it acts in m, coefficients with
    what they are over, and the spread along an axis in N/m."""
    rows = forces(source)
    known = [row["patch"] for row in rows]
    chosen = [name for name in patches if name in known]
    view = view_of(source)
    load, spread = load_on(view, chosen), spread_along(view, chosen, axis)
    return {
        "rows": rows, "chosen": chosen, "axes": len(rows[0]["total"]) if rows else 0,
        "together": {name: getattr(load, name).tolist() for name in ("pressure", "friction", "total", "moment")},
        "centre": None if load.centre is None else load.centre.tolist(), "coefficients": load.coefficients,
        "over": {"dynamic": load.dynamic, "area": load.area, "length": load.length},
        "spread": {name: getattr(spread, name).tolist() for name in ("at", "pressure", "friction", "so_far")},
    }  # fmt: skip
