"""Published and exact cases that Brook is held to: `brook verify`."""

from brook.core.verification.case import cases, Comparison, run_case

__all__ = ["cases", "Comparison", "run_case"]
