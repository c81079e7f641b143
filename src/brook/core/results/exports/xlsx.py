"""A workbook with one sheet for each table."""

from __future__ import annotations

import math
import re
from io import BytesIO

from brook.core.results.exports.base import Cell, Format, Sheet, printable


def _cell(value: Cell) -> Cell:
    """Text that begins like a formula stays text; nothing where there is no number."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return printable(value) if isinstance(value, str) else value


def write(sheets: list[Sheet]) -> bytes:
    """The bytes of a workbook with a page for each sheet."""
    from openpyxl import Workbook  # only here: few ask for a workbook, and loading it takes a while
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    book.remove(book.active)
    for sheet in sheets:
        page = book.create_sheet(re.sub(r"[\[\]:*?/\\']", " ", printable(sheet.title))[:31] or "Sheet")
        page.append([_cell(c.heading) for c in sheet.columns])
        for heading in page[1]:
            heading.font = Font(bold=True)
        for row in sheet.rows():
            page.append([_cell(v) for v in row])
        for column in page.iter_cols():
            for one in column:
                if isinstance(one.value, str):
                    one.data_type = "s"
        for k, c in enumerate(sheet.columns, 1):
            page.column_dimensions[get_column_letter(k)].width = max(12, min(44, len(c.heading) + 2))
        page.freeze_panes = "A2"
    data = BytesIO()
    book.save(data)
    return data.getvalue()


FORMAT = Format("xlsx", "XLSX", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", write)
