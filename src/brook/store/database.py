"""Studies, their history and their results in the store."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from brook.core.editing import name_from
from brook.core.study import Study, read_study, study_text
from brook.store import history
from brook.store.history import Author
from brook.store.runs import RunStore, of_sweep
from brook.store.tables import LatestRow, MadeRow, ResultRow, RevisionRow, StepRow, StudyRow

NOBODY = Author()


class StoreError(LookupError):
    """Something asked for is not in the store."""


class Store(RunStore):
    """Studies with their revisions, runs and results under one data folder."""

    # -- studies ------------------------------------------------------------------------------

    def studies(self) -> list[StudyRow]:
        with self.session() as session:
            return list(session.scalars(select(StudyRow).order_by(StudyRow.changed.desc(), StudyRow.id)))

    def study_row(self, slug: str) -> StudyRow:
        """Raises `StoreError`."""
        with self.session() as session:
            return _row(session, slug)

    def study(self, slug: str) -> Study:
        """Raises `StoreError`."""
        return read_study(self.study_row(slug).document)

    def add_study(self, study: Study, what: str, author: Author = NOBODY, changed: datetime | None = None) -> str:
        """Keeps a new study and gives its address. The shelf shows first what was `changed` last: now, if nothing is said."""
        with self.writing() as session:
            taken = list(session.scalars(select(StudyRow.slug)))
            slug = name_from(study.title, [t.replace("-", "_") for t in taken]).replace("_", "-")
            row = StudyRow(slug=slug, document=study_text(study))
            session.add(row)
            session.flush()
            history.begin(session, row, what, author)
            row.changed = changed or row.changed
            return slug

    def change_study(self, slug: str, study: Study, what: str, changes: int, author: Author = NOBODY) -> bool:
        """Keeps a changed document as a new revision; False when another change came first."""
        with self.writing() as session:
            row = _row(session, slug)
            if row.changes != changes:
                return False
            history.append(session, row, study_text(study), what, author)
            return True

    def undo(self, slug: str, author: Author = NOBODY) -> str | None:
        """Goes back by one revision; what was undone, or None at the first one. Raises `Meanwhile`, `NotOwn`."""
        with self.writing() as session:
            row = _row(session, slug)
            history.mind_others(session, row, author)
            here = history.revision_row(session, row.id, row.revision)
            if here.parent is None:
                return None
            history.mind_owner(session, row, here, author)
            history.revision_row(session, row.id, here.parent).onward = here.number
            history.go_to(session, row, here.parent, f"Undo: {here.what}", author)
            return here.what

    def redo(self, slug: str, author: Author = NOBODY) -> str | None:
        """Goes on to the revision last undone; what was done again, or None at the end. Raises `Meanwhile`."""
        with self.writing() as session:
            row = _row(session, slug)
            history.mind_others(session, row, author)
            onward = history.revision_row(session, row.id, row.revision).onward
            if onward is None:
                return None
            there = history.revision_row(session, row.id, onward)
            history.go_to(session, row, onward, f"Redo: {there.what}", author)
            return there.what

    def go_back(self, slug: str, number: int, author: Author = NOBODY) -> str:
        """Makes any revision the one that stands; what it had done. Raises `StoreError`, `Meanwhile`."""
        with self.writing() as session:
            row = _row(session, slug)
            history.mind_others(session, row, author)
            try:
                what = history.revision_row(session, row.id, number).what
            except LookupError as error:
                raise StoreError(str(error)) from error
            history.go_to(session, row, number, f"Go to step {number}: {what}", author)
            return what

    def mind_others(self, slug: str, author: Author) -> None:
        """Raises `Meanwhile` when another window took a step that this one has not seen."""
        with self.session() as session:
            history.mind_others(session, _row(session, slug), author)

    def neighbours(self, row: StudyRow) -> tuple[str | None, str | None]:
        """What undoing and redoing would concern, None where there is nothing."""
        with self.session() as session:
            here = history.revision_row(session, row.id, row.revision)
            if here.onward is None:
                return (here.what if here.parent else None), None
            return (here.what if here.parent else None), history.revision_row(session, row.id, here.onward).what

    def revisions(self, study_id: int, before: int | None = None, count: int = 200) -> list[RevisionRow]:
        """The newest revisions, without their documents, the newest first."""
        query = select(RevisionRow).options(defer(RevisionRow.document)).where(RevisionRow.study_id == study_id)
        if before is not None:
            query = query.where(RevisionRow.number < before)
        with self.session() as session:
            return list(session.scalars(query.order_by(RevisionRow.number.desc()).limit(count)))

    def steps(self, study_id: int, count: int = 60) -> list[StepRow]:
        """The newest steps, the newest first."""
        query = select(StepRow).where(StepRow.study_id == study_id).order_by(StepRow.number.desc()).limit(count)
        with self.session() as session:
            return list(session.scalars(query))

    def line_of(self, row: StudyRow) -> set[int]:
        """Numbers of the revisions that undoing and redoing pass from here."""
        query = select(RevisionRow.number, RevisionRow.parent, RevisionRow.onward).where(RevisionRow.study_id == row.id)
        with self.session() as session:
            links = {number: (parent, onward) for number, parent, onward in session.execute(query)}
        line: set[int] = set()
        at: int | None = row.revision
        while at is not None and at not in line:
            line.add(at)
            at = links[at][0]
        at = links[row.revision][1]
        while at is not None and at not in line:
            line.add(at)
            at = links[at][1]
        return line

    def remove_study(self, slug: str) -> None:
        """Removes a study with its history, its runs, and the results that no other study has shown."""
        with self.writing() as session:
            row = _row(session, slug)
            mine = set(session.scalars(select(MadeRow.key).where(MadeRow.study_id == row.id)))
            session.delete(row)
            session.flush()
            alone = mine - set(session.scalars(select(MadeRow.key)))
            found = [r for key in sorted(alone) if (r := session.get(ResultRow, key)) is not None]
            gone = [(r.stage, r.key) for r in found]
            meshes = {r.summary.get("mesh_key") for r in found if r.stage == "run"}
            for result in found:
                session.delete(result)
            session.flush()
            if meshes:  # those that fields stand on may have keys of their own
                others = session.scalars(select(ResultRow.summary).where(ResultRow.stage == "run"))
                meshes -= {summary.get("mesh_key") for summary in others}
                meshes -= set(session.scalars(select(ResultRow.key).where(ResultRow.stage == "mesh")))
        self.written += 1
        for stage, key in [*gone, *(("mesh", key) for key in meshes if key)]:
            if stage in ("mesh", "run"):
                self.files.remove(stage, key)

    def keys_of(self, study_id: int) -> set[str]:
        """Keys of all results that were made for a study, or that it has shown."""
        with self.session() as session:
            return set(session.scalars(select(MadeRow.key).where(MadeRow.study_id == study_id)))

    def studies_of(self, key: str) -> set[int]:
        """Numbers of the studies that a result was made for, or of which a run stands on this mesh."""
        of_key = select(MadeRow.study_id).where(MadeRow.key == key)
        mesh = ResultRow.summary["mesh_key"].as_string()
        of_mesh = (
            select(MadeRow.study_id)
            .join(ResultRow, ResultRow.key == MadeRow.key)
            .where(ResultRow.stage == "run", mesh == key)
        )
        with self.session() as session:
            return set(session.scalars(of_key)) or set(session.scalars(of_mesh))

    # -- results ------------------------------------------------------------------------------

    def keep_result(self, study_id: int, variant: str, stage: str, key: str, summary: dict[str, Any]) -> None:
        with self.writing() as session:
            session.merge(ResultRow(key=key, stage=stage.split(":")[0], summary=summary))
            session.merge(LatestRow(study_id=study_id, variant=variant, stage=stage, key=key))
            session.merge(MadeRow(study_id=study_id, key=key))
        self.written += 1

    def note_latest(self, study_id: int, shown: list[tuple[str, str, str]]) -> None:
        """Notes (variant, stage, key) as the newest results, for those that an older run had made."""
        with self.writing() as session:
            for variant, stage, key in shown:
                session.merge(LatestRow(study_id=study_id, variant=variant, stage=stage, key=key))
                session.merge(MadeRow(study_id=study_id, key=key))

    def result(self, key: str) -> dict[str, Any] | None:
        with self.session() as session:
            row = session.get(ResultRow, key)
            return row.summary if row else None

    def results(self, keys: set[str]) -> dict[str, dict[str, Any]]:
        """Summaries by key, of those keys that have a result."""
        found: dict[str, dict[str, Any]] = {}
        wanted = sorted(keys)
        with self.session() as session:
            for start in range(0, len(wanted), 500):
                query = select(ResultRow.key, ResultRow.summary).where(ResultRow.key.in_(wanted[start : start + 500]))
                found |= {key: summary for key, summary in session.execute(query)}
        return found

    def latest(self, study_id: int, sweep: str = "") -> dict[tuple[str, str], tuple[str, dict[str, Any]]]:
        """(key, summary) of the newest result by (case, stage), of cases of a sweep or of all that are of none."""
        query = select(LatestRow, ResultRow).join(ResultRow, ResultRow.key == LatestRow.key)
        with self.session() as session:
            mine = (LatestRow.study_id == study_id, of_sweep(LatestRow.variant, sweep))
            found = session.execute(query.where(*mine)).all()
            return {(latest.variant, latest.stage): (latest.key, result.summary) for latest, result in found}


def _row(session: Session, slug: str) -> StudyRow:
    row = session.scalar(select(StudyRow).where(StudyRow.slug == slug))
    if row is None:
        raise StoreError(f"there is no study at '{slug}'")
    return row
