"""Reads an archive that somebody sent, in time linear in its size, under limits, and believes nothing: sizes and hashes are counted, documents are read as if typed, and numbers of meshes
and fields are looked at before any compiled loop may run over them. Runs in a process of its own.
"""

from __future__ import annotations

import hashlib
import json
import re
import stat
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.mesh import Mesh
from brook.core.mesh.soundness import why_unsound
from brook.core.numerics import Stencil
from brook.core.solve import Fields, History
from brook.core.study import DocumentError, Study, read_study
from brook.runs.archive.writing import ABOUT, FORMAT, PIECE, VERSION
from brook.store.room import Room, trouble_of

MOST_FILES = 100_000
MOST_BYTES = 100_000_000_000  # of all files together
MOST_TEXT = 400_000_000  # of history, steps and what is said of results
MOST_ABOUT = 40_000_000
DENSEST = 200  # times that files may grow when they are opened, all together
MOST_REVISIONS = 20_000
RESERVE = 500_000_000  # bytes that stay free
NAME = r"[A-Za-z0-9][A-Za-z0-9_.\-]{0,150}"
MEMBER = re.compile(
    rf"study\.json|history\.jsonl|steps\.jsonl|results\.json|shapes/[0-9a-f]{{20}}|results/(mesh|run)/[0-9a-f]{{20}}/{NAME}"
)
KEY = re.compile(r"[0-9a-f]{20}")
# what pages ask of what is said of a result: of another kind, or not there, and it is left out
SAID: dict[str, dict[str, type | tuple[type, ...]]] = {
    "mesh": {"cells": int, "faces": int, "points": int, "verdict": str, "sentence": str, "worst": dict, "histograms": dict},
    "run": {"state": str, "message": str, "iterations": int, "seconds": (int, float), "cells": int, "steady": dict, "ranges": dict,
            "residual_curve": list, "mass_flows": dict, "flows": dict, "mesh_key": str, "mean_pressures": dict},
    "reading": {"problem": str},
}  # fmt: skip
STATES = ("converged", "enough", "not converged", "stopped", "diverged")
Say = Callable[[str], None]


class ArchiveRefused(ValueError):
    """Why a file is not taken in."""


@dataclass
class Opened:
    """An archive that was read: the study, its history and its results, whose files stand in `folder`; `left` says what of it is left out."""

    study: Study
    changes: int
    revision: int
    revisions: list[dict[str, Any]]
    steps: list[dict[str, Any]]
    results: dict[str, dict[str, Any]]
    latest: list[tuple[str, str, str]]
    contents: list[str]
    folder: Path
    left: list[str] = field(default_factory=list)


def opened(path: Path, folder: Path, say: Say) -> Opened:
    """Reads an archive, and puts its files into a new folder. Raises `ArchiveRefused`, `OSError`."""
    try:
        with zipfile.ZipFile(path) as file:
            about = _about(file)
            listed = _listed(file, about, path.stat().st_size, folder)
            for k, name in enumerate(sorted(listed), 1):
                if k == 1 or k % 20 == 0 or k == len(listed):
                    say(f"opening file {k} of {len(listed)}")
                _extract(file, name, *listed[name], folder / name)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        if trouble_of(error):
            raise
        raise ArchiveRefused(f"this is no archive of Brook, or it is damaged: {error}") from None
    return _understood(about, listed, folder, say)


def _about(file: zipfile.ZipFile) -> dict[str, Any]:
    try:
        info = file.getinfo(ABOUT)
    except KeyError:
        raise ArchiveRefused(f"this is no archive of Brook: it has no {ABOUT}") from None
    if info.file_size > MOST_ABOUT:
        raise ArchiveRefused(f"{ABOUT} has more than {MOST_ABOUT // 1_000_000} MB")
    with file.open(info) as source:
        about = _json(source.read(MOST_ABOUT + 1), ABOUT)
    if not isinstance(about, dict) or about.get("of") != FORMAT or not isinstance(about.get("files"), dict):
        raise ArchiveRefused(f"this is no archive of Brook: its {ABOUT} does not say so")
    if about.get("version") != VERSION:
        raise ArchiveRefused(f"this archive has version {about.get('version')!r}; this Brook reads version {VERSION}")
    return about


def _listed(file: zipfile.ZipFile, about: dict[str, Any], size: int, folder: Path) -> dict[str, tuple[int, str]]:
    """Size and hash of each file by its name. Raises `ArchiveRefused` for whatever is not as archives are."""
    there = [i for i in file.infolist() if i.filename != ABOUT]
    names = [i.filename for i in there]
    said = about["files"]
    if len(names) > MOST_FILES or len(set(names)) != len(names):
        raise ArchiveRefused(f"it has more than {MOST_FILES} files, or two of one name")
    if strange := next((n for n in names if not MEMBER.fullmatch(n)), None):
        raise ArchiveRefused(f"'{strange[:80]}' is no file of an archive")
    if set(names) != set(said) or "study.json" not in said:
        raise ArchiveRefused("its files are not those that it lists; it is damaged, or was changed")
    found: dict[str, tuple[int, str]] = {}
    for info in there:
        one = said[info.filename]
        good = isinstance(one, list) and len(one) == 2 and isinstance(one[0], int) and isinstance(one[1], str)
        if not good or info.file_size != one[0] or info.flag_bits & 1 or stat.S_ISLNK(info.external_attr >> 16):
            raise ArchiveRefused(f"{info.filename} is not what the archive says it is")
        found[info.filename] = one[0], one[1]
    total = sum(s for s, _ in found.values())
    if total > MOST_BYTES or total > DENSEST * max(size, 1):
        raise ArchiveRefused(
            f"opened it would have {total / 1e9:.1f} GB, which cannot be right for a file of {size / 1e6:.1f} MB"
        )
    free = Room.at(folder).free - RESERVE
    if total > free:
        raise ArchiveRefused(
            f"opened it has {total / 1e9:.1f} GB, and {max(free, 0) / 1e9:.1f} GB are free; make room and try again"
        )
    return found


def _extract(file: zipfile.ZipFile, name: str, size: int, hashed: str, to: Path) -> None:
    to.parent.mkdir(parents=True, exist_ok=True)
    seen, count = hashlib.sha256(), 0
    with file.open(name) as source, to.open("xb") as out:
        while piece := source.read(PIECE):
            count += len(piece)
            if count > size:
                break
            seen.update(piece)
            out.write(piece)
    if count != size or seen.hexdigest() != hashed:
        raise ArchiveRefused(f"{name} is damaged; ask for the archive again")


def _json(text: bytes, name: str) -> Any:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        raise ArchiveRefused(f"{name} cannot be read; the archive is damaged") from None


def _understood(about: dict[str, Any], listed: dict[str, tuple[int, str]], folder: Path, say: Say) -> Opened:
    for name in ("history.jsonl", "steps.jsonl", "results.json"):
        if listed.get(name, (0, ""))[0] > MOST_TEXT:
            raise ArchiveRefused(f"{name} has more than {MOST_TEXT // 1_000_000} MB")
    say("reading the document")
    try:
        study = read_study((folder / "study.json").read_bytes())
    except DocumentError as error:
        raise ArchiveRefused(f"its document cannot be read: {error}") from None
    left: list[str] = []
    revisions = _revisions(_lines(folder / "history.jsonl"), about, left, say)
    steps = [s for s in _lines(folder / "steps.jsonl") if _is(s, number=int, revision=int, what=str, who=str, at=str)]
    said = _json((folder / "results.json").read_bytes(), "results.json") if "results.json" in listed else {}
    results = _results(said.get("results", {}) if isinstance(said, dict) else {}, folder, left, say)
    latest = [
        (str(n[0])[:60], str(n[1])[:60], n[2])
        for n in (said.get("latest", []) if isinstance(said, dict) else [])
        if isinstance(n, list) and len(n) == 3 and isinstance(n[2], str) and n[2] in results
    ]
    contents = [name.removeprefix("shapes/") for name in listed if name.startswith("shapes/")]
    for content in contents:
        if listed[f"shapes/{content}"][1][:20] != content:
            raise ArchiveRefused(f"shape file {content} is not what its name says; the archive was changed")
    revision, changes = about.get("revision"), about.get("changes")
    revision = revision if isinstance(revision, int) and any(r["number"] == revision for r in revisions) else 0
    return Opened(study, changes if isinstance(changes, int) and changes > 0 else 1, revision, revisions, steps, results, latest, contents, folder, left)  # fmt: skip


def _lines(path: Path) -> list[Any]:
    if not path.exists():
        return []
    with path.open("rb") as file:
        return [_json(line, path.name) for line in file]


def _is(raw: Any, **kinds: type) -> bool:
    if not isinstance(raw, dict) or not all(isinstance(raw.get(k), kind) and not isinstance(raw.get(k), bool) for k, kind in kinds.items()):  # fmt: skip
        return False
    try:
        datetime.fromisoformat(raw["at"])
    except ValueError:
        return False
    return all(abs(raw[k]) < 2**31 for k, kind in kinds.items() if kind is int)


def _revisions(raw: list[Any], about: dict[str, Any], left: list[str], say: Say) -> list[dict[str, Any]]:
    """Revisions that can be read, in Brook's own writing of now, each made from the nearest one before that can."""
    if len(raw) > MOST_REVISIONS:
        raise ArchiveRefused(f"its history has more than {MOST_REVISIONS} steps")
    rows = [r for r in raw if _is(r, number=int, what=str, who=str, document=str, at=str)]
    by_number = {r["number"]: r for r in rows}
    if len(by_number) != len(raw):
        raise ArchiveRefused("its history cannot be read; it is damaged, or was changed")
    lost: set[int] = set()
    for k, row in enumerate(rows, 1):
        if k % 50 == 0:
            say(f"history: step {k} of {len(rows)}")
        try:
            row["document"] = read_study(row["document"]).canonical
        except DocumentError:
            lost.add(row["number"])

    def kept(number: Any, way: str) -> int | None:
        seen: set[int] = set()
        while isinstance(number, int) and number in by_number and number in lost and number not in seen:
            seen.add(number)
            number = by_number[number].get(way)
        return number if isinstance(number, int) and number in by_number and number not in lost else None

    found = [
        {**r, "parent": p if (p := kept(r.get("parent"), "parent")) is not None and p < r["number"] else None, "onward": kept(r.get("onward"), "onward")}
        for r in rows if r["number"] not in lost
    ]  # fmt: skip
    if lost:
        left.append(f"{len(lost)} step{'s' if len(lost) > 1 else ''} of its history cannot be read by this Brook")
    return found


def _results(raw: Any, folder: Path, left: list[str], say: Say) -> dict[str, dict[str, Any]]:
    """Results whose arrays and words can be read; the others are told."""
    found: dict[str, dict[str, Any]] = {}
    meshes: dict[str, Mesh | None] = {}
    for key, said in sorted(raw.items()) if isinstance(raw, dict) else ():
        why = _why_not(key, said)
        if not why and said["stage"] == "mesh":
            say(f"looking at mesh {key[:6]}")
            why = _mesh(folder, key, meshes)
        elif not why and said["stage"] == "run":
            say(f"looking at run {key[:6]}")
            why = _mesh(folder, said["summary"]["mesh_key"], meshes) or _run(folder, key, said, meshes)
        if why:
            left.append(f"{said.get('stage', 'result') if isinstance(said, dict) else 'result'} {str(key)[:6]}: {why}")
        else:
            found[key] = {"stage": said["stage"], "summary": said["summary"], "at": said["at"]}
    return found


def _why_not(key: str, said: Any) -> str:
    if not KEY.fullmatch(key) or not _is(said, stage=str, summary=dict, at=str) or said["stage"] not in SAID:
        return "what is said of it cannot be read"
    summary = said["summary"]
    wrong = next((n for n, kind in SAID[said["stage"]].items() if not isinstance(summary.get(n), kind)), "")
    if wrong:
        return f"what is said of it lacks its {wrong.replace('_', ' ')}, or is of another version"
    if said["stage"] == "run" and (summary["state"] not in STATES or not KEY.fullmatch(summary["mesh_key"])):
        return "what is said of it cannot be right"
    if said["stage"] == "reading" and not isinstance(summary.get("value"), (int, float, type(None))):
        return "its value is no number"
    return ""


def _mesh(folder: Path, key: str, meshes: dict[str, Mesh | None]) -> str:
    if key not in meshes:
        meshes.clear()  # one at a time: they are large
        try:
            mesh = Mesh.load(folder / "results" / "mesh" / key / "mesh.npz")
            why = why_unsound(mesh)
        except (OSError, ValueError, KeyError, IndexError, TypeError, zipfile.BadZipFile, MemoryError) as error:
            if trouble_of(error):
                raise
            mesh, why = None, "its mesh is not there, or cannot be read"
        if why:
            return f"mesh {key[:6]}: {why}" if mesh is not None else why
        meshes[key] = mesh
    return ""


def _run(folder: Path, key: str, said: dict[str, Any], meshes: dict[str, Mesh | None]) -> str:
    here = folder / "results" / "run" / key
    mesh = meshes[said["summary"]["mesh_key"]]
    assert mesh is not None
    try:
        stencil = Stencil(mesh)
        cells, edges = stencil.cells, stencil.boundary_count
        for path in [here / "fields.npz", *sorted(here.glob("at-*.npz"))]:
            fields = Fields.load(path, stencil)
            more = [a for pair in fields.more.values() for a in pair]
            sizes = {len(a) for a in (fields.velocity, fields.pressure)} | {len(a) for a in more[::2]}
            on_edges = {len(a) for a in (fields.boundary_velocity, fields.boundary_pressure)} | {
                len(a) for a in more[1::2]
            }
            numbers = all(
                isinstance(a, np.ndarray) and a.dtype.kind in "fiub"
                for a in (fields.flux, fields.velocity, fields.pressure, *more)
            )
            if (
                sizes != {cells}
                or on_edges != {edges}
                or fields.velocity.shape != (cells, 3)
                or len(fields.flux) != stencil.active
                or not numbers
            ):
                return "its fields do not fit its mesh"
        History.read((here / "history.json").read_text())
    except (
        OSError,
        ValueError,
        KeyError,
        IndexError,
        TypeError,
        AttributeError,
        zipfile.BadZipFile,
        MemoryError,
    ) as error:
        if trouble_of(error):
            raise
        return "its fields are not there, or cannot be read"
    return ""
