"""Text -> tree, by precedence climbing.

    comparison := sum [("<" | "<=" | ">" | ">=" | "==" | "!=") sum]
    sum        := product {("+" | "-") product}
    product    := power {("*" | "/") power}
    power      := sign ["^" power]
    sign       := "-" power | atom
    atom       := number [" " unit] | name {"." name} ["(" list ")"] | "(" comparison ")"
    unit       := factor {("/" | " ") factor}, written without spaces round "/"

A unit ends where a `*`, a space before an operator, or a word that is no unit begins, so
`1.5 rad/s * t` is (1.5 rad/s) times t.
"""

from __future__ import annotations

import re
from functools import lru_cache

from brook.core.formulas.tree import Binary, Call, FormulaError, Negative, Node, Number, Reading
from brook.core.units import SYMBOLS, UnitError, unit_factor

_NUMBER = re.compile(r"(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_COMPARE = re.compile(r"<=|>=|==|!=|<|>")
_UNIT_FACTOR = re.compile(r"([A-Za-z]+|%)(\^-?\d+)?")
_ONE_OVER = re.compile(r"1/(?=[A-Za-zµΩ%°(])")
_UNIT_GROUP = re.compile(r"\([A-Za-z0-9^ ]+\)")
MAX_LENGTH = 500
MAX_DEPTH = 40


@lru_cache(maxsize=4096)
def parse(text: str) -> Node:
    """The tree of a formula. Raises `FormulaError` with the position of what is wrong."""
    if not text.strip():
        raise FormulaError("nothing is written here")
    if len(text) > MAX_LENGTH:
        raise FormulaError(f"a formula may have {MAX_LENGTH} characters, this one has {len(text)}")
    parser = _Parser(
        text.replace("°C", "degC").replace("\u2212", "-").replace("²", "^2").replace("³", "^3").replace("µ", "u")
    )
    node = parser.comparison()
    parser.skip()
    if parser.at < len(parser.text):
        raise FormulaError(parser.unexpected(), parser.at)
    return node


class _Parser:
    def __init__(self, text: str):
        self.text = text
        self.at = 0
        self.depth = 0

    def skip(self) -> None:
        while self.at < len(self.text) and self.text[self.at].isspace():
            self.at += 1

    def take(self, sign: str) -> bool:
        self.skip()
        if self.text.startswith(sign, self.at):
            self.at += len(sign)
            return True
        return False

    def unexpected(self) -> str:
        self.skip()
        if self.at >= len(self.text):
            return "the formula ends too early"
        rest = self.text[self.at :].split()[0]
        word = _NAME.match(rest)
        before = self.text[: self.at].rstrip()
        if word and before and (before[-1].isdigit() or before[-1] == "."):
            return f"'{word.group()}' is not a unit"
        return f"'{rest[:20]}' does not fit here"

    def comparison(self) -> Node:
        self.depth += 1
        if self.depth > MAX_DEPTH:
            raise FormulaError(f"brackets are nested deeper than {MAX_DEPTH}", self.at)
        left = self.sum()
        self.skip()
        sign = _COMPARE.match(self.text, self.at)
        if sign:
            self.at = sign.end()
            left = Binary(sign.group(), left, self.sum(), sign.start())
        self.depth -= 1
        return left

    def sum(self) -> Node:
        left = self.product()
        while True:
            start = self.at
            if self.take("+"):
                left = Binary("+", left, self.product(), start)
            elif self.take("-"):
                left = Binary("-", left, self.product(), start)
            else:
                return left

    def product(self) -> Node:
        left = self.power()
        while True:
            start = self.at
            if self.take("*"):
                left = Binary("*", left, self.power(), start)
            elif self.take("/"):
                left = Binary("/", left, self.power(), start)
            else:
                return left

    def power(self) -> Node:
        start = self.at
        signs = 0
        while self.take("-"):
            signs += 1
            if signs > MAX_DEPTH:
                raise FormulaError("too many signs", start)
        base = self.atom()
        if self.take("^"):
            self.depth += 1
            if self.depth > MAX_DEPTH:
                raise FormulaError(f"powers are nested deeper than {MAX_DEPTH}", self.at)
            base = Binary("^", base, self.power(), start)
            self.depth -= 1
        elif isinstance(base, Number) and base.unit == "degC":  # -5 degC is five degrees under the freezing of water
            return Number(-base.value if signs % 2 else base.value, base.unit, start)
        for _ in range(signs):
            base = Negative(base, start)
        return base

    def atom(self) -> Node:
        self.skip()
        start = self.at
        if self.take("("):
            inner = self.comparison()
            if not self.take(")"):
                raise FormulaError("a bracket is not closed", start)
            return inner
        number = _NUMBER.match(self.text, self.at)
        if number:
            self.at = number.end()
            return Number(float(number.group()), self.unit(), start)
        name = _NAME.match(self.text, self.at)
        if not name:
            raise FormulaError(self.unexpected(), self.at)
        parts = [name.group()]
        self.at = name.end()
        while self.at < len(self.text) and self.text[self.at] == ".":
            following = _NAME.match(self.text, self.at + 1)
            if not following:
                raise FormulaError("a name has to follow the dot", self.at)
            parts.append(following.group())
            self.at = following.end()
        arguments: tuple[Node, ...] = ()
        if self.at < len(self.text) and self.text[self.at] == "(":
            arguments = self.arguments()
            if len(parts) == 1:
                return Call(parts[0], arguments, start)
        return Reading(tuple(parts), arguments, start)

    def arguments(self) -> tuple[Node, ...]:
        start = self.at
        self.take("(")
        found = [self.comparison()]
        while self.take(","):
            found.append(self.comparison())
        if not self.take(")"):
            raise FormulaError("a bracket is not closed", start)
        return tuple(found)

    def unit(self) -> str:
        """The unit right after a number, '' when there is none."""
        start = self.at
        at = start
        if self.text[at : at + 1] == " ":
            at += 1
        first = _UNIT_FACTOR.match(self.text, at)
        over = _ONE_OVER.match(self.text, at) if at > start else None  # `2e-4 1/K`, as units are shown
        if over:
            begin, at = at, at + 1
        elif first and first.group(1) in SYMBOLS:
            begin, at = at, first.end()
        else:
            return ""
        while at < len(self.text) and self.text[at] in "/ ":
            group = _UNIT_GROUP.match(self.text, at + 1) if self.text[at] == "/" else None
            factor = _UNIT_FACTOR.match(self.text, at + 1)
            if group:
                at = group.end()
            elif factor and factor.group(1) in SYMBOLS:
                at = factor.end()
            else:
                break
        if over and at == begin + 1:
            return ""
        following = self.text[at : at + 1]
        if following.isalnum() or following == "_":
            raise FormulaError(f"'{self.text[begin:].split()[0]}' is not a unit", begin)
        unit = self.text[begin:at]
        try:
            unit_factor(unit)
        except UnitError as error:
            raise FormulaError(str(error), begin) from error
        self.at = at
        return unit
