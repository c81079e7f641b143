"""A reading over the size of cells, with its band and its limits, as plain numbers for a template."""

from __future__ import annotations

from typing import Any

from brook.core.checks import Prepared
from brook.core.checks.limits import resolved_limit
from brook.core.results.readings import unit_of_number
from brook.core.stages.readings import dimension_of_reading
from brook.core.study import Requirement
from brook.core.units import pretty_unit, scale_of, sensible_unit
from brook.web.graph import marks, word
from brook.web.state import ReadingState, VariantState

WIDTH, HEIGHT = 420.0, 230.0
LEFT, RIGHT, TOP, BOTTOM = 62.0, 14.0, 12.0, 40.0


def limits_of(requirement: Requirement, prepared: Prepared) -> list[float]:
    """The limits of a requirement in SI units, none where it has none or they cannot be told."""
    dimension = dimension_of_reading(requirement, prepared)
    if dimension is None:
        return []
    try:
        limit = resolved_limit(requirement, dimension, prepared.scope)
    except ValueError:
        return []
    return [value for name in ("value", "low", "high") if (value := getattr(limit, name, None)) is not None]


def series_picture(variant: VariantState, reading: ReadingState) -> dict[str, Any] | None:
    """What `sure/body.html` draws of a reading that was read on more than one mesh; None for others."""
    sure, dimension = reading.sure, dimension_of_reading(reading.requirement, variant.prepared)
    if sure is None or dimension is None or len(sure.sizes) < 2:
        return None
    unit = reading.requirement.shown_in or ""
    size = max(abs(v) for v in sure.values)
    unit = unit or (unit_of_number(size) if dimension.is_none else sensible_unit(dimension, size))
    factor, shift = scale_of(unit) if unit else (1.0, 0.0)
    limits = limits_of(reading.requirement, variant.prepared)
    values = [v * factor + shift for v in sure.values]
    ends = [values[0] - sure.half * factor, values[0] + sure.half * factor] if sure.half is not None else []
    going = sure.mesh.extrapolated
    towards = [going * factor + shift] if going is not None and sure.half is not None else []
    seen = [*values, *ends, *towards]
    room = (max(seen) - min(seen)) or abs(values[0]) or 1.0
    near = [v for v in (limit * factor + shift for limit in limits) if min(seen) - room <= v <= max(seen) + room]
    up = marks([*seen, *near], False)
    last = max(sure.sizes) * 1.06
    right, bottom = WIDTH - RIGHT, HEIGHT - BOTTOM

    def at(h: float, value: float) -> tuple[float, float]:
        return LEFT + (right - LEFT) * h / last, bottom - (bottom - TOP) * (value - up[0]) / (up[1] - up[0])

    dots = [at(h, v) for h, v in zip(sure.sizes, values, strict=True)]
    return {
        "width": WIDTH, "height": HEIGHT, "left": LEFT, "right": right, "top": TOP, "bottom": bottom,
        "dots": dots, "line": " ".join(f"{x:.1f},{y:.1f}" for x, y in dots),
        "band": [at(sure.sizes[0], v) for v in ends], "towards": at(0.0, towards[0]) if towards else None,
        "limits": [at(0.0, v)[1] for v in near], "up": [(at(0.0, m)[1], word(m, False)) for m in up[2]],
        "across": [(at(float(h), 0.0)[0], f"{h:g}") for h in _whole(last)],
        "unit": pretty_unit(unit) if unit else "",
    }  # fmt: skip


def _whole(last: float) -> list[float]:
    step = next(s for s in (0.5, 1, 2, 4) if last / s <= 6)
    return [k * step for k in range(int(last / step) + 1)]
