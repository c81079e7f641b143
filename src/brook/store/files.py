"""Array files of results, one folder for each key. A folder appears whole or not at all."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Iterator
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
        for path in [*(self.root / "checkpoint").glob("*.npz"), *(self.root / "live").glob("*")]:
            if path.stem.isdigit() and int(path.stem) not in wanted:
                shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)

    @contextmanager
    def making(self, stage: str, key: str) -> Iterator[Path]:
        """A temporary folder that takes its place when the block ends well, and goes when it does not."""
        final = self.folder(stage, key)
        final.parent.mkdir(parents=True, exist_ok=True)
        temporary = final.parent / f".{key}-{uuid.uuid4().hex[:8]}"
        temporary.mkdir()
        try:
            yield temporary
            for path in [*temporary.iterdir(), temporary]:
                _to_disk(path)
            if final.exists():
                shutil.rmtree(final)
            os.replace(temporary, final)
        finally:
            shutil.rmtree(temporary, ignore_errors=True)


class RunFiles:
    """Live pictures and the checkpoint of one run, by its number."""

    def __init__(self, root: Path, run_id: int):
        self.checkpoint = root / "checkpoint" / f"{run_id}.npz"
        self.live = root / "live" / str(run_id)

    def write_live(self, name: str, content: bytes) -> None:
        """Replaces a live file at once, so that a reader gets the old or the new one."""
        self.live.mkdir(parents=True, exist_ok=True)
        temporary = self.live / f".{name}"
        temporary.write_bytes(content)
        os.replace(temporary, self.live / name)

    def clear(self) -> None:
        self.checkpoint.unlink(missing_ok=True)
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
