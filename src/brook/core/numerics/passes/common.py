"""What all passes share."""

from __future__ import annotations

import math

import numpy as np

from brook.core.compiling.kernel import kernel

# products and sums may be contracted, but keep their order: short rows get slower, and answers differ, when they do not
EXACT = {"contract"}
ONE = np.uint32(1)
BEND = 0.5  # (a - b)² / (a² + b²) of the steps on both sides from which they differ too much for a smooth field
TINY = 1e-300
SKEWED, NON_ORTHOGONAL = np.uint8(1), np.uint8(2)  # faces off the line of centres; lines of centres askew to faces


@kernel(fastmath=EXACT, inline="always")
def second_order(ahead, along, forward, scheme, softness):
    """The step from the upwind value that a face value takes a part of: upwind-biased of third order (κ = 1/3); scheme 1:
    limited after van Albada et al. (1982) where the field bends sharply, with `softness` (in units of value²) below which
    differences count as smooth; scheme 2: central; scheme 3: never limited. Decision 0004. Scheme 4 never leaves what lies
    around: the third-order one as long as it lies within twice either step, none where these turn round, after Koren (1993). Scheme 5 does
    so without kinks, 2 r²/(1 + r²) of the step ahead for a step behind that is r > 0 times that: steady values come to rest under it. Scheme 6
    is scheme 1 led over from one mean to the other more gently, which comes to rest where eddies stir what bends."""
    if scheme == 2:
        return ahead
    behind = (2.0 * along if forward else -2.0 * along) - ahead
    third = (2.0 * ahead + behind) / 3.0
    if scheme == 3:
        return third
    if scheme == 4:
        if ahead * behind <= 0.0:
            return 0.0
        size = min(2.0 * min(abs(ahead), abs(behind)), abs(third))
        return size if ahead > 0.0 else -size
    if scheme == 5:
        squared = behind * behind
        return 2.0 * ahead * squared / (ahead * ahead + squared + TINY) if ahead * behind > 0.0 else 0.0
    a2, b2 = behind * behind + softness, ahead * ahead + softness
    bend = (ahead - behind) * (ahead - behind) / (BEND * (a2 + b2))
    if scheme != 6:
        bend *= bend
        bend *= bend
    limited = (2.0 * a2 * ahead + b2 * behind) / (2.0 * a2 + b2)
    return (third + bend * bend * limited) / (1.0 + bend * bend)


@kernel(fastmath=EXACT, inline="always")
def logarithmic(a, b):
    """(b − a)/ln(b/a) to within a thousandth, by its means: that of a diffusivity which grows in proportion to the way."""
    return (4.0 * math.sqrt(a * b) + a + b) / 6.0
