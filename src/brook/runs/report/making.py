"""A report made in a process of its own: its figures drawn, then set as what is wanted."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from brook.runs.report.blocks import Figure, Report, lines_of, localised, printable
from brook.store.files import replace_text

KINDS = {".pdf": "PDF", ".docx": "DOCX", ".html": "web page"}


@dataclass(frozen=True)
class ReportOrder:
    """A report of a study, by its kind."""

    slug: str
    study_id: int
    report: Report
    suffix: str
    words: str = "report"

    def make(self, data: Path, out: Path, say: Callable[[str], None]) -> list[str]:
        """Raises `StoreError`, `OSError`."""
        from brook.runs.report.docx import docx_of
        from brook.runs.report.figures import drawn
        from brook.runs.report.page import page_of
        from brook.runs.report.pdf import pdf_of
        from brook.store import Store

        report, pictures, short = printable(localised(self.report)), {}, []
        places = [k for k, block in enumerate(report.blocks) if isinstance(block, Figure)]
        blocks = list(report.blocks)
        with closing(Store(data)) as store:
            for count, k in enumerate(places, 1):
                say(f"figure {count} of {len(places)}")
                figure = blocks[k]
                assert isinstance(figure, Figure)
                picture, words = drawn(store, self.slug, figure)
                if picture is not None:
                    pictures[k] = picture
                else:
                    blocks[k] = replace(figure, caption=f"{figure.caption}: could not be drawn, {'; '.join(words)}")
                    short.append(f"{figure.caption}: {'; '.join(words)}")
        say("set now")
        make = {".pdf": pdf_of, ".docx": docx_of, ".html": page_of}[self.suffix]
        out.write_bytes(make(replace(report, blocks=tuple(blocks)), pictures))
        keep_made(data, self.study_id, self.report)
        return short


def _kept(data: Path, study_id: int) -> Path:
    return data / "reports" / f"{study_id}.json"


def keep_made(data: Path, study_id: int, report: Report) -> None:
    """Notes what the newest report of a study said."""
    path = _kept(data, study_id)
    path.parent.mkdir(parents=True, exist_ok=True)
    replace_text(path, json.dumps({"at": datetime.now(UTC).isoformat(timespec="minutes"), "lines": lines_of(report)}))


def last_made(data: Path, study_id: int) -> tuple[str, list[str]] | None:
    """When the newest report of a study was made (UTC), and what it said; None for none."""
    try:
        told = json.loads(_kept(data, study_id).read_text())
        return str(told["at"]), [str(line) for line in told["lines"]]
    except (OSError, ValueError, KeyError, TypeError):
        return None
