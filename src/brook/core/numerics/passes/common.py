"""What all passes share."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel

# products and sums may be contracted, but keep their order: short rows get slower, and answers differ, when they do not
EXACT = {"contract"}
ONE = np.uint32(1)
SKEWED, CROSSED = np.uint8(1), np.uint8(2)  # faces off the line of centres; lines of centres askew to faces


@kernel(fastmath=EXACT, inline="always")
def second_order(ahead, along, forward, scheme, softness):
    """The step from the upwind value that a face value takes a part of: upwind-biased of third order where the field is
    smooth, limited after van Albada et al. (1982), with `softness` (in units of value²) below which differences count as
    smooth; scheme 2: central."""
    if scheme == 2:
        return ahead
    behind = (2.0 * along if forward else -2.0 * along) - ahead
    a2, b2 = behind * behind + softness, ahead * ahead + softness
    return (2.0 * a2 * ahead + b2 * behind) / (2.0 * a2 + b2)
