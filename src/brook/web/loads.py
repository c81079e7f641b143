"""The panel of forces: tables and graph in the unit that is wanted."""

from __future__ import annotations

import math
from typing import Any

from brook.core.units import DIMENSIONS, pretty_unit, sensible_unit, show, unit_factor
from brook.web.graph import graph

UNITS = ("N", "kN", "kgf", "lbf")  # besides the one that suits
SAID = ("drag", "lift", "moment")
MOST_PATCHES = 200


def loads_shown(found: dict[str, Any], unit: str, axis: int, way: int) -> dict[str, Any]:
    """What the panel shows of `found` (`runs.loads`), forces in a unit, '' for the one that suits; spread along an axis, of the force along another."""
    rows = found["rows"]
    size = max((abs(v) for r in rows for v in r["total"]), default=0.0)
    unit = unit if unit in UNITS else sensible_unit(DIMENSIONS["force"], size)
    step = unit_factor(unit)[0]
    places = _places(size / step)
    axes = found["axes"]

    def number(value: float) -> str:
        """In the unit, what would round to nothing as nothing."""
        return f"{value / step:.{places}f}".replace("-", "−") if abs(value) > 0.5 * 10**-places * step else "0"

    together = {name: [number(v) for v in values[:axes]] for name, values in found["together"].items()}
    turning = found["together"]["moment"][2:] if axes == 2 else found["together"]["moment"]
    return {
        "axes": "xyz"[:axes], "unit": pretty_unit(unit), "chosen": found["chosen"], "axis": axis, "way": way,
        "rows": [{"patch": r["patch"], "parts": [[number(v) for v in r[p]] for p in ("pressure", "friction", "total")]} for r in rows],
        "together": together,
        "moments": list(zip("z" if axes == 2 else "xyz", [moment_words(v, size, step, unit) for v in turning], strict=True)),
        "centre": None if found["centre"] is None else [show(v, DIMENSIONS["length"]) for v in found["centre"][:axes]],
        "coefficients": None if found["coefficients"] is None or found["centre"] is None else list(zip(SAID, [f"{c:.4g}".replace("-", "−") for c in found["coefficients"]], strict=True)),
        "over": {
            "dynamic": show(found["over"]["dynamic"], DIMENSIONS["pressure"]), "area": show(found["over"]["area"], DIMENSIONS["area"]),
            "length": show(found["over"]["length"], DIMENSIONS["length"]),
        },
        "graph": _spread(found["spread"], unit, axis, way),
    }  # fmt: skip


def moment_words(value: float, force: float, step: float, unit: str) -> str:
    """A moment with its unit, nothing where it is rounding beside forces of such a size."""
    return f"{value / step:.4g} {pretty_unit(unit)} m".replace("-", "−") if abs(value) > 1e-9 * force else "0"


def _spread(spread: dict[str, list[Any]], unit: str, axis: int, way: int) -> dict[str, Any] | None:
    """The force along an axis for each metre of another."""
    if not spread["at"]:
        return None
    length = sensible_unit(DIMENSIONS["length"], max(map(abs, spread["at"])))
    sizes = [p[way] + f[way] for p, f in zip(spread["pressure"], spread["friction"], strict=True)]
    unit = unit if unit in ("kgf", "lbf") else sensible_unit(DIMENSIONS["force"], max(map(abs, sizes)))
    step, per = unit_factor(unit)[0], unit_factor(length)[0]
    each = [value / step for value in sizes]
    line = [(at / per, value) for at, value in zip(spread["at"], each, strict=True)]
    letter, other = "xyz"[axis], "xyz"[way]
    return {
        **graph({"line": line, "points": [], "logarithmic": False}), "x": f"{letter} in {pretty_unit(length)}",
        "y": f"force along {other} in {pretty_unit(unit)} for each m of {letter}", "title": f"Force along {other}, spread along {letter}", "words": "",
    }  # fmt: skip


def _places(size: float) -> int:
    """Decimals that show four digits of the largest number of a table."""
    return 0 if size <= 0 else max(0, 3 - math.floor(math.log10(size)))
