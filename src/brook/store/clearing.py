"""What results take of the disk, which of them nobody needs, and taking those away."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from sqlalchemy import delete, select

from brook.store.engine import Database
from brook.store.tables import LatestRow, MadeRow, ResultRow, RunRow

FOLDERS = ("mesh", "run")  # stages whose results are folders of their own


@dataclass(frozen=True)
class Kept:
    """A folder of a result: since when, how large, and the studies it was made for."""

    stage: str
    key: str
    bytes: int
    at: datetime
    studies: frozenset[int]


@dataclass(frozen=True)
class Taken:
    """What a data folder holds, in bytes: `shown` and `earlier` results, and the rest by what it is."""

    shown: list[Kept]
    earlier: list[Kept]
    rest: dict[str, int] = field(default_factory=dict)


def size_of(path: Path) -> int:
    """Bytes of a file or of all in a folder; what goes away meanwhile counts nothing."""
    total = 0
    for one in [path] if path.is_file() else path.rglob("*"):
        try:
            total += one.stat().st_size if one.is_file() else 0
        except OSError:
            continue
    return total


def taken(store: Database, needed: set[str]) -> Taken:
    """What there is; a result is shown when its key is `needed`, or the newest of a case, or a run that is shown stands on it."""
    with store.session() as session:
        rows = {(r.stage, r.key): r for r in session.scalars(select(ResultRow).where(ResultRow.stage.in_(FOLDERS)))}
        needed = needed | set(session.scalars(select(LatestRow.key)))
        of: dict[str, set[int]] = {}
        for study, key in session.execute(select(MadeRow.study_id, MadeRow.key)):
            of.setdefault(key, set()).add(study)
        waiting = session.scalars(select(RunRow.begin_with).where(RunRow.state.in_(("queued", "running"))))
        needed |= set(waiting)
    stands_on = {key: str(r.summary.get("mesh_key", "")) for (stage, key), r in rows.items() if stage == "run"}
    needed |= {mesh for key, mesh in stands_on.items() if key in needed}
    shown: list[Kept] = []
    earlier: list[Kept] = []
    runs_of: dict[str, set[int]] = {}
    for key, mesh in stands_on.items():
        runs_of.setdefault(mesh, set()).update(of.get(key, ()))
    for stage in FOLDERS:
        for folder in sorted((store.files.root / stage).glob("[!.]*")):
            key, row = folder.name, rows.get((stage, folder.name))
            mine = frozenset(of.get(key, set()) | runs_of.get(key, set()))
            at = row.at if row is not None else datetime.fromtimestamp(folder.stat().st_mtime)
            one = Kept(stage, key, size_of(folder), at, mine)
            (shown if key in needed else earlier).append(one)
    rest = {name: size_of(store.data / part) for name, part in REST.items()}
    return Taken(shown, earlier, {name: size for name, size in rest.items() if size})


REST = {
    "database with all histories": "brook.db",
    "shape files as they came in": "shapes",
    "shapes as they are drawn": "results/shape",
    "boxes for other layers, at most 2 GB": "results/boxes",
    "runs to go on with": "results/checkpoint",
    "movies, pictures, archives and files that were made": "made",
    "reports": "reports",
}


def clear(store: Database, gone: list[Kept]) -> int:
    """Takes results away; gives the bytes that are free now. Readings stay: they take nothing, and are found again when inputs are the same again."""
    keys = [one.key for one in gone]
    with store.writing() as session:
        held = set(session.scalars(select(LatestRow.key)))  # became the newest meanwhile
        free = [k for k in keys if k not in held]
        for start in range(0, len(free), 400):
            part = free[start : start + 400]
            session.execute(delete(ResultRow).where(ResultRow.key.in_(part)))
            session.execute(delete(MadeRow).where(MadeRow.key.in_(part)))
    store.written += 1
    for one in gone:
        if one.key not in held:
            store.files.remove(one.stage, one.key)
    return sum(one.bytes for one in gone if one.key not in held)
