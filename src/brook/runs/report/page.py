"""A report as one web page that needs nothing else."""

from __future__ import annotations

import base64
from html import escape

from brook.runs.report.blocks import Figure, Heading, Report, Table, Text, numbered

STYLE = """
body { font: 16px/1.55 Georgia, "Libertinus Serif", serif; color: #1f2a2e; max-width: 820px; margin: 48px auto; padding: 0 24px; background: #fffefb; }
h1 { font-size: 2rem; line-height: 1.2; margin: 0 0 .4rem; } h2 { color: #0b5a5f; margin: 2.4rem 0 .6rem; } h3 { margin: 1.6rem 0 .4rem; }
.office, dt, figcaption, caption { color: #4c5a5e; } .question { font-size: 1.2rem; } .answer { background: #eef4f0; padding: 12px 14px; border-radius: 4px; font-weight: bold; }
.own { border-left: 3px solid #0f6e73; padding-left: 12px; white-space: pre-line; } .warning { border-left: 3px solid #c8962e; padding-left: 12px; }
dl { display: grid; grid-template-columns: 160px 1fr; gap: 3px 12px; } dd { margin: 0; } table { border-collapse: collapse; width: 100%; margin: 1rem 0; font-size: .86rem; }
caption { text-align: left; padding-bottom: 5px; } th { text-align: left; border-bottom: 1.5px solid #1f2a2e; } th, td { padding: 4px 8px 4px 0; vertical-align: top; } td { border-bottom: 1px solid #d8d4c8; } .number { text-align: right; } td, th { min-width: 64px; } a { color: #0b5a5f; }
figure { margin: 1.2rem 0; } figure img { width: 100%; } figcaption, caption { font-size: .86rem; } nav ol { padding-left: 1.2rem; } nav { margin: 2rem 0; } @media print { body { margin: 0; max-width: none; } h2 { break-after: avoid; } figure, tr { break-inside: avoid; } }
"""


def page_of(report: Report, pictures: dict[int, bytes]) -> bytes:
    """The report as HTML, with its figures by their place among the blocks."""
    facts = "".join(f"<dt>{escape(name)}</dt><dd>{escape(value)}</dd>" for name, value in report.facts)
    made = [f"<!doctype html><html lang='en'><head><meta charset='utf-8'><meta name='viewport' content='width=device-width, initial-scale=1'><title>{escape(report.title)}</title><style>{STYLE}</style></head><body>",
            f"<p class='office'>{escape(report.office)}</p><h1>{escape(report.title)}</h1><p class='question'>{escape(report.question)}</p><p class='answer'>{escape(report.answer)}</p><dl>{facts}</dl>"]  # fmt: skip
    every = list(numbered(report.blocks))
    contents = "".join(f"<li><a href='#part-{name}'>{escape(b.text)}</a></li>" for b, name in every if isinstance(b, Heading) and b.level == 1)  # fmt: skip
    made.append(f"<nav aria-label='Contents'><ol>{contents}</ol></nav>")
    for k, (block, name) in enumerate(every):
        made.append(_html(block, name, pictures.get(k)))
    made.append("</body></html>")
    return "\n".join(made).encode()


def _html(block: object, name: str, picture: bytes | None) -> str:
    if isinstance(block, Heading):
        tag = f"h{block.level + 1}"
        return f"<{tag} id='part-{name}'>{name} {escape(block.text)}</{tag}>"
    if isinstance(block, Text):
        if block.kind == "statement":
            return f"<ul><li>{escape(block.text)}</li></ul>"
        return f"<p class='{block.kind}'>{escape(block.text)}</p>"
    if isinstance(block, Table):

        def cells(row: tuple[str, ...], tag: str) -> str:
            return "".join(f"<{tag}{' class=number' if k in block.numbers else ''}>{escape(text)}</{tag}>" for k, text in enumerate(row))  # fmt: skip

        rows = "".join(f"<tr>{cells(row, 'td')}</tr>" for row in block.rows)
        return f"<table><caption>{name}: {escape(block.caption)}</caption><thead><tr>{cells(block.head, 'th')}</tr></thead><tbody>{rows}</tbody></table>"
    assert isinstance(block, Figure)
    shown = f"<img alt='{escape(block.caption, quote=True)}' src='data:image/png;base64,{base64.b64encode(picture).decode()}'>" if picture else ""  # fmt: skip
    return f"<figure>{shown}<figcaption>{name}: {escape(block.caption)}</figcaption></figure>"
