"""Writes an archive: a ZIP with the document, the history, shape files, and meshes and results as far as they are wanted.

`archive.json` says what it is and lists every other file with its size and SHA-256; `study.json` is the document, `history.jsonl` a revision a line, `steps.jsonl`
a step a line, `results.json` what is said of results, and files of results stand under `results/STAGE/KEY/`, shape files under `shapes/CONTENT`.
"""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from sqlalchemy import select

from brook import __version__
from brook.core.checks import prepare
from brook.core.stages.keys import stage_keys
from brook.core.study import DocumentError, read_study
from brook.store import Store
from brook.store.tables import LatestRow, MadeRow, ResultRow, RevisionRow, StepRow, StudyRow, now

FORMAT, VERSION, ABOUT = "brook-archive", 1, "archive.json"
SUFFIX = ".zip"
PIECE = 1_000_000
Choice = Literal["nothing", "shown", "all"]
CHOICES: dict[Choice, str] = {
    "shown": "meshes and results that it shows now",
    "all": "also those of earlier inputs",
    "nothing": "no meshes and results",
}
CONTENT = re.compile(r'"content":"([0-9a-f]{20})"')
SPARED = ("fields.vtu",)  # is written anew from the fields by whoever wants it
Say = Callable[[str], None]


@dataclass(frozen=True)
class ArchiveOrder:
    """An archive of a study, as pages order it."""

    slug: str
    choice: Choice = "shown"
    suffix: str = SUFFIX
    words: str = "archive"

    def make(self, data: Path, out: Path, say: Say) -> list[str]:
        """Raises `StoreError`, `OSError`."""
        store = Store(data)
        try:
            return write_archive(store, self.slug, out, self.choice, say)
        finally:
            store.close()


class Writer:
    """A ZIP that keeps the hash of each of its files."""

    def __init__(self, file: zipfile.ZipFile):
        self._file, self.listed = file, {}

    listed: dict[str, list[Any]]

    def text(self, name: str, pieces: Iterator[str] | str) -> None:
        with self._file.open(name, "w") as out:
            self._pieces(name, out, (p.encode() for p in ([pieces] if isinstance(pieces, str) else pieces)))

    def file(self, name: str, path: Path) -> None:
        info = zipfile.ZipInfo.from_file(path, name)
        info.compress_type = zipfile.ZIP_STORED if path.suffix == ".npz" else zipfile.ZIP_DEFLATED
        with path.open("rb") as source, self._file.open(info, "w", force_zip64=True) as out:
            self._pieces(name, out, iter(lambda: source.read(PIECE), b""))

    def _pieces(self, name: str, out: Any, pieces: Iterator[bytes]) -> None:
        hashed, size = hashlib.sha256(), 0
        for piece in pieces:
            out.write(piece)
            hashed.update(piece)
            size += len(piece)
        self.listed[name] = [size, hashed.hexdigest()]


def write_archive(store: Store, slug: str, out: Path, choice: Choice, say: Say) -> list[str]:
    """Writes a study's archive; gives in words what is not in it though it was wanted. Raises `StoreError`, `OSError`."""
    row = store.study_row(slug)
    part = out.with_name(f".{out.name}.part")
    missing: list[str] = []
    try:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as file:
            writer = Writer(file)
            say("document and history")
            writer.text("study.json", row.document)
            writer.text("history.jsonl", _revisions(store, row.id))
            writer.text("steps.jsonl", _steps(store, row.id))
            for content in sorted(_contents(store, row.id)):
                _put(writer, f"shapes/{content}", store.shapes.path(content), missing)
            said = _results(store, row, choice)
            writer.text("results.json", json.dumps(said))
            folders = _folders(said)
            for k, (stage, key) in enumerate(folders, 1):
                say(f"results: {k} of {len(folders)}")
                _folder(writer, store, stage, key, missing)
            about = {"of": FORMAT, "version": VERSION, "brook": __version__, "slug": row.slug, "revision": row.revision,
                     "changes": row.changes, "at": now().isoformat(timespec="seconds"), "choice": choice, "files": writer.listed}  # fmt: skip
            file.writestr(ABOUT, json.dumps(about))
        part.replace(out)
    finally:
        part.unlink(missing_ok=True)
    return [f"{name}: its files are not there" for name in missing]


def _put(writer: Writer, name: str, path: Path, missing: list[str]) -> None:
    if path.is_file():
        writer.file(name, path)
    else:
        missing.append(name)


def _folder(writer: Writer, store: Store, stage: str, key: str, missing: list[str]) -> None:
    folder = store.files.folder(stage, key)
    names = sorted(p.name for p in folder.glob("[!.]*") if p.is_file()) if folder.is_dir() else []
    if not names:
        missing.append(f"{stage}/{key}")
    for name in names:
        if name not in SPARED:
            with suppress(FileNotFoundError):  # taken away just then; whoever reads the archive says so
                writer.file(f"results/{stage}/{key}/{name}", folder / name)


def _revisions(store: Store, study: int) -> Iterator[str]:
    with store.session() as session:
        for r in session.scalars(select(RevisionRow).where(RevisionRow.study_id == study).order_by(RevisionRow.number)):
            kept = {"number": r.number, "what": r.what, "who": r.who, "parent": r.parent, "onward": r.onward, "at": r.at.isoformat(), "document": r.document}  # fmt: skip
            yield json.dumps(kept) + "\n"


def _steps(store: Store, study: int) -> Iterator[str]:
    with store.session() as session:
        for s in session.scalars(select(StepRow).where(StepRow.study_id == study).order_by(StepRow.number)):
            yield json.dumps({"number": s.number, "revision": s.revision, "what": s.what, "who": s.who, "at": s.at.isoformat()}) + "\n"  # fmt: skip


def _contents(store: Store, study: int) -> set[str]:
    """Shape files of all revisions, so that what is undone has them too."""
    with store.session() as session:
        texts = session.scalars(select(RevisionRow.document).where(RevisionRow.study_id == study))
        return {content for text in texts for content in CONTENT.findall(text.replace('": "', '":"'))}


def _results(store: Store, row: StudyRow, choice: Choice) -> dict[str, Any]:
    """What is said of the results of a study: `results` by key, and which are the `latest` of its cases."""
    if choice == "nothing":
        return {"results": {}, "latest": []}
    with store.session() as session:
        newest = [
            (n.variant, n.stage, n.key) for n in session.scalars(select(LatestRow).where(LatestRow.study_id == row.id))
        ]
        wanted = {key for _, _, key in newest}
        if choice == "all":
            wanted |= set(session.scalars(select(MadeRow.key).where(MadeRow.study_id == row.id)))
    with suppress(DocumentError):
        wanted |= _shown_by_key(row.document)
    found: dict[str, Any] = {}
    with store.session() as session:
        for key in sorted(wanted):
            if (result := session.get(ResultRow, key)) is not None:
                found[key] = {"stage": result.stage, "summary": result.summary, "at": result.at.isoformat()}
    return {"results": found, "latest": [list(n) for n in sorted(newest) if n[2] in found]}


def _shown_by_key(document: str) -> set[str]:
    """Keys of what a study shows because its inputs are the same again. Raises `DocumentError`."""
    study = read_study(document)
    every = [stage_keys(study, prepare(study, case)) for case in study.cases]
    return {key for k in every if k is not None for key in (k.mesh, k.run, *k.readings.values())}


def _folders(said: dict[str, Any]) -> list[tuple[str, str]]:
    """Folders of results that go along: those that are said, and the meshes that runs stand on."""
    found = {(r["stage"], key) for key, r in said["results"].items() if r["stage"] in ("mesh", "run")}
    found |= {("mesh", r["summary"]["mesh_key"]) for r in said["results"].values() if r["stage"] == "run" and r["summary"].get("mesh_key")}  # fmt: skip
    return sorted(found)
