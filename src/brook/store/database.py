"""The database: one writer, write-ahead log, schema by migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, select
from sqlalchemy.orm import Session, sessionmaker

from brook.core.editing import name_from
from brook.core.study import Study, read_study, study_text
from brook.store.files import ResultFiles
from brook.store.tables import LatestRow, ResultRow, RevisionRow, RunRow, StudyRow, now

MIGRATIONS = Path(__file__).parent / "migrations"


class StoreError(LookupError):
    """Something asked for is not in the store."""


class Store:
    """Studies with their revisions, runs and results under one data folder."""

    def __init__(self, data: Path):
        data.mkdir(parents=True, exist_ok=True)
        self.data = data
        self.files = ResultFiles(data / "results")
        self.engine = create_engine(f"sqlite:///{data / 'brook.db'}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", _settings)
        upgrade(self.engine)
        self._session = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: committed when the block ends well, undone when it does not."""
        with self._session() as session, session.begin():
            yield session

    def close(self) -> None:
        self.engine.dispose()

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

    def add_study(self, study: Study, what: str) -> str:
        """Keeps a new study and gives its address."""
        with self.session() as session:
            taken = list(session.scalars(select(StudyRow.slug)))
            slug = name_from(study.title, [t.replace("-", "_") for t in taken]).replace("_", "-")
            row = StudyRow(slug=slug, document=study_text(study))
            session.add(row)
            session.flush()
            session.add(RevisionRow(study_id=row.id, number=1, what=what, document=row.document))
            return slug

    def change_study(self, slug: str, study: Study, what: str, revision: int) -> bool:
        """Keeps a changed document as the next revision; False when another change came first."""
        with self.session() as session:
            row = _row(session, slug)
            if row.revision != revision:
                return False
            row.document, row.revision, row.changed = study_text(study), row.revision + 1, now()
            session.add(RevisionRow(study_id=row.id, number=row.revision, what=what[:200], document=row.document))
            return True

    def remove_study(self, slug: str) -> None:
        with self.session() as session:
            session.delete(_row(session, slug))

    # -- runs ---------------------------------------------------------------------------------

    def add_run(self, study_id: int, variant: str, document: str, until: str) -> RunRow:
        with self.session() as session:
            run = RunRow(study_id=study_id, variant=variant, document=document, until=until)
            session.add(run)
            return run

    def change_run(self, run_id: int, **values: Any) -> RunRow | None:
        with self.session() as session:
            run = session.get(RunRow, run_id)
            for name, value in values.items():
                setattr(run, name, value)
            return run

    def run(self, run_id: int) -> RunRow | None:
        with self.session() as session:
            return session.get(RunRow, run_id)

    def unfinished(self, study_id: int | None = None) -> list[RunRow]:
        """Runs that wait or are under way, in the order of the queue."""
        query = select(RunRow).where(RunRow.state.in_(("queued", "running"))).order_by(RunRow.id)
        if study_id is not None:
            query = query.where(RunRow.study_id == study_id)
        with self.session() as session:
            return list(session.scalars(query))

    def newest_runs(self, study_id: int) -> dict[str, RunRow]:
        """The newest run of each variant."""
        query = select(RunRow).where(RunRow.study_id == study_id).order_by(RunRow.id)
        with self.session() as session:
            return {run.variant: run for run in session.scalars(query)}

    # -- results ------------------------------------------------------------------------------

    def keep_result(self, study_id: int, variant: str, stage: str, key: str, summary: dict[str, Any]) -> None:
        with self.session() as session:
            session.merge(ResultRow(key=key, stage=stage.split(":")[0], summary=summary))
            session.merge(LatestRow(study_id=study_id, variant=variant, stage=stage, key=key))

    def note_latest(self, study_id: int, shown: list[tuple[str, str, str]]) -> None:
        """Notes (variant, stage, key) as the newest results, for those that an older run had made."""
        with self.session() as session:
            for variant, stage, key in shown:
                session.merge(LatestRow(study_id=study_id, variant=variant, stage=stage, key=key))

    def result(self, key: str) -> dict[str, Any] | None:
        with self.session() as session:
            row = session.get(ResultRow, key)
            return row.summary if row else None

    def latest(self, study_id: int) -> dict[tuple[str, str], tuple[str, dict[str, Any]]]:
        """(key, summary) of the newest result by (variant, stage)."""
        query = select(LatestRow, ResultRow).join(ResultRow, ResultRow.key == LatestRow.key)
        with self.session() as session:
            found = session.execute(query.where(LatestRow.study_id == study_id)).all()
            return {(latest.variant, latest.stage): (latest.key, result.summary) for latest, result in found}


def _row(session: Session, slug: str) -> StudyRow:
    row = session.scalar(select(StudyRow).where(StudyRow.slug == slug))
    if row is None:
        raise StoreError(f"there is no study at '{slug}'")
    return row


def _settings(connection: Any, _: Any) -> None:
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.execute("PRAGMA synchronous=FULL")
    cursor.close()


def upgrade(engine: Engine) -> None:
    """Brings the schema to the newest migration."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
