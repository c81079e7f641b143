"""A report as PDF, set by typst."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from brook.runs.report.blocks import Figure, Heading, Report, Table, Text, numbered

LEGEND, RESIDUALS, TALLEST = (
    0.12,
    0.32,
    0.5,
)  # heights over widths: of title and legend, of a figure of residuals, of the tallest that fills the width
PAPER = {"a4": "a4", "us_letter": "us-letter"}
BEGIN = """
#set document(title: {title})
#set page(paper: "{paper}", margin: (x: 24mm, top: 26mm, bottom: 24mm), numbering: none)
#set text(font: ("Libertinus Serif", "New Computer Modern"), size: 10.5pt, fill: rgb("#1f2a2e"))
#set par(justify: true, leading: 0.62em)
#set heading(numbering: "1.1")
#show heading.where(level: 1): it => block(above: 1.6em, below: 0.8em, text(size: 15pt, fill: rgb("#0b5a5f"), it))
#show heading.where(level: 2): it => block(above: 1.2em, below: 0.6em, text(size: 12pt, it))
#show figure: set block(breakable: true)
#show figure.caption: it => block(sticky: true, text(size: 9pt, fill: rgb("#4c5a5e"), it))
#show figure.where(kind: table): set figure.caption(position: top)
#set table(stroke: (x, y) => (bottom: if y == 0 {{ 0.8pt + rgb("#1f2a2e") }} else {{ 0.4pt + rgb("#d8d4c8") }}), inset: (x: 5pt, y: 4pt))
#show table: set text(size: 9pt)
#show table: set par(justify: false)
#let own(it) = block(inset: (left: 9pt), stroke: (left: 2pt + rgb("#0f6e73")), it)
#let warning(it) = block(inset: (left: 9pt), stroke: (left: 2pt + rgb("#c8962e")), it)
#let answer(it) = block(fill: rgb("#eef4f0"), inset: 9pt, radius: 3pt, width: 100%, strong(it))
#align(left)[
  #v(32mm)
  #text(size: 10pt, fill: rgb("#4c5a5e"))[#{office}]
  #v(6mm)
  #par(justify: false, text(size: 26pt, weight: "bold")[#{title}])
  #v(4mm)
  #par(justify: false, text(size: 14pt)[#{question}])
  #v(8mm)
  #answer[#{answer}]
  #v(12mm)
  #table(columns: (38mm, 1fr), stroke: none, inset: (x: 0pt, y: 3pt), {facts})
  #v(10mm)
  #outline(depth: 1, title: text(size: 11pt)[Contents])
]
#set page(numbering: "1 / 1", header: text(size: 8.5pt, fill: rgb("#4c5a5e"))[#{title} #h(1fr) #{office}])
#pagebreak(weak: true)
"""


def quoted(text: str) -> str:
    """A text as typst writes it, so that nothing in it is taken for markup."""
    return json.dumps(text, ensure_ascii=False).replace("\\/", "/")


def source_of(report: Report, files: dict[int, str]) -> str:
    """The whole report in typst's language; `files` has the names of figures by their place among the blocks."""
    facts = ", ".join(f'text(fill: rgb("#4c5a5e"), {quoted(name)}), {quoted(value)}' for name, value in report.facts)
    made = [BEGIN.format(title=quoted(report.title), office=quoted(report.office or " "), question=quoted(report.question), answer=quoted(report.answer), facts=facts, paper=PAPER[report.paper])]  # fmt: skip
    for k, (block, _) in enumerate(numbered(report.blocks)):
        if isinstance(block, Heading):
            made.append(f"#heading(level: {block.level}, {quoted(block.text)})")
        elif isinstance(block, Text):
            made += [_paragraph(part, block.kind) for part in block.text.split("\n\n") if part.strip()]
        elif isinstance(block, Table):
            made.append(_table(block))
        elif isinstance(block, Figure):
            made.append(f"#figure(image({quoted(files[k])}, width: {_width(block)}%), caption: {quoted(block.caption)})" if k in files else f"#warning[#{quoted(block.caption)}]")  # fmt: skip
    return "\n\n".join(made)


def _paragraph(text: str, kind: str) -> str:
    if kind == "statement":
        return f"#list.item[#{quoted(text)}]"
    return f"#par[#{quoted(text)}]" if kind == "plain" else f"#{kind}[#{quoted(text)}]"


def _table(table: Table) -> str:
    align = ", ".join("right" if k in table.numbers else "left" for k in range(len(table.head)))
    columns = ", ".join("auto" if k in table.numbers else f"{_weight(table, k):.2f}fr" for k in range(len(table.head)))
    head = ", ".join(f"strong({quoted(one)})" for one in table.head)
    cells = ", ".join(quoted(one) for row in table.rows for one in row)
    return f"#figure(table(columns: ({columns},), align: ({align},), table.header({head}), {cells}), caption: {quoted(table.caption)})"


def _width(figure: Figure) -> int:
    """Of a figure, in hundredths of the text's: tall ones are narrower, so that two stand on a page."""
    height = RESIDUALS if figure.kind == "residuals" else figure.height + LEGEND
    return round(100 * min(1.0, TALLEST / height))


def _weight(table: Table, k: int) -> float:
    """How much of the width a column of words takes: by its longest text, long ones less than in proportion."""
    return float(max(len(row[k]) for row in (table.head, *table.rows)) ** 0.6)


def pdf_of(report: Report, pictures: dict[int, bytes]) -> bytes:
    """The report as PDF, with its figures by their place among the blocks."""
    import typst

    with tempfile.TemporaryDirectory() as folder:
        files = {}
        for k, picture in pictures.items():
            files[k] = f"figure-{k}.png"
            (Path(folder) / files[k]).write_bytes(picture)
        main = Path(folder) / "report.typ"
        main.write_text(source_of(report, files))
        return bytes(typst.compile(str(main)))
