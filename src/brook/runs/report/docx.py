"""A report as DOCX, for who goes on writing in it."""

from __future__ import annotations

import io
from typing import Any

from brook.runs.report.blocks import Figure, Heading, Report, Table, Text, numbered

WIDTHS = {"a4": (210, 297), "us_letter": (215.9, 279.4)}  # mm


def docx_of(report: Report, pictures: dict[int, bytes]) -> bytes:
    """The report as DOCX, with its figures by their place among the blocks."""
    from docx import Document
    from docx.shared import Mm, Pt

    made = Document()
    section = made.sections[0]
    section.page_width, section.page_height = (Mm(size) for size in WIDTHS[report.paper])
    section.left_margin = section.right_margin = Mm(24)
    made.core_properties.title = report.title
    made.core_properties.author = report.office
    if report.office:
        made.add_paragraph(report.office)
    made.add_heading(report.title, 0)
    made.add_paragraph(report.question)
    made.add_paragraph().add_run(report.answer).bold = True
    _rows(made, (), report.facts)
    made.add_page_break()
    for k, (block, name) in enumerate(numbered(report.blocks)):
        if isinstance(block, Heading):
            made.add_heading(f"{name} {block.text}", block.level)
        elif isinstance(block, Text):
            for part in block.text.split("\n\n"):
                style = "List Bullet" if block.kind == "statement" else "Quote" if block.kind == "own" else None
                run = made.add_paragraph(style=style).add_run(part)
                run.bold = block.kind == "answer" or None
        elif isinstance(block, Table):
            made.add_paragraph(f"{name}: {block.caption}", style="Caption")
            _rows(made, block.head, block.rows, block.numbers)
            made.add_paragraph().paragraph_format.space_after = Pt(2)
        elif isinstance(block, Figure):
            if k in pictures:
                made.add_picture(io.BytesIO(pictures[k]), width=Mm(160))
            made.add_paragraph(f"{name}: {block.caption}", style="Caption")
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def _rows(made: Any, head: tuple[str, ...], rows: tuple[tuple[str, ...], ...], numbers: tuple[int, ...] = ()) -> None:
    from docx.enum.text import WD_ALIGN_PARAGRAPH
    from docx.shared import Pt

    every = ([head] if head else []) + list(rows)
    if not every:
        return
    table = made.add_table(rows=0, cols=len(every[0]), style="Light List Accent 1" if head else None)
    for row in every:
        cells = table.add_row().cells
        for k, text in enumerate(row):
            cells[k].text = text
            for paragraph in cells[k].paragraphs:
                paragraph.paragraph_format.space_after = Pt(0)
                if k in numbers:
                    paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT
                for run in paragraph.runs:
                    run.font.size = Pt(9)
