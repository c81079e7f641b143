"""Comma-separated values: one table after the other, units in the headings, numbers in full."""

from __future__ import annotations

import csv
import math
from io import StringIO

from brook.core.results.exports.base import Cell, Format, Sheet


def cell(value: Cell) -> str:
    """Text as it stands; numbers with every digit; nothing where there is no number."""
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return ""
    return repr(float(value)) if isinstance(value, float) else str(value)


def write(sheets: list[Sheet]) -> bytes:
    text = StringIO()
    writer = csv.writer(text, lineterminator="\n")
    for number, sheet in enumerate(sheets):
        if number:
            writer.writerow([])
        if len(sheets) > 1:
            writer.writerow([sheet.title])
        writer.writerow([c.heading for c in sheet.columns])
        writer.writerows([cell(v) for v in row] for row in sheet.rows())
    return text.getvalue().encode()


FORMAT = Format("csv", "CSV", "text/csv; charset=utf-8", write)
