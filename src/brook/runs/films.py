"""Movies that pages ask for: made one after the other in a process of their own, with how far each is, and kept for a while."""

from __future__ import annotations

import json
import os
import re
import secrets
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from brook.runs.side_process import SideProcess, SideProcessError

SECONDS = 3600.0  # that a movie may take
KEPT = 20  # movies that stay; older ones go when a new one begins
NAME = re.compile(r"[0-9a-f]{16}")
KINDS = (".webm", ".mp4")


class Stopped(Exception):
    """Somebody wants this movie no more."""


@dataclass(frozen=True)
class Film:
    """What is to be made: `over` and `pictures` as `movies.Wanted` has them; the file has the name of the film."""

    data: str
    slug: str
    plate: str
    variant: str
    over: str
    pictures: int
    kind: str
    name: str


def film(wanted: Film) -> dict[str, Any]:
    """Makes it, telling in a file beside it how far it is; gives how it ended."""
    from brook.core.study import DocumentError
    from brook.runs.movies import Wanted, make
    from brook.runs.plates import NoPlate
    from brook.store import StoreError

    folder = Path(wanted.data) / "movies"
    out = folder / f"{wanted.name}{wanted.kind}"

    def say(words: str) -> None:
        if (folder / f"{wanted.name}.stop").exists():
            raise Stopped
        _tell(folder, wanted.name, {"state": "working", "words": words})

    try:
        words = make(
            Path(wanted.data), wanted.slug, wanted.plate, wanted.variant, Wanted(wanted.over, wanted.pictures), out, say
        )
    except Stopped:
        return {"state": "stopped", "words": "stopped"}
    except (NoPlate, StoreError, DocumentError, KeyError, ValueError, OSError) as error:
        return {"state": "failed", "words": str(error.args[0] if error.args else error)}
    return {"state": "made", "words": "; ".join(words), "file": out.name, "bytes": out.stat().st_size}


def _tell(folder: Path, name: str, told: dict[str, Any]) -> None:
    part = folder / f"{name}.part"
    part.write_text(json.dumps(told))
    os.replace(part, folder / f"{name}.json")  # whoever reads it meanwhile has it whole


def _warm() -> bool:
    import brook.runs.movies  # noqa: F401

    return True


class Films:
    """All movies of a data folder. Safe to use from any thread."""

    def __init__(self, data: Path):
        self.data, self.folder = data, data / "movies"
        self._process = SideProcess(SECONDS, _warm, tries=1)
        self._thread = ThreadPoolExecutor(1, "brook-movies")
        self._here: set[str] = set()  # those that are made by this server

    def begin(self, slug: str, plate: str, variant: str, over: str, pictures: int, kind: str) -> str:
        """Puts one more in the row; gives its name. Raises `ValueError` for what cannot be."""
        if kind not in KINDS:
            raise ValueError(f"movies are made as {' or '.join(KINDS)}")
        self.folder.mkdir(parents=True, exist_ok=True)
        self._tidy()
        name = secrets.token_hex(8)
        self._here.add(name)
        _tell(self.folder, name, {"state": "waiting", "words": "waits for its turn"})
        self._thread.submit(self._make, Film(str(self.data), slug, plate, variant, over, pictures, kind, name))
        return name

    def _make(self, wanted: Film) -> None:
        try:
            told = self._process.ask(film, wanted)
        except SideProcessError as error:
            told = {"state": "failed", "words": str(error)}
        except Exception as error:  # whatever it is, the page is not to wait for ever
            told = {"state": "failed", "words": f"{type(error).__name__}: {error}"}
        _tell(self.folder, wanted.name, told)
        self._here.discard(wanted.name)

    def told(self, name: str) -> dict[str, Any] | None:
        """How one stands: `state` waiting, working, made, failed or stopped, and `words`; None for one that is not there."""
        path = self.folder / f"{name}.json"
        if not NAME.fullmatch(name) or not path.exists():
            return None
        found: dict[str, Any] = json.loads(path.read_text())
        if found["state"] in ("waiting", "working") and name not in self._here:
            return {"state": "failed", "words": "the server ended before it was made; make it anew"}
        return found

    def stop(self, name: str) -> None:
        """Ends one after the next few pictures."""
        if NAME.fullmatch(name) and self.folder.exists():
            (self.folder / f"{name}.stop").touch()

    def path(self, name: str) -> Path | None:
        """The file of one that is made."""
        told = self.told(name)
        return self.folder / told["file"] if told and told["state"] == "made" else None

    def _tidy(self) -> None:
        every = sorted(self.folder.glob("*.json"), key=lambda path: path.stat().st_mtime)
        for old in every[: max(0, len(every) - KEPT)]:
            for path in self.folder.glob(f"{old.stem}.*"):
                path.unlink(missing_ok=True)

    def close(self) -> None:
        """Gives up what is being made."""
        self._process.close()
        self._thread.shutdown(wait=False, cancel_futures=True)
