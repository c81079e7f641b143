"""Backup of a data folder while it is served, and what is taken out of one again: the database by SQLite's own means at one moment, the files after it.

Files of a result never change once they stand under their key, so those that the database knows of at that moment are whole whenever they are copied; one that
is taken away meanwhile is told. Keys of the queue and what pages ordered are made anew and stay out.
"""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from brook.store.lock import DataLock

DATABASE, ABOUT = "brook.db", "backup.json"
STAGES = ("mesh", "run")  # results that cannot be told to be missing but by their row
RESULTS = (*STAGES, "bodies", "shape", "boxes", "checkpoint", "moments")
OTHERS = ("shapes", "reports")
Say = Callable[[str], None]


class BackupRefused(ValueError):
    """Why nothing was copied, in words."""


@dataclass
class Copied:
    """How many files and bytes were copied, and what is missing of what the database knows, as stage/key."""

    files: int = 0
    bytes: int = 0
    missing: list[str] = field(default_factory=list)


def backup(data: Path, out: Path, say: Say) -> Copied:
    """Copies everything of a data folder into a new one. Raises `BackupRefused`, `OSError`; a folder that was begun and not ended has no `backup.json` and is refused
    when it is to be restored."""
    if not (data / DATABASE).exists():
        raise BackupRefused(f"{data} keeps no studies")
    _empty(out)
    say("database")
    with (
        closing(sqlite3.connect(data / DATABASE, timeout=30)) as source,
        closing(sqlite3.connect(out / DATABASE)) as to,
    ):
        source.backup(to)
    copied = _copied(data, out, say)
    copied.missing = _missing(out)
    about = {"of": "brook-backup", "at": datetime.now(UTC).isoformat(timespec="seconds"), "files": copied.files, "bytes": copied.bytes, "missing": copied.missing}  # fmt: skip
    (out / ABOUT).write_text(json.dumps(about, indent=2) + "\n")
    return copied


def restore(source: Path, data: Path, say: Say) -> Copied:
    """Makes a data folder of a backup; the folder must be new or empty. Raises `BackupRefused`, `DataInUse`, `OSError`."""
    try:
        about = json.loads((source / ABOUT).read_text())
    except (OSError, ValueError):
        about = {}
    if about.get("of") != "brook-backup":
        raise BackupRefused(f"{source} is no backup of Brook, or was not made to its end: it has no {ABOUT}")
    _empty(data)
    lock = DataLock(data)
    try:
        say("database")
        shutil.copyfile(source / DATABASE, data / DATABASE)
        if (sound := _soundness(data / DATABASE)) != "ok":
            (data / DATABASE).unlink()
            raise BackupRefused(f"the database of {source} is damaged: {sound}")
        copied = _copied(source, data, say)
        copied.missing = _missing(data)
        return copied
    finally:
        lock.release()


def _soundness(path: Path) -> str:
    """What SQLite says of a database: ok, or what is wrong."""
    try:
        with closing(sqlite3.connect(path)) as there:
            return str(there.execute("PRAGMA integrity_check").fetchone()[0])
    except sqlite3.DatabaseError as error:
        return str(error)


def _empty(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    if any(folder.iterdir()):
        raise BackupRefused(f"{folder} is not empty; name a new folder, so that nothing is overwritten")


def _copied(source: Path, out: Path, say: Say) -> Copied:
    copied = Copied()
    folders = [*(Path("results") / stage for stage in RESULTS), *map(Path, OTHERS)]
    for part in folders:
        there = sorted(path for path in (source / part).glob("*") if not path.name.startswith("."))
        for k, path in enumerate(there, 1):
            if k == 1 or k % 20 == 0 or k == len(there):
                say(f"{part}: {k} of {len(there)}")
            _copy(path, out / part / path.name, copied)
    return copied


def _copy(path: Path, to: Path, copied: Copied) -> None:
    """Copies a file or a folder beside its place and moves it there; one that goes away meanwhile is left out whole."""
    to.parent.mkdir(parents=True, exist_ok=True)
    part = to.with_name(f".{to.name}.part")
    try:
        if path.is_dir():
            shutil.copytree(path, part, ignore=shutil.ignore_patterns(".*"))
        else:
            shutil.copyfile(path, part)
    except (FileNotFoundError, shutil.Error):  # taken away just then
        shutil.rmtree(part, ignore_errors=True)
        part.unlink(missing_ok=True)
        if path.exists():
            raise
        return
    files = [part] if part.is_file() else [f for f in part.rglob("*") if f.is_file()]
    copied.files += len(files)
    copied.bytes += sum(f.stat().st_size for f in files)
    os.replace(part, to)


def _missing(data: Path) -> list[str]:
    """Results that the database knows and that have no files."""
    with closing(sqlite3.connect(data / DATABASE)) as there:
        marks = ", ".join("?" for _ in STAGES)
        rows = there.execute(f"SELECT stage, key FROM results WHERE stage IN ({marks}) ORDER BY stage, key", STAGES)
        return [f"{stage}/{key}" for stage, key in rows if not (data / "results" / stage / key).is_dir()]
