"""The parts of a formula. Every node knows where in the text it stands."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass


class FormulaError(ValueError):
    """What is wrong with a formula and where: `position` counts characters from 0."""

    def __init__(self, message: str, position: int = 0):
        super().__init__(message)
        self.message = message
        self.position = position


@dataclass(frozen=True)
class Number:
    """`0.3 m/s`: the value as typed and the unit as typed ('' for none)."""

    value: float
    unit: str
    position: int


@dataclass(frozen=True)
class Reading:
    """A name, or what a place reads: `surge`, `plate.temperature.max`, `tray.speed.share_below(1 mm/s)`."""

    parts: tuple[str, ...]
    arguments: tuple[Node, ...]
    position: int

    @property
    def text(self) -> str:
        """The reading as it is written."""
        return ".".join(self.parts)


@dataclass(frozen=True)
class Call:
    function: str
    arguments: tuple[Node, ...]
    position: int


@dataclass(frozen=True)
class Negative:
    inner: Node
    position: int


@dataclass(frozen=True)
class Binary:
    """Arithmetic (`+ - * / ^`) or a comparison (`< <= > >= == !=`)."""

    sign: str
    left: Node
    right: Node
    position: int


Node = Number | Reading | Call | Negative | Binary


def names_in(node: Node) -> Iterator[Reading]:
    """Every name and place reading of a formula, in the order of the text."""
    match node:
        case Reading():
            yield node
            for argument in node.arguments:
                yield from names_in(argument)
        case Call():
            for argument in node.arguments:
                yield from names_in(argument)
        case Negative():
            yield from names_in(node.inner)
        case Binary():
            yield from names_in(node.left)
            yield from names_in(node.right)
