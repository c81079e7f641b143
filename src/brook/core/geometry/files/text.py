"""Places and numbers in the text of a file."""

from __future__ import annotations

import numpy as np


def slow_number(data: bytes, start: int, end: int) -> float:
    """The number between two places, correctly rounded. Raises `ValueError`."""
    return float(data[start:end])


def line_of(data: bytes, at: int) -> int:
    """The number of the line that a place lies in, from 1."""
    return data.count(b"\n", 0, at) + 1


def as_array(data: bytes) -> np.ndarray:
    """Bytes as numbers (n,) of uint8."""
    return np.frombuffer(data, np.uint8)
