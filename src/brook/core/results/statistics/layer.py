"""How thick a boundary layer is, along a line that begins at the wall: where 99 % of the largest value is reached, ∫ (1 − u/U) ds and ∫ u/U (1 − u/U) ds.

Schlichting & Gersten, Boundary-Layer Theory, ch. 2.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from brook.core.formulas import FormulaError
from brook.core.results.places import Samples
from brook.core.results.statistics.base import Statistic
from brook.core.units import DIMENSIONS

REACHED = 0.99
LEAST = 10  # places of a line that are in the fluid


def _across(samples: Samples) -> tuple[np.ndarray, np.ndarray]:
    """How far from the wall in m (n,), and the share of the largest value (n,)."""
    if not samples.is_line or len(samples.values) < LEAST:
        raise FormulaError("a layer is read along a line that begins at a wall and ends in the stream")
    largest = float(samples.values.max())
    if not largest > 0:
        raise FormulaError("nothing flows along that line")
    return np.cumsum(samples.weights) - samples.weights / 2, samples.values / largest


def _thick(samples: Samples) -> float:
    """Linear between places."""
    away, share = _across(samples)
    first = int(np.argmax(share >= REACHED))
    if first == 0:
        return float(away[0])
    before = (REACHED - share[first - 1]) / (share[first] - share[first - 1])
    return float(away[first - 1] + before * (away[first] - away[first - 1]))


def _up_to_largest(samples: Samples, of: Callable[[np.ndarray], np.ndarray]) -> float:
    _, share = _across(samples)
    end = int(np.argmax(share)) + 1
    return float(of(share[:end]) @ samples.weights[:end])


def _made(name: str, words: str, evaluate: Callable[[Samples], float]) -> Statistic:
    return Statistic(name, words, evaluate, lambda _: DIMENSIONS["length"], on=("box",))


EVERY = (
    _made("layer_99", "thickness of the layer of {quantity} along {place}", _thick),
    _made("displacement_thickness", "displacement thickness of the {quantity} along {place}", lambda s: _up_to_largest(s, lambda u: 1 - u)),
    _made("momentum_thickness", "momentum thickness of the {quantity} along {place}", lambda s: _up_to_largest(s, lambda u: u * (1 - u))),
)  # fmt: skip
