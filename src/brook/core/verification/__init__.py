"""Published and exact cases that Brook is held to: `brook verify`."""

from brook.core.verification.case import Comparison, Curve, Result, cases, run_case

__all__ = ["Comparison", "Curve", "Result", "cases", "run_case"]
