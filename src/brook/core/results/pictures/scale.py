"""Which colours the values of a picture have."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.results.pictures.base import Drawn, Seen
from brook.core.results.pictures.colours import coloured, shares
from brook.core.results.quantities import QUANTITIES
from brook.core.study.views import Plate
from brook.core.units import even_unit, scale_of, sensible_unit


@dataclass(frozen=True)
class Scale:
    """Which colours values have: the ends of the range in SI units, the map, and how it goes; unit, factor and shift to show them."""

    low: float
    high: float
    whole: tuple[float, float]
    map: str
    how: str
    words: str
    unit: str
    factor: float
    shift: float
    values: np.ndarray
    weights: np.ndarray

    @classmethod
    def of(cls, plate: Plate, seen: Seen, made: list[Drawn]) -> Scale:
        """That of a plate by the values that its layers show."""
        kind = QUANTITIES.get(seen.quantity) or seen.view.own[seen.quantity].kind
        surfaces = [_samples(d) for d in made if "values" in d.arrays]
        along = [d.arrays["lines_values"] for d in made if "lines_values" in d.arrays and "longest" not in d.numbers]
        lines = [
            (v, np.full(len(v), 0.0 if surfaces else 1.0)) for v in along
        ]  # in the range, but no share of the picture
        samples = [*surfaces, *lines] or [(np.zeros(1), np.ones(1))]
        values, weights = (np.concatenate(part) for part in zip(*samples, strict=True))
        low, high = float(np.nanmin(values)), float(np.nanmax(values))
        signed = kind.signed or seen.less is not None
        if signed:
            high = max(abs(low), abs(high))
            low = -high
        if not high > low:
            low, high = low - (abs(low) * 0.01 or 1e-9), high + (abs(high) * 0.01 or 1e-9)
        if plate.colours == "log" and low <= 0.0 < high and not signed:
            low = max(float(values[values > 0].min(initial=high)), 1e-5 * high)
        how = "smooth" if plate.colours == "log" and (low <= 0.0 or signed) else plate.colours
        unit = sensible_unit(kind.dimension, 0.3 * max(abs(low), abs(high)))
        unit = unit if seen.less is None else even_unit(unit)
        first, last = plate.range or (low, high)
        return cls(
            first,
            last,
            (low, high),
            "signed" if signed else "even",
            how,
            kind.words if seen.less is None else f"{kind.words}, less {plate.less}",
            unit,
            *scale_of(unit),
            values,
            weights,
        )

    def colours(self, values: np.ndarray) -> np.ndarray:
        """Colours (n, 3), nan where there is no value."""
        found = coloured(shares(np.nan_to_num(values), self.low, self.high, self.how), self.map)
        found[np.isnan(values)] = np.nan
        return found

    def shown(self, value: float) -> float:
        return value * self.factor + self.shift


def _samples(made: Drawn) -> tuple[np.ndarray, np.ndarray]:
    """Means over triangles and their areas."""
    at, triangles, values = (made.arrays[n] for n in ("at", "triangles", "values"))
    a, b, c = np.moveaxis(at[triangles], 1, 0)
    mean = values[triangles].mean(axis=1)
    known = np.isfinite(mean)
    return mean[known], (np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2)[known]
