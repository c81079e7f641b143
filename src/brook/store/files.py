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

    @contextmanager
    def making(self, stage: str, key: str) -> Iterator[Path]:
        """A temporary folder that takes its place when the block ends well, and goes when it does not."""
        final = self.folder(stage, key)
        final.parent.mkdir(parents=True, exist_ok=True)
        temporary = final.parent / f".{key}-{uuid.uuid4().hex[:8]}"
        temporary.mkdir()
        try:
            yield temporary
            if final.exists():
                shutil.rmtree(final)
            os.replace(temporary, final)
        finally:
            shutil.rmtree(temporary, ignore_errors=True)
