"""The database of a data folder and what is kept beside it: one writer, write-ahead log, schema by migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.orm import Session, sessionmaker

from brook.store.files import ResultFiles, ShapeStore

MIGRATIONS = Path(__file__).parent / "migrations"


class Database:
    """Transactions on the database, and the files beside it."""

    def __init__(self, data: Path):
        data.mkdir(parents=True, exist_ok=True)
        self.data = data
        self.written = 0  # goes up whenever results or runs change: what was read of them before may be out of date
        self.files = ResultFiles(data / "results")
        self.shapes = ShapeStore(data / "shapes")
        self.engine = create_engine(f"sqlite:///{data / 'brook.db'}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", _settings)
        event.listen(self.engine, "begin", _begin)
        upgrade(self.engine)
        self._reading = sessionmaker(self.engine, expire_on_commit=False)
        self._writing = sessionmaker(self.engine.execution_options(writes=True), expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction that only reads: it sees the database as it is at its first question."""
        with self._reading() as session, session.begin():
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A transaction that may write, alone from its first line: kept when the block ends well, else undone."""
        with self._writing() as session, session.begin():
            yield session

    def close(self) -> None:
        self.engine.dispose()


def _begin(connection: Connection) -> None:
    """Writers take their lock at once: two that read first and write later could each lose the other's change."""
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")


def _settings(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions are begun by `_begin`, not by the driver
    cursor = connection.cursor()
    cursor.execute("PRAGMA journal_mode=WAL")
    cursor.execute("PRAGMA foreign_keys=ON")
    cursor.execute("PRAGMA synchronous=FULL")
    cursor.close()


def upgrade(engine: Engine) -> None:
    """Brings the schema to the newest migration."""
    newest = max(path.name.partition("_")[0] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))
    with engine.begin() as connection:
        known = (
            text("SELECT version_num FROM alembic_version")
            if inspect(connection).has_table("alembic_version")
            else None
        )
        if known is not None and connection.execute(known).scalars().all() == [newest]:
            return
    from alembic import command  # only when there is something to do: loading it takes a good part of a start
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.connect() as connection:
        driver: Any = connection.connection.driver_connection
        driver.execute("PRAGMA foreign_keys=OFF")  # a table that is made anew would take along what refers to it
        try:
            with connection.begin():
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
        finally:
            driver.execute("PRAGMA foreign_keys=ON")
