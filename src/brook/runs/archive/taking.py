"""Takes what was read of an archive into a data folder: as a study of its own, with results only under keys that have none yet."""

from __future__ import annotations

import os
import shutil
import tempfile
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from brook.core.editing import name_from
from brook.core.study import study_text
from brook.runs.archive.reading import ArchiveRefused, Opened, Say, opened
from brook.store import Author, Store, history
from brook.store.people import People
from brook.store.tables import LatestRow, MadeRow, ResultRow, RevisionRow, StepRow, StudyRow, now

FOLDER = "arriving"  # of a data folder: where archives are opened


@dataclass(frozen=True)
class TakeOrder:
    """An archive at a path that a page received; the file is gone afterwards. What is made is the address of the study."""

    path: str
    name: str
    who: str = ""
    person: int = 0
    suffix: str = ".txt"
    words: str = "study"
    hostile: bool = True  # read under limits, in a process of its own

    def make(self, data: Path, out: Path, say: Say) -> list[str]:
        """Raises `ArchiveRefused`, `OSError`."""
        store = Store(data)
        try:
            slug, words = take_in(store, Path(self.path), say, self.name, self.who)
            People(store).own(slug, self.person)
        finally:
            store.close()
            Path(self.path).unlink(missing_ok=True)
        out.write_text(slug)
        return words


def take_in(store: Store, path: Path, say: Say, name: str = "", who: str = "") -> tuple[str, list[str]]:
    """The address of the study of an archive that was taken in, and what of it was left out or stands there already. Raises `ArchiveRefused`, `OSError`; nothing is
    kept then."""
    arriving = store.data / FOLDER
    arriving.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=arriving) as folder:
        found = opened(path, Path(folder), say)
        say("putting it in its place")
        _shapes(store, found)
        kept = _files(store, found)
        slug = _rows(store, found, name or path.name, who, kept)
    ours = len(found.results) - len(kept)
    words = list(found.left)
    if ours:
        words.append(f"{ours} result{'s' if ours != 1 else ''} of the same inputs are here already: ours stay")
    return slug, words


def clear(data: Path) -> None:
    """Removes what a server left that ended while it took an archive in."""
    shutil.rmtree(data / FOLDER, ignore_errors=True)


def _shapes(store: Store, found: Opened) -> None:
    store.shapes.root.mkdir(parents=True, exist_ok=True)
    for content in found.contents:
        to = store.shapes.path(content)
        if not to.exists():
            os.replace(found.folder / "shapes" / content, to)


def _files(store: Store, found: Opened) -> set[str]:
    """Puts files of results in their place; gives the keys of results that were not here yet."""
    here = set(store.results(set(found.results)))
    fresh = {key for key in found.results if key not in here}
    folders = {(r["stage"], key) for key, r in found.results.items() if key in fresh and r["stage"] in ("mesh", "run")}
    folders |= {
        ("mesh", r["summary"]["mesh_key"]) for key, r in found.results.items() if key in fresh and r["stage"] == "run"
    }
    for stage, key in sorted(folders):
        source = found.folder / "results" / stage / key
        if store.files.has(stage, key) or not source.is_dir():
            continue
        with store.files.making(stage, key) as folder:
            for path in source.iterdir():
                os.replace(path, folder / path.name)
    return fresh


def _rows(store: Store, found: Opened, name: str, who: str, fresh: set[str]) -> str:
    """Writes study, history and results at once; gives the address."""
    came = f"from the archive {name[:80]}, {now():%Y-%m-%d}"
    with store.writing() as session:
        taken = [t.replace("-", "_") for t in session.scalars(select(StudyRow.slug))]
        slug = name_from(found.study.title, taken).replace("_", "-")
        row = StudyRow(slug=slug, document=study_text(found.study), changes=found.changes)
        session.add(row)
        session.flush()
        for r in found.revisions:
            session.add(
                RevisionRow(study_id=row.id, number=r["number"], what=r["what"][:200], document=r["document"], who=r["who"][:60], parent=r["parent"], onward=r["onward"], at=_time(r["at"]))
            )  # fmt: skip
        for s in {s["number"]: s for s in found.steps if s["number"] <= found.changes}.values():
            session.add(
                StepRow(study_id=row.id, number=s["number"], revision=s["revision"], what=s["what"][:240], who=s["who"][:60], at=_time(s["at"]))
            )  # fmt: skip
        session.flush()
        _arrived(session, row, found, came, who)
        for key, r in found.results.items():
            if key in fresh:
                session.merge(
                    ResultRow(key=key, stage=r["stage"], summary={**r["summary"], "came": came}, at=_time(r["at"]))
                )
            session.merge(MadeRow(study_id=row.id, key=key))
        for variant, stage, key in {(v, s): (v, s, k) for v, s, k in found.latest}.values():
            session.merge(LatestRow(study_id=row.id, variant=variant, stage=stage, key=key))
    return slug


def _arrived(session: Session, row: StudyRow, found: Opened, came: str, who: str) -> None:
    """One more step in the history: that it came here; the first where it brings none."""
    author = Author(who)
    if not found.revision:
        session.execute(
            delete(RevisionRow).where(RevisionRow.study_id == row.id)
        )  # none of them is the one that stands
        row.changes, row.revision = 1, 1
        session.execute(delete(StepRow).where(StepRow.study_id == row.id))
        history.begin(session, row, came, author)
        return
    row.revision = found.revision
    history.append(session, row, row.document, came, author)


def _time(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=None)


__all__ = ["ArchiveRefused", "TakeOrder", "clear", "take_in"]
