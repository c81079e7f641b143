"""One number of the course of a reading through time."""

from __future__ import annotations

from typing import Literal

import numpy as np

Course = Literal["end", "mean", "largest", "smallest", "fluctuation", "frequency"]
NEAR = 0.1  # of the fluctuation: what turns within it does not count as a swing
FEWEST = 3  # rises through the mean, two whole swings


def course_of(time: np.ndarray, value: np.ndarray, course: Course, since: float) -> float:
    """Of values (n,) at times (n,) in s after `since`: the last, the mean over time, the largest or smallest, the root mean
    square of what differs from the mean, or how often it swings round the mean, in 1/s.

    Raises `ValueError` where there is none.
    """
    steps = np.diff(time, prepend=0.0)
    used = (time > since * (1 + 1e-9)) & np.isfinite(value)
    if not used.any():
        raise ValueError(f"nothing is known after {since:g} s; follow the flow for longer")
    time, value, steps = time[used], value[used], steps[used]
    if course == "end":
        return float(value[-1])
    if course == "largest":
        return float(value.max())
    if course == "smallest":
        return float(value.min())
    mean = float(np.average(value, weights=steps))
    if course == "mean":
        return mean
    spread = float(np.sqrt(np.average((value - mean) ** 2, weights=steps)))
    return spread if course == "fluctuation" else _frequency(time, value - mean, spread)


def _frequency(time: np.ndarray, value: np.ndarray, spread: float) -> float:
    """How often values rise through nothing for each second they do so."""
    rises, low = [], False
    for k in range(len(value)):
        if value[k] < -NEAR * spread:
            low = True
        elif low and value[k] > NEAR * spread:
            low = False
            last = k - 1
            while value[last] > 0:
                last -= 1
            share = -value[last] / (value[last + 1] - value[last])
            rises.append(time[last] + share * (time[last + 1] - time[last]))
    if len(rises) < FEWEST:
        raise ValueError("it swings less than twice in the time that counts; follow the flow for longer")
    return float((len(rises) - 1) / (rises[-1] - rises[0]))
