"""Comma-separated values: one table after the other, units in the headings, numbers in full."""

from __future__ import annotations

import csv
import math
import re
from io import StringIO

from brook.core.results.exports.base import Cell, Format, Sheet, printable

FORMULA = "=+-@\t\r"  # what a cell begins with that a table program may work out
VALUE = re.compile(r"[-+]?[\d.,\s]+(?:e[-+]?\d+)?[\w\s/^%°·µ]*", re.ASCII | re.IGNORECASE)  # a number and its unit


def cell(value: Cell) -> str:
    """Text that no table program takes for a formula; numbers with every digit; nothing where there is no number."""
    if isinstance(value, str):
        value = printable(value)
        return f"'{value}" if value[:1] in FORMULA and not VALUE.fullmatch(value) else value
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return ""
    return repr(float(value)) if isinstance(value, float) else str(value)


def write(sheets: list[Sheet]) -> bytes:
    """The bytes of a file with all sheets, one under the other."""
    text = StringIO()
    writer = csv.writer(text, lineterminator="\n")
    for number, sheet in enumerate(sheets):
        if number:
            writer.writerow([])
        if len(sheets) > 1:
            writer.writerow([cell(sheet.title)])
        writer.writerow([cell(c.heading) for c in sheet.columns])
        writer.writerows([cell(v) for v in row] for row in sheet.rows())
    return text.getvalue().encode()


FORMAT = Format("csv", "CSV", "text/csv; charset=utf-8", write)
