"""Reference points from a table, and how far a computed curve is from them."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass
from io import StringIO

import numpy as np

from brook.core.units import NONE, Dimension, UnitError, unit_factor

MOST_BYTES = 500_000


class TableError(ValueError):
    """A table that cannot be read, with the line and what to do."""


@dataclass(frozen=True, eq=False)
class ReferenceTable:
    """positions (n,) and values (n,) in SI units, with what their columns are called."""

    position: np.ndarray
    value: np.ndarray
    position_title: str
    value_title: str


def read_reference(
    text: str, position: Dimension, value: Dimension, position_unit: str = "", value_unit: str = "",
    columns: tuple[str, str] = ("1", "2"),
) -> ReferenceTable:  # fmt: skip
    """Two columns, position and value, separated by commas, semicolons, tabs or spaces: the first two, or others by their numbers or names.

    A first line may name them with units: `y [mm], u [mm/s]` or `y (mm); u (mm/s)`. Without units there the
    given ones hold. Decimal commas are understood where the separator is no comma. Raises `TableError`.
    """
    lines = [line for line in text.lstrip("\ufeff").splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if not lines:
        raise TableError("the table is empty; it needs two columns, position and value")
    separator = _separator(lines)
    plain = [" ".join(li.split()) if separator == " " else li for li in lines]
    try:
        rows = [row or [""] for row in csv.reader(StringIO("\n".join(plain)), delimiter=separator)]
    except csv.Error as error:
        raise TableError(f"this is no table: {error}; write one position and one value a line") from None
    titles = ["position", "value"]
    heads: list[str] = []
    if _number(rows[0][0], separator) is None and not any(_number(c, separator) is not None for c in rows[0]):
        heads = [c.strip() for c in rows.pop(0)]
        if len(heads) < 2:
            raise TableError("line 1: there has to be a second column with the values")
    wanted = [_column(said, heads, max(len(heads), len(rows[0]) if rows else 0)) for said in columns]
    if heads:
        titles = [heads[k] for k in wanted]
    factors = []
    for title, given, dimension in zip(titles, (position_unit, value_unit), (position, value), strict=True):
        unit = (re.search(r"[\[(]([^\[\]()]*)[\])]", title) or [None, given])[1] or given
        factors.append(_factor(unit, dimension, title))
    pairs = []
    for number, row in enumerate(rows, len(lines) - len(rows) + 1):
        cells = [_number(row[k], separator) if k < len(row) else None for k in wanted]
        if None in cells:
            raise TableError(f"line {number}: '{separator.join(row)[:40]}' are not two numbers")
        pairs.append(cells)
    if not pairs:
        raise TableError("there is no line with two numbers")
    found = np.array(pairs, float)
    return ReferenceTable(found[:, 0] * factors[0], found[:, 1] * factors[1], titles[0], titles[1])


def _column(said: str, heads: list[str], count: int) -> int:
    """Which column is meant by its number from 1 on, or by its name in the first line, with or without its unit."""
    said = said.strip()
    if said.isdecimal():
        if not 1 <= int(said[:6]) <= max(count, 2):
            raise TableError(f"there is no column {said[:6]}; the table has {count}")
        return int(said[:6]) - 1
    for k, head in enumerate(heads):
        if said.lower() in (head.lower(), re.sub(r"[\[(].*$", "", head).strip().lower()):
            return k
    known = f"; there are: {', '.join(heads)[:200]}" if heads else ", as the first line names none"
    raise TableError(f"there is no column '{said[:40]}'{known}")


def _separator(lines: list[str]) -> str:
    for candidate in (";", "\t"):
        if candidate in lines[-1]:
            return candidate
    return "," if "," in lines[-1] else " "


def _number(text: str, separator: str) -> float | None:
    text = text.strip().replace("−", "-")
    if separator != ",":
        text = text.replace(",", ".")
    try:
        number = float(text)
    except ValueError:
        return None
    return number if np.isfinite(number) else None


def _factor(unit: str, dimension: Dimension, title: str) -> float:
    if not unit:
        if dimension == NONE:
            return 1.0
        raise TableError(f"the unit of '{title}' is not known; write it in the first line, for example '{title} [mm]'")
    try:
        factor, _, found = unit_factor(unit)
    except UnitError as error:
        raise TableError(f"column '{title}': {error}") from error
    if found != dimension:
        raise TableError(f"column '{title}': '{unit}' is not a unit of {dimension}")
    return factor


@dataclass(frozen=True, eq=False)
class Difference:
    """computed (n,) at the reference positions, nan where the curve does not reach; difference (n,) over the reference.

    `scale` is the largest reference value by size: near zero a share of one's own value says nothing.
    """

    position: np.ndarray
    reference: np.ndarray
    computed: np.ndarray
    scale: float

    @property
    def share(self) -> np.ndarray:
        """(computed - reference) / |reference| (n,), nan where the reference is under 1 % of the largest."""
        small = np.abs(self.reference) < 0.01 * self.scale
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(small, np.nan, (self.computed - self.reference) / np.abs(self.reference))

    @property
    def of_largest(self) -> np.ndarray:
        """(computed - reference) over the largest reference value (n,)."""
        return (self.computed - self.reference) / self.scale if self.scale else self.computed - self.reference

    @property
    def largest(self) -> float:
        """The largest difference by size, over the largest reference value; nan when nothing could be compared."""
        found = np.abs(self.of_largest[np.isfinite(self.computed)])
        return float(found.max()) if len(found) else float("nan")

    @property
    def mean(self) -> float:
        """Root mean square of the differences over the largest reference value."""
        found = self.of_largest[np.isfinite(self.computed)]
        return float(np.sqrt(np.mean(found**2))) if len(found) else float("nan")


@dataclass(frozen=True)
class Extreme:
    """The `largest` or `smallest` of some points and that of a curve over their span, with the share that these differ by, nan near zero."""

    which: str
    reference: float
    computed: float
    share: float


def extremes(
    position: np.ndarray, value: np.ndarray, reference_position: np.ndarray, reference_value: np.ndarray
) -> list[Extreme]:
    """Of a curve and of reference points, wherever each has its own; nothing where the curve has no place among the points."""
    low, high = float(reference_position.min()), float(reference_position.max())
    here = value[(position >= low) & (position <= high) & np.isfinite(value)]
    if not len(here):
        return []
    scale = float(np.abs(reference_value).max())
    found = []
    for which, of in (("largest", np.max), ("smallest", np.min)):
        reference, computed = float(of(reference_value)), float(of(here))
        small = abs(reference) < 0.01 * scale or reference == 0
        found.append(
            Extreme(which, reference, computed, float("nan") if small else (computed - reference) / abs(reference))
        )
    return found


def difference(
    position: np.ndarray, value: np.ndarray, reference_position: np.ndarray, reference_value: np.ndarray
) -> Difference:
    """A curve against reference points, by straight lines between the curve's points."""
    order = np.argsort(position, kind="stable")
    position, value = position[order], value[order]
    computed = np.interp(reference_position, position, value, left=np.nan, right=np.nan)
    scale = float(np.abs(reference_value).max(initial=0.0))
    return Difference(reference_position, reference_value, computed, scale)
