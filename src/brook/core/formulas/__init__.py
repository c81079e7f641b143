"""The formula language: text -> tree -> quantity, with units checked on the way.

Own grammar, small and the same everywhere; nothing here reaches Python's evaluator.
"""

from brook.core.formulas.evaluate import FUNCTIONS, Scope, evaluate, nearest
from brook.core.formulas.parser import parse
from brook.core.formulas.tree import Binary, Call, FormulaError, Negative, Node, Number, Reading, names_in

__all__ = [
    "FUNCTIONS", "Binary", "Call", "FormulaError", "Negative", "Node", "Number", "Reading", "Scope",
    "evaluate", "names_in", "nearest", "parse",
]  # fmt: skip
