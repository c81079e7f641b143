"""Published and exact cases that Brook is held to: `brook verify`."""

from brook.core.verification.case import Comparison, cases, run_case

__all__ = ["Comparison", "cases", "run_case"]
