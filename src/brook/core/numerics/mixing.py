"""Compiled loops of an acceleration: states compared and mixed. What they are for is told in `solve/acceleration.py`."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import loop

STRETCH = 1024  # of vectors, which stay near the processor while all differences go over them
DENSE = {"contract", "reassoc"}  # sums of a stretch may come in any order, but always the same


@loop(fastmath=DENSE)
def compared(first, last, chunk, values, start, step, moves, turns, slot, used, sums):
    """Δg_m = (x − x₀) − g, with g ← x − x₀, of the last step g: in slot `slot` the change of the start state becomes that of the values, and
    the change of the step is kept. sums (chunks, 2, DEPTH): its products with all changes, and theirs with the step."""
    sums[chunk] = 0.0
    judged = len(turns) > 0 and used > 0
    for begin in range(first, last, STRETCH):
        end = min(begin + STRETCH, last)
        if judged:
            for i in range(begin, end):
                now = np.float32(values[i] - start[i])
                turn = now - step[i]
                step[i] = now
                moves[slot, i] += turn
                turns[slot, i] = turn
            for m in range(used):
                one, two = np.float32(0.0), np.float32(0.0)
                for i in range(begin, end):
                    one += turns[slot, i] * turns[m, i]
                    two += step[i] * turns[m, i]
                sums[chunk, 0, m] += one
                sums[chunk, 1, m] += two
        elif used > 0:
            for i in range(begin, end):
                now = np.float32(values[i] - start[i])
                moves[slot, i] += now - step[i]
                step[i] = now
        else:
            for i in range(begin, end):
                step[i] = np.float32(values[i] - start[i])


@loop(fastmath=DENSE)
def mixed(first, last, chunk, values, start, moves, weights, used, slot):
    """x ← x − Σ_m γ_m Δx_m with weights γ: values less weights times moves, and in slot `slot` how far that is from the start. In place."""
    for begin in range(first, last, STRETCH):
        end = min(begin + STRETCH, last)
        for m in range(used):
            weight = weights[m]
            for i in range(begin, end):
                values[i] -= weight * moves[m, i]
        for i in range(begin, end):
            moves[slot, i] = np.float32(values[i] - start[i])


@loop
def kept(first, last, chunk, values, start):
    """start (n,) is values (n,)."""
    for i in range(first, last):
        start[i] = values[i]
