"""What a run leaves open by where it ends: how far a reading may still move when iterations stop, and how far the mean of a finite window is off that of an endless one."""

from __future__ import annotations

import math

import numpy as np

from brook.core.solve.history import History, Rules, standing_still

PARTS = 8  # of a run's iterations: the last part is held against the one before
SLOWEST = 0.9  # of what a part moves by against the part before; what shrinks by less does not come home
THIRD = 80  # iterations, of a run that was over too soon
LEAST = 16  # iterations, or samples of a window
BLOCKS = {4: 3.18, 6: 2.57, 8: 2.36, 12: 2.20, 16: 2.13}  # numbers of blocks, with Student's t at 95 % of one less
SWING = 0.35  # of what it moves by in a part: a mean that drifts by less swings


def stopping_error(values: list[float], began_at: int = 0) -> float | None:
    """How far a monitor may still be from where it goes, from all its values in the iterations of a run since it began: what is left of a series that
    shrinks by the same share from part to part, Σ rᵏ = r/(1 − r) of the last part's move. None where too little is known."""
    known = np.array(values[began_at:], float)
    if len(known) < LEAST or not np.isfinite(known[-LEAST:]).all():
        return None
    size = max(4, min(len(known) // PARTS, 40))
    last, before = known[-size:], known[-2 * size : -size]
    if not np.isfinite(before).all():
        return None
    moved, moved_before = float(np.ptp(last)), float(np.ptp(before))
    if moved == 0.0:
        return 0.0
    share = moved / moved_before if moved_before > 0 else math.inf
    if share < SLOWEST:
        return max(moved * share / (1 - share), 0.1 * moved)
    swings = abs(float(last.mean() - before.mean())) < SWING * moved
    return moved if swings else moved * SLOWEST / (1 - SLOWEST)


def still_to_come(history: History, rules: Rules, began_at: int = 0) -> dict[str, float] | None:
    """The same of all monitors of a steady run whose iterations were over too soon, told by how its last third moves beside the third before, in SI units: what stands still
    may go on to move as much as it did, others as their moves shrink. None where some do neither, or residuals grow."""
    size = (len(history) - began_at) // 3
    if history.time or size < THIRD:
        return None
    last, before = (float(np.median(part)) for part in (history.worst[-size:], history.worst[-2 * size : -size]))
    if not last <= before:  # of what is no number, too
        return None
    found = {}
    for name in history.monitor_names:
        values = np.array(history.monitors[name], float)
        if np.isnan(values[-2 * size :]).all():
            continue  # it reads nothing
        moved, moved_before = np.ptp(values[-size:]), np.ptp(values[-2 * size : -size])
        if math.isfinite(moved) and standing_still(values.tolist(), rules):
            found[name] = float(moved)
            continue
        if not moved <= SLOWEST * moved_before:
            return None
        share = float(moved / moved_before) if moved_before > 0 else 0.0
        found[name] = max(float(moved) * share / (1 - share), 0.1 * float(moved))
    return found


def window_error(time: np.ndarray, value: np.ndarray, since: float) -> float | None:
    """Half the width in which the mean of a longer window lies in 19 of 20 cases, from means of blocks of this one: of ever longer blocks, so that what
    follows on itself is found out (Flyvbjerg & Petersen 1989). `time` and `value` are (n,); None where too little is known."""
    steps = np.diff(time, prepend=0.0)
    used = (time > since * (1 + 1e-9)) & np.isfinite(value)
    if used.sum() < LEAST:
        return None
    time, value, steps = time[used], value[used], steps[used]
    begin, end = time[0] - steps[0], time[-1]
    widths = []
    for count, student in BLOCKS.items():
        if len(value) < 2 * count:
            break
        block = np.minimum(((time - begin) / (end - begin) * count * (1 - 1e-12)).astype(int), count - 1)
        weight = np.bincount(block, steps, count)
        if (weight <= 0).any():
            continue
        means = np.bincount(block, steps * value, count) / weight
        widths.append(student * float(means.std(ddof=1)) / math.sqrt(count))
    return max(widths) if widths else None
