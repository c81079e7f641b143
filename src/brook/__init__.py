"""Brook: a CFD engineer's whole job, from brief to comparison."""

import ctypes
import os
from importlib import import_module
from typing import Any

# Runs share the machine's cores among themselves; BLAS threads of their own would only compete.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"

LARGE = 4 << 20  # bytes


def _give_back_large_arrays() -> None:
    """Has the C library return arrays from `LARGE` on to the system once they are done with: it keeps up to eight times as
    much by itself, and a large run has about a tenth more at its peak for it."""
    option = -3  # M_MMAP_THRESHOLD of mallopt in the GNU C library; others do without
    try:
        ctypes.CDLL(None).mallopt(option, LARGE)
    except (AttributeError, OSError, TypeError):
        return


def give_back() -> None:
    """Has the C library return all that is free to the system."""
    try:
        ctypes.CDLL(None).malloc_trim(0)
    except (AttributeError, OSError):
        return


def __getattr__(name: str) -> Any:
    """`brook.Study` and `brook.CannotRun`, loaded when they are asked for: commands and workers need not wait for them."""
    if name in ("Study", "CannotRun"):
        return getattr(
            import_module("brook.python"), name
        )  # by its name: what core takes of this module must not bring all of core along
    raise AttributeError(f"module 'brook' has no attribute '{name}'")


_give_back_large_arrays()
