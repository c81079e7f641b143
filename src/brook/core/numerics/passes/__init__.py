"""Compiled loops of one iteration of a flow: everything between two sweeps is done in as few passes as it takes.

Loops over faces write to their own face only, loops over cells gather from the faces round them; none waits for another
thread, and sums come in the same order whatever the number of threads. What each computes is told where it is called, in
`solve/momentum.py` and `solve/continuity.py`. Indices are unsigned: signed ones are checked for being negative.
"""

from brook.core.numerics.passes.common import EXACT, NON_ORTHOGONAL, ONE, SKEWED
from brook.core.numerics.passes.gradients import (
    bends,
    ends,
    gauss_gradient,
    inverted,
    moments,
    pair_slopes,
    slope,
    slopes,
    spans,
)
from brook.core.numerics.passes.keeping import (
    answer,
    continuity,
    corrected,
    fluxes,
)
from brook.core.numerics.passes.moving import (
    momentum,
    transfers,
)
from brook.core.numerics.passes.pair import pair_backward, pair_cells, pair_faces, pair_forward, pair_moved
from brook.core.numerics.passes.scalar import scalar_cells, scalar_faces
from brook.core.numerics.passes.sweeping import (
    backward,
    coupled,
    first_sweep,
    forward,
    moved,
)

__all__ = [
    "EXACT",
    "NON_ORTHOGONAL",
    "ONE",
    "SKEWED",
    "answer",
    "backward",
    "bends",
    "continuity",
    "corrected",
    "coupled",
    "ends",
    "first_sweep",
    "fluxes",
    "forward",
    "gauss_gradient",
    "inverted",
    "moments",
    "momentum",
    "moved",
    "pair_backward",
    "pair_cells",
    "pair_faces",
    "pair_forward",
    "pair_moved",
    "pair_slopes",
    "scalar_cells",
    "scalar_faces",
    "slope",
    "slopes",
    "spans",
    "transfers",
]
