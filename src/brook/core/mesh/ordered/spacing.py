"""How long the cells in a row are."""

from __future__ import annotations

import numpy as np

from brook.core.study import Resolved

THINNEST = 1e-7  # of the stretch
STEEPEST = 60.0  # of the exponent: beyond it lengths have no digits left


def spaced(stretch: Resolved, length: float, what: str) -> np.ndarray:
    """Places (cells + 1,) from 0 to 1 of the ends of cells that fill a `length` in m.

    With n cells the logarithm of the lengths runs straight from the first to the last; with both given it bends as a
    parabola, so much that they fill the stretch. Raises `ValueError` for ends that do not fit in.
    """
    count, first, last = stretch.cells, stretch.first / length, stretch.last / length
    if count == 1 or not (first or last):
        return np.linspace(0.0, 1.0, count + 1)
    given = [end for end in (first, last) if end]
    if sum(given) >= 1.0:
        raise ValueError(f"the first and last cells of {what} are longer than the stretch; make them shorter")
    if len(given) == 2 and count == 2:
        raise ValueError(f"two cells of {what} cannot both be given and fill the stretch; leave one at 0")
    at = np.arange(count) / (count - 1)
    if len(given) == 2:
        line, bend = (1 - at) * np.log(first) + at * np.log(last), 4 * at * (1 - at)
    elif first:
        line, bend = np.full(count, np.log(first)), at
    else:
        line, bend = np.full(count, np.log(last)), 1 - at

    def over(by: float) -> float:
        return float(np.exp(np.minimum(line + by * bend, 50.0)).sum() - 1.0)

    if over(-STEEPEST) > 0:
        raise ValueError(f"the cells of {what} do not fit in between its ends; make them shorter")
    from scipy.optimize import brentq  # only here: loading it takes as long as a small mesh

    lengths = np.exp(line + brentq(over, -STEEPEST, STEEPEST, xtol=1e-13) * bend)
    if lengths.min() < THINNEST:
        raise ValueError(
            f"{count} cells of {what} do not fit in between ends as long as these; make them shorter, or fewer cells"
        )
    places = np.concatenate([[0.0], np.cumsum(lengths)])
    return places / places[-1]
