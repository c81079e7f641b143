"""Array files of results, one folder for each key. A folder appears whole or not at all."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path


class ResultFiles:
    """`root/<stage>/<key>/…`"""

    def __init__(self, root: Path):
        self.root = root

    def folder(self, stage: str, key: str) -> Path:
        return self.root / stage / key

    def has(self, stage: str, key: str) -> bool:
        return self.folder(stage, key).is_dir()

    def of_run(self, run_id: int) -> RunFiles:
        """What a run under way, paused or stopped keeps."""
        return RunFiles(self.root, run_id)

    def clear_runs(self, wanted: set[int]) -> None:
        """Removes what runs kept that nobody can go on with any more."""
        kept = [
            *(self.root / "checkpoint").glob("*.npz"),
            *(self.root / "live").glob("*"),
            *(self.root / "moments").glob("*"),
        ]
        for path in kept:
            if path.stem.isdigit() and int(path.stem) not in wanted:
                shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)

    def clear_shapes(self, wanted: set[str]) -> None:
        """Removes shapes in space, and what was cut short, that no study shows now; they can be made again."""
        for stage in ("shape", "bodies"):
            for path in (self.root / stage).glob("*"):
                if path.name not in wanted:
                    shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)

    def remove(self, stage: str, key: str) -> None:
        """Takes the result of a key away; whoever reads it just then finds it gone."""
        gone = self.folder(stage, f".{key}-{uuid.uuid4().hex[:8]}")
        try:
            os.replace(self.folder(stage, key), gone)
        except FileNotFoundError:
            return
        shutil.rmtree(gone, ignore_errors=True)

    def keep_newest(self, stage: str, most: int) -> None:
        """Removes what was used longest ago of a stage that can be made again, until `most` bytes are left."""
        there = []
        for path in (self.root / stage).glob("[!.]*"):
            try:
                there.append((path.stat().st_mtime, sum(f.stat().st_size for f in path.iterdir()), path.name))
            except OSError:
                continue  # somebody else took it away
        total = 0
        for _, size, key in sorted(there, reverse=True):
            total += size
            if total > most:
                self.remove(stage, key)

    def clear_unfinished(self, older_than: float = 0.0) -> None:
        """Removes what writers left that were cut short, untouched for so many seconds."""
        before = time.time() - older_than
        for path in [
            *self.root.glob("*/.*"),
            *self.root.glob("live/*/.*"),
            *self.root.glob("moments/*/.*"),
            *self.root.glob("turns/*"),
        ]:
            try:
                if path.lstat().st_mtime > before:
                    continue
                shutil.rmtree(path) if path.is_dir() else path.unlink()
            except OSError:
                continue  # somebody else took it away, or may alone do so

    @contextmanager
    def turn(self, stage: str, key: str, wait: Callable[[], None]) -> Iterator[None]:
        """While the block runs, nobody else makes this key; `wait` is called again and again until it is one's turn."""
        path = self.root / "turns" / f"{stage}-{key}"
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a") as file:
            while True:
                try:
                    fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except BlockingIOError:
                    wait()
                    continue
                break
            yield  # the file stays: others may wait for it

    @contextmanager
    def making(self, stage: str, key: str, anew: bool = False) -> Iterator[Path]:
        """A temporary folder that takes its place when the block ends well, and goes when it does not.

        What is there already stays, as it was made from the same inputs and somebody may read it; `anew` replaces it.
        """
        final = self.folder(stage, key)
        final.parent.mkdir(parents=True, exist_ok=True)
        temporary = final.parent / f".{key}-{uuid.uuid4().hex[:8]}"
        temporary.mkdir()
        try:
            yield temporary
            for path in [*temporary.iterdir(), temporary]:
                _to_disk(path)
            try:
                os.rename(temporary, final)
            except OSError:
                if not final.is_dir():
                    raise
                if anew:
                    self.remove(stage, key)
                    os.rename(temporary, final)
        finally:
            shutil.rmtree(temporary, ignore_errors=True)


def replace_text(path: Path, text: str) -> None:
    """Puts a text in the place of another at once: whoever reads gets the old or the new one."""
    temporary = path.with_name(f".{path.name}-{uuid.uuid4().hex[:8]}")
    try:
        temporary.write_text(text)
        os.replace(temporary, path)
    finally:
        temporary.unlink(missing_ok=True)


def moment_file(number: str) -> str:
    """The file of the fields of a moment that was kept, by its number."""
    return f"at-{number}.npz"


class RunFiles:
    """Live pictures and the checkpoint of one run, by its number."""

    def __init__(self, root: Path, run_id: int):
        self.checkpoint = root / "checkpoint" / f"{run_id}.npz"
        self.live = root / "live" / str(run_id)
        self.moments = root / "moments" / str(run_id)

    def write_live(self, name: str, content: bytes) -> None:
        """Replaces a live file at once, so that a reader gets the old or the new one."""
        self.live.mkdir(parents=True, exist_ok=True)
        temporary = self.live / f".{name}"
        temporary.write_bytes(content)
        os.replace(temporary, self.live / name)

    def clear(self) -> None:
        self.checkpoint.unlink(missing_ok=True)
        shutil.rmtree(self.moments, ignore_errors=True)
        self.clear_live()

    def clear_live(self) -> None:
        shutil.rmtree(self.live, ignore_errors=True)


def _to_disk(path: Path) -> None:
    """Waits until a file or folder is on the disk itself: a power cut must not lose what is told to be there."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


class ShapeStore:
    """Shape files as they came in, each under a hash of its content; one appears whole or not at all."""

    def __init__(self, root: Path):
        self.root = root

    def path(self, content: str) -> Path:
        return self.root / content

    def clear_unfinished(self) -> None:
        """Removes what did not come in whole before the server ended."""
        for path in self.root.glob(".*"):
            path.unlink(missing_ok=True)

    @contextmanager
    def receiving(self) -> Iterator[Receiving]:
        """A file on its way in; it is gone after the block unless it was kept."""
        self.root.mkdir(parents=True, exist_ok=True)
        fresh = Receiving(self.root, self.root / f".{uuid.uuid4().hex}")
        try:
            yield fresh
        finally:
            fresh.temporary.unlink(missing_ok=True)


class Receiving:
    """Takes the content of a file piece by piece."""

    def __init__(self, root: Path, temporary: Path):
        self.root, self.temporary, self.size = root, temporary, 0
        self._hash = hashlib.sha256()

    def take(self, piece: bytes) -> None:
        with self.temporary.open("ab") as file:
            file.write(piece)
        self._hash.update(piece)
        self.size += len(piece)

    def keep(self) -> str:
        """Puts the file in its place; gives the name of its content."""
        content = self._hash.hexdigest()[:20]
        _to_disk(self.temporary)
        os.replace(self.temporary, self.root / content)
        _to_disk(self.root)
        return content
