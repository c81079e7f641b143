"""What pages order and takes a while, movies and fields in files: made one after the other in a process of their own, with how far each is, and kept for a while."""

from __future__ import annotations

import json
import os
import re
import secrets
import shutil
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from brook.runs.gate import limited
from brook.runs.side_process import SideProcess, SideProcessError

SECONDS = 3600.0  # that one may take
KEPT, MOST_BYTES = 20, 2e9  # that stay, and of them together; older ones go when a new one begins
NAME = re.compile(r"[0-9a-f]{16}")
MOVIE_KINDS = (".webm", ".mp4", ".zip")


class Stopped(Exception):
    """Somebody wants this no more."""


class Order(Protocol):
    """What is to be made: in words, what its file ends in, and how; `make` gives what fell short in words."""

    @property
    def words(self) -> str:
        """What it is, as `movie`."""

    @property
    def suffix(self) -> str:
        """As `.webm`."""

    def make(self, data: Path, out: Path, say: Callable[[str], None]) -> list[str]:
        """Writes the file, saying how far it is."""


@dataclass(frozen=True)
class MovieOrder:
    """A movie of a plate: `over` and `pictures` as `movies.Wanted` has them, `size` as 1280x720."""

    slug: str
    plate: str
    variant: str
    over: str
    pictures: int
    suffix: str
    size: str = "1280x720"
    words: str = "movie"

    def make(self, data: Path, out: Path, say: Callable[[str], None]) -> list[str]:
        """Raises what `movies.make` raises."""
        from brook.runs.movies import Wanted, make, size_of

        wanted = Wanted(self.over, self.pictures, size_of(self.size))
        return make(data, self.slug, self.plate, self.variant, wanted, out, say)


@dataclass(frozen=True)
class PictureOrder:
    """A plate drawn for print, `size` in pixels as 1280x720."""

    slug: str
    plate: str
    variant: str
    size: str
    suffix: str = ".png"
    words: str = "picture"

    def make(self, data: Path, out: Path, say: Callable[[str], None]) -> list[str]:
        """Raises `NoPlate`, `StoreError`, `ValueError`."""
        from brook.runs.movies import size_of
        from brook.runs.plates import draw, plate_of
        from brook.store import Store

        size = size_of(self.size)
        with closing(Store(data)) as store:
            say("drawn now")
            (made,) = draw(store, self.slug, plate_of(store, self.slug, self.plate), [self.variant], size)
        if made.file is None:
            raise ValueError("; ".join(made.words))
        out.write_bytes(made.file)
        return list(made.words)


@dataclass(frozen=True)
class FieldsOrder:
    """Fields in a file of a kind, as `fields_out.FieldsWanted` has them."""

    slug: str
    variant: str
    kind: str
    of: str = "cells"
    through_time: bool = False
    quantities: tuple[str, ...] = ()
    words: str = "file"

    @property
    def suffix(self) -> str:
        """Several VTU stand in a ZIP."""
        from brook.runs.fields_out import suffix_of

        return suffix_of(self.kind, self.through_time)

    def make(self, data: Path, out: Path, say: Callable[[str], None]) -> list[str]:
        """Raises what `fields_out.write` raises."""
        from brook.runs.fields_out import FieldsWanted, write

        wanted = FieldsWanted(self.of, self.through_time, self.quantities)
        return write(data, self.slug, self.variant, wanted, self.kind, out, say)


def fulfil(data: str, name: str, order: Order) -> dict[str, Any]:
    """Makes it, telling in a file beside it how far it is; gives how it ended."""
    from brook.core.study import DocumentError
    from brook.runs.plates import NoPlate
    from brook.store import StoreError

    folder = Path(data) / "made"
    out = folder / f"{name}{order.suffix}"

    def say(words: str) -> None:
        if (folder / f"{name}.stop").exists():
            raise Stopped
        _tell(folder, name, {"state": "working", "words": words, "of": order.words})

    try:
        words = order.make(Path(data), out, say)
    except Stopped:
        return {"state": "stopped", "words": "stopped", "of": order.words}
    except (NoPlate, StoreError, DocumentError, KeyError, ValueError, OSError) as error:
        return {"state": "failed", "words": str(error.args[0] if error.args else error), "of": order.words}
    return {
        "state": "made",
        "words": "; ".join(words),
        "of": order.words,
        "file": out.name,
        "bytes": out.stat().st_size,
    }


def _tell(folder: Path, name: str, told: dict[str, Any]) -> None:
    part = folder / f"{name}.part"
    part.write_text(json.dumps(told))
    os.replace(part, folder / f"{name}.json")  # whoever reads it meanwhile has it whole


def _warm() -> bool:
    import brook.runs.movies  # noqa: F401

    return True


def _warm_reading() -> bool:
    import brook.runs.archive.taking  # noqa: F401

    return True


class Orders:
    """All that was ordered of a data folder. Safe to use from any thread."""

    def __init__(self, data: Path):
        self.data, self.folder = data, data / "made"
        self._process = SideProcess(SECONDS, _warm, tries=1)
        self._limited = SideProcess(SECONDS, _warm_reading, limited, tries=1)  # for what somebody sent
        self._thread = ThreadPoolExecutor(1, "brook-orders")
        self._here: set[str] = set()  # those that are made by this server

    def begin(self, order: Order) -> str:
        """Puts one more in the row; gives its name."""
        self.folder.mkdir(parents=True, exist_ok=True)
        shutil.rmtree(self.data / "movies", ignore_errors=True)  # where movies stood before
        self._tidy()
        name = secrets.token_hex(8)
        self._here.add(name)
        _tell(self.folder, name, {"state": "waiting", "words": "waits for its turn", "of": order.words})
        self._thread.submit(self._make, name, order)
        return name

    def _make(self, name: str, order: Order) -> None:
        try:
            process = self._limited if getattr(order, "hostile", False) else self._process
            told = process.ask(fulfil, str(self.data), name, order)
        except SideProcessError as error:
            told = {"state": "failed", "words": str(error), "of": order.words}
        except Exception as error:  # whatever it is, the page is not to wait for ever
            told = {"state": "failed", "words": f"{type(error).__name__}: {error}", "of": order.words}
        _tell(self.folder, name, told)
        self._here.discard(name)

    def told(self, name: str) -> dict[str, Any] | None:
        """How one stands: `state` waiting, working, made, failed or stopped, `words`, and what it is `of`; None for one that is not there."""
        path = self.folder / f"{name}.json"
        if not NAME.fullmatch(name) or not path.exists():
            return None
        found: dict[str, Any] = json.loads(path.read_text())
        if found["state"] in ("waiting", "working") and name not in self._here:
            return found | {"state": "failed", "words": "the server ended before it was made; make it anew"}
        return found

    def stop(self, name: str) -> None:
        """Ends one at the next thing that it says."""
        if NAME.fullmatch(name) and self.folder.exists():
            (self.folder / f"{name}.stop").touch()

    def path(self, name: str) -> Path | None:
        """The file of one that is made."""
        told = self.told(name)
        return self.folder / told["file"] if told and told["state"] == "made" else None

    def _tidy(self) -> None:
        """Takes the oldest away where there are many, or much of them together; none that is under way, and not the newest."""
        every = sorted(self.folder.glob("*.json"), key=lambda path: path.stat().st_mtime, reverse=True)
        room = MOST_BYTES
        for k, told in enumerate(every):
            files = list(self.folder.glob(f"{told.stem}.*"))
            room -= sum(path.stat().st_size for path in files)
            if k > 0 and told.stem not in self._here and (k >= KEPT or room < 0):
                for path in files:
                    path.unlink(missing_ok=True)

    def close(self) -> None:
        """Gives up what is being made."""
        self._process.close()
        self._limited.close()
        self._thread.shutdown(wait=False, cancel_futures=True)
