"""What a report consists of, whatever it is printed as."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

Kind = Literal["plain", "answer", "own", "statement", "warning"]


@dataclass(frozen=True)
class Heading:
    text: str
    level: int = 1


@dataclass(frozen=True)
class Text:
    """A paragraph; `own` ones are somebody's own words, in which nothing is changed."""

    text: str
    kind: Kind = "plain"


@dataclass(frozen=True)
class Table:
    """Rows under a head, all text; `numbers` are the columns that stand to the right."""

    caption: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...] = ()


@dataclass(frozen=True)
class Figure:
    """A picture of a case: a `plate` of a quantity, one kept under a name, or the `residuals` of its run; with the range of its colours in SI units where that is not
    its own, and its height as a share of its width."""

    caption: str
    kind: Literal["plate", "residuals"]
    case: str
    key: str  # of its run
    what: str = ""
    range: tuple[float, float] | None = None
    height: float = 0.42


Block = Heading | Text | Table | Figure


@dataclass(frozen=True)
class Report:
    """Its cover and its blocks; `facts` stand on the cover, `decimal` and `paper` as the document says."""

    title: str
    question: str
    answer: str
    office: str
    facts: tuple[tuple[str, str], ...]
    blocks: tuple[Block, ...] = ()
    paper: str = "a4"
    decimal: str = "point"

    def since(self, last: tuple[str, list[str]] | None) -> Report:
        """The same with a section, at its end, of what changed since the `last` one: when that was made, and its lines."""
        if last is None or not (changed := changes_between(last[1], lines_of(self))):
            return self
        said = Text(f"Against the report of {last[0].replace('T', ' ')[:16]} UTC:")
        more: list[Block] = [
            Heading("What changed since the last report"),
            said,
            *(Text(one, "statement") for one in changed),
        ]
        return replace(self, blocks=(*self.blocks, *more))


def lines_of(report: Report) -> list[str]:
    """All that it says, line by line, to be compared with another one; not when or by which version it was made."""
    found = [report.title, report.question, report.answer]
    for block in report.blocks:
        if isinstance(block, Table):
            found += [f"{block.caption}: {' | '.join(row)}" for row in block.rows]
        elif isinstance(block, Figure):
            found.append(f"{block.caption} [{block.key} {block.what}]")
        else:
            found.append(block.text)
    return found


def changes_between(before: list[str], after: list[str], most: int = 40) -> list[str]:
    """What changed from one report to the next, in words."""
    found = []
    for kind, a, b, c, d in difflib.SequenceMatcher(None, before, after, autojunk=False).get_opcodes():
        if kind == "equal":
            continue
        for k in range(max(b - a, d - c)):
            old = before[a + k] if a + k < b else ""
            new = after[c + k] if c + k < d else ""
            found.append(_told(old, new))
    over = len(found) - most
    return found[:most] + ([f"and {over} more"] if over > 0 else [])


def _told(old: str, new: str) -> str:
    bare_old, bare_new = (re.sub(r" \[.*\]$", "", text) for text in (old, new))
    if bare_old and bare_old == bare_new:
        return f"drawn anew: {bare_new}"
    return f"{bare_old} → {bare_new}" if old and new else f"new: {bare_new}" if new else f"gone: {bare_old}"


def localised(report: Report) -> Report:
    """The same with decimal commas where they are wanted; one's own words stay as they are, and so do names and addresses."""
    if report.decimal != "comma":
        return report

    def said(text: str) -> str:
        return re.sub(r"(?<![\w.])(\d+)\.(\d+)(?![\w]*[.]\d)", r"\1,\2", text)

    def block(one: Block) -> Block:
        return one if isinstance(one, Heading) or (isinstance(one, Text) and one.kind == "own") else _said(one, said)

    return replace(report, answer=said(report.answer), blocks=tuple(map(block, report.blocks)))


def printable(report: Report) -> Report:
    """The same without what no paper shows: control characters and halves of characters, which printers of documents stumble over."""

    def said(text: str) -> str:
        return re.sub(r"[\x00-\x08\x0b-\x1f\x7f]", "", text).encode("utf-8", "ignore").decode()

    facts = tuple((said(name), said(value)) for name, value in report.facts)
    return replace(
        report, title=said(report.title), question=said(report.question), answer=said(report.answer), office=said(report.office), facts=facts,
        blocks=tuple(_said(one, said) for one in report.blocks),
    )  # fmt: skip


def _said(one: Block, said: Callable[[str], str]) -> Block:
    """A block whose words are said in another way."""
    if isinstance(one, Table):
        head, rows = tuple(map(said, one.head)), tuple(tuple(map(said, row)) for row in one.rows)
        return replace(one, caption=said(one.caption), head=head, rows=rows)
    if isinstance(one, Figure):
        return replace(one, caption=said(one.caption))
    return replace(one, text=said(one.text))


def numbered(blocks: tuple[Block, ...]) -> Iterator[tuple[Block, str]]:
    """Blocks with what each is called: `2.1`, `Table 3`, `Figure 1`."""
    parts, counts = [0, 0], {"Table": 0, "Figure": 0}
    for block in blocks:
        name = type(block).__name__
        if isinstance(block, Heading):
            parts = [parts[0] + 1, 0] if block.level == 1 else [parts[0], parts[1] + 1]
            yield block, f"{parts[0]}" if block.level == 1 else f"{parts[0]}.{parts[1]}"
        elif name in counts:
            counts[name] += 1
            yield block, f"{name} {counts[name]}"
        else:
            yield block, ""
