"""Kernels run as plain Python: for a command with so little to do that making Numba ready would be most of its time."""

from __future__ import annotations

import os
import sys

import numpy as np

SWITCH = "NUMBA_DISABLE_JIT"  # Numba's own; whoever sets it has Brook without compiled code too


def is_plain() -> bool:
    """Whether this process compiles nothing."""
    return os.environ.get(SWITCH, "0") not in ("", "0")


def run_plainly() -> bool:
    """From now on this process compiles nothing, which is possible only before any kernel is loaded; whether it is so.

    Whole numbers go round in kernels as they do in compiled code, so NumPy is not to warn of it.
    """
    if "brook.core.compiling.kernel" in sys.modules or "numba" in sys.modules:
        return is_plain()
    os.environ[SWITCH] = "1"
    np.seterr(over="ignore")
    return True
