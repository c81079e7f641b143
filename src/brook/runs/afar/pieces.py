"""What travels: places in a data folder, lists of their files with hashes, and pieces of these."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import uuid
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from brook.store.files import ResultFiles

PIECE = 4_000_000  # bytes before they are compressed
WHOLE = ("mesh", "run", "shape", "bodies")  # folders that appear whole, by their key
GROWING = ("moments", "live")  # folders of a run, by its number, whose files come one by one
SINGLE = ("checkpoint", "file")  # files: of a run by its number, of a shape by its content
MOST_FILES = 200_000
NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.\-]{0,150}")
WORTH = 0.95  # of its size: what does not shrink to less is sent as it is


class CarriedWrong(RuntimeError):
    """What came is not what was sent, or is nothing that may be sent."""


class Place(NamedTuple):
    """Something in a data folder: a `kind` and its key, number or content."""

    kind: str
    name: str


class Listed(NamedTuple):
    """A file of a place ('' where the place is one), with its size in bytes and hash."""

    name: str
    size: int
    hash: str


@dataclass(frozen=True)
class Roots:
    """Where a data folder, or a part of one, keeps results and shape files."""

    results: Path
    shapes: Path

    def path(self, place: Place) -> Path:
        """Raises `CarriedWrong` for what is no place."""
        kind, name = place
        number = name.isdigit() and len(name) < 16
        if kind in WHOLE and NAME.fullmatch(name):
            return self.results / kind / name
        if kind in GROWING and number:
            return self.results / kind / name
        if kind == "checkpoint" and number:
            return self.results / kind / f"{name}.npz"
        if kind == "file" and NAME.fullmatch(name):
            return self.shapes / name
        raise CarriedWrong(f"{kind}/{name} is nothing that travels")


def hash_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def listed(path: Path) -> list[Listed]:
    """The files of a place, [] where there is none."""
    if path.is_file():
        return [Listed("", path.stat().st_size, hash_of(path))]
    names = sorted(p.name for p in path.glob("*") if p.is_file() and NAME.fullmatch(p.name)) if path.is_dir() else []
    return [Listed(name, (path / name).stat().st_size, hash_of(path / name)) for name in names]


def read_piece(path: Path, offset: int) -> bytes:
    """A piece of a file from there on, as `taken` opens it; raises `OSError`."""
    with path.open("rb") as file:
        file.seek(offset)
        return packed(file.read(PIECE))


def packed(data: bytes) -> bytes:
    small = zlib.compress(data, 1)
    return b"z" + small if len(small) < WORTH * len(data) else b"=" + data


def taken(piece: bytes) -> bytes:
    """What a piece holds. Raises `CarriedWrong` for one that is damaged, or larger than any that is sent."""
    if piece[:1] == b"=" and len(piece) <= PIECE + 1:
        return piece[1:]
    if piece[:1] == b"z":
        opening = zlib.decompressobj()
        try:
            data = opening.decompress(piece[1:], PIECE)
        except zlib.error as error:
            raise CarriedWrong(f"a piece came damaged: {error}") from None
        if opening.eof:
            return data
    raise CarriedWrong("a piece is larger than pieces are, or was cut short")


def minded(place: Place, files: Sequence[Sequence[object]]) -> list[Listed]:
    """A list of files as somebody sent it. Raises `CarriedWrong`."""
    found = [Listed(str(n), int(str(s)), str(h)) for n, s, h in files]
    names = [f.name for f in found]
    good = len(found) <= MOST_FILES and len(set(names)) == len(names) and all(f.size >= 0 for f in found)
    named = names == [""] if place.kind in SINGLE else all(NAME.fullmatch(name) for name in names)
    if not good or not named:
        raise CarriedWrong(f"the list of files of {place.kind}/{place.name} cannot be right")
    return found


class Incoming:
    """Files of a place on their way in, beside where they belong."""

    def __init__(self, place: Place, files: list[Listed], folder: Path):
        self.place, self._files, self.folder = place, {f.name: f for f in files}, folder

    def path(self, name: str) -> Path:
        if name not in self._files:
            raise CarriedWrong(f"'{name}' was not announced")
        return self.folder / (name or self.place.name)

    def put(self, name: str, piece: bytes) -> None:
        """Appends a piece; pieces of a file come in their order."""
        path = self.path(name)
        with path.open("ab") as file:
            file.write(taken(piece))
            if file.tell() > self._files[name].size:
                raise CarriedWrong(f"{self.place.kind}/{self.place.name}: {name} is larger than it was said to be")

    def check(self) -> None:
        """Raises `CarriedWrong` unless every file is there as it was sent."""
        for name, said in self._files.items():
            path = self.path(name)
            path.touch()
            if path.stat().st_size != said.size or hash_of(path) != said.hash:
                raise CarriedWrong(f"{self.place.kind}/{self.place.name}: {name} did not come as it was sent")


@contextmanager
def incoming(roots: Roots, place: Place, files: list[Listed], anew: bool = False) -> Iterator[Incoming]:
    """Takes files in; they are where they belong, whole and checked, when the block ends well, and nothing of them otherwise."""
    final = roots.path(place)
    if place.kind in WHOLE:
        with ResultFiles(roots.results).making(place.kind, place.name, anew) as folder:
            coming = Incoming(place, files, folder)
            yield coming
            coming.check()
        return
    beside = final.parent / f".{place.name}-{uuid.uuid4().hex[:8]}"
    beside.mkdir(parents=True)
    try:
        coming = Incoming(place, files, beside)
        yield coming
        coming.check()
        if place.kind in GROWING:
            final.mkdir(parents=True, exist_ok=True)
        for one in files:
            os.replace(coming.path(one.name), final / one.name if one.name else final)
    finally:
        shutil.rmtree(beside, ignore_errors=True)
