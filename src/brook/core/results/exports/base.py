"""What is exported: a table of columns, which a figure may be drawn from."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

Cell = str | float | int | None
CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def printable(text: str) -> str:
    """The text with a mark in place of what no file of text or XML can hold."""
    return CONTROL.sub("\ufffd", text)


@dataclass(frozen=True)
class Column:
    title: str
    unit: str
    values: Sequence[Cell]

    @property
    def heading(self) -> str:
        """The title with its unit."""
        return f"{self.title} [{self.unit}]" if self.unit else self.title


@dataclass(frozen=True)
class Curve:
    """One curve of a figure; `points` draws it as marks without a line, `right` by the axis at the right."""

    title: str
    x: Sequence[float]
    y: Sequence[float]
    points: bool = False
    right: bool = False


@dataclass(frozen=True)
class Sheet:
    """A table with what is needed to draw its curves; columns may differ in length."""

    title: str
    columns: tuple[Column, ...]
    note: str = ""
    curves: tuple[Curve, ...] = ()
    x_title: str = ""
    y_title: str = ""
    x_range: tuple[float, float] | None = None
    y_range: tuple[float, float] | None = None
    logarithmic: bool = False
    right_title: str = ""
    right_range: tuple[float, float] | None = None

    def rows(self) -> list[list[Cell]]:
        """Lines of the table; shorter columns end empty."""
        longest = max((len(c.values) for c in self.columns), default=0)
        return [[c.values[k] if k < len(c.values) else None for c in self.columns] for k in range(longest)]


@dataclass(frozen=True)
class Format:
    """A kind of file. `write` gets sheets and gives bytes; those that draw need curves."""

    suffix: str
    words: str
    media_type: str
    write: Callable[[list[Sheet]], bytes]
    draws: bool = False
