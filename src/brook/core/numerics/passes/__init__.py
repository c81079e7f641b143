"""Compiled loops of one iteration of a flow: everything between two sweeps is done in as few passes as it takes.

Loops over faces write to their own face only, loops over cells gather from the faces round them; none waits for another
thread, and sums come in the same order whatever the number of threads. What each computes is told where it is called, in
`solve/momentum.py` and `solve/continuity.py`. Indices are unsigned: signed ones are checked for being negative.
"""

from brook.core.numerics.passes.carrying import (
    carried,
    carried_in,
    gathered,
    gathered_in,
)
from brook.core.numerics.passes.common import CROSSED, EXACT, ONE, SKEWED
from brook.core.numerics.passes.gradients import (
    ends,
    ends_in,
    inverted,
    moments,
    push,
    push_in,
    slope,
    slope_in,
    slopes,
    slopes_in,
    spans,
)
from brook.core.numerics.passes.keeping import (
    answer,
    answer_in,
    continuity,
    continuity_in,
    corrected,
    corrected_in,
    fluxes,
    fluxes_in,
)
from brook.core.numerics.passes.moving import (
    momentum,
    momentum_in,
    transfers,
    transfers_in,
)
from brook.core.numerics.passes.sweeping import (
    backward,
    backward_in,
    coupled,
    coupled_in,
    first_sweep,
    first_sweep_in,
    forward,
    forward_in,
    moved,
    moved_in,
)

__all__ = [
    "CROSSED",
    "EXACT",
    "ONE",
    "SKEWED",
    "answer",
    "answer_in",
    "backward",
    "backward_in",
    "carried",
    "carried_in",
    "continuity",
    "continuity_in",
    "corrected",
    "corrected_in",
    "coupled",
    "coupled_in",
    "ends",
    "ends_in",
    "first_sweep",
    "first_sweep_in",
    "fluxes",
    "fluxes_in",
    "forward",
    "forward_in",
    "gathered",
    "gathered_in",
    "inverted",
    "moments",
    "momentum",
    "momentum_in",
    "moved",
    "moved_in",
    "push",
    "push_in",
    "slope",
    "slope_in",
    "slopes",
    "slopes_in",
    "spans",
    "transfers",
    "transfers_in",
]
