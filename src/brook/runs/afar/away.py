"""The worker's side: a run in a room of the worker's own, which asks its server for inputs and offers it what it makes."""

from __future__ import annotations

import contextlib
import hashlib
import os
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import replace
from pathlib import Path
from typing import Any

from brook.core.solve.run import Wish
from brook.runs.afar.pieces import PIECE, Incoming, Listed, Place, Roots, incoming, listed, minded, packed, read_piece
from brook.runs.task import Request
from brook.runs.watch import Emit
from brook.store.files import ResultFiles, replace_text

ROOM, APART = "BROOK_ROOM", "BROOK_APART"
MARK = "mark"  # of a data folder: who finds the same one there has the same folder
AGAIN = 15.0  # seconds until something is asked for or offered once more
GIVEN_UP = 3600.0  # seconds without an answer of the server
LOOK = 0.5
MOST_KEPT = 5_000_000_000  # bytes of each stage that stay in a room for later runs
STAGES = ("mesh", "run", "shape", "bodies")
TIMES = "times.json"  # of moments: which there are


class GaveUp(RuntimeError):
    """The server did not answer for so long that what was made for it is lost."""


class Talk:
    """Something that is asked for or offered, until the server has settled it."""

    def __init__(self, roots: Roots, event: dict[str, Any]):
        self.id, self.roots, self.event = uuid.uuid4().hex, roots, event
        self.held: dict[Place, dict[str, Path | bytes]] = {}  # what is offered, by the name of the file
        self.coming: dict[Place, tuple[ExitStack, Incoming]] = {}
        self.settled, self.words = threading.Event(), ""

    def close(self) -> None:
        for stack, _ in self.coming.values():  # what did not come whole goes
            with contextlib.suppress(Exception):
                stack.__exit__(GaveUp, GaveUp(), None)
        self.coming.clear()
        self.held.clear()


_talks: dict[str, Talk] = {}


# -- what the server calls here ----------------------------------------------------------------


def piece_of(talk: str, place: Sequence[str], name: str, offset: int) -> bytes:
    """A piece of a file that this worker offers. Raises `KeyError` for what it does not."""
    held = _talks[talk].held[Place(*place)][name]
    return packed(held[offset : offset + PIECE]) if isinstance(held, bytes) else read_piece(held, offset)


def begin(talk: str, place: Sequence[str], files: Sequence[Sequence[object]]) -> bool:
    """Whether the files of a place are wanted here; they are not where the same stand there already."""
    here, where = _talks[talk], Place(*place)
    wanted = minded(where, files)
    if listed(here.roots.path(where)) == sorted(wanted):
        with contextlib.suppress(OSError):
            os.utime(here.roots.path(where))  # used just now: it stays longest
        return False
    stack = ExitStack()
    here.coming[where] = stack, stack.enter_context(incoming(here.roots, where, wanted, anew=True))
    return True


def put(talk: str, place: Sequence[str], name: str, piece: bytes) -> None:
    _talks[talk].coming[Place(*place)][1].put(name, piece)


def end(talk: str, place: Sequence[str]) -> None:
    """Raises `CarriedWrong` where a place did not come as it was sent."""
    _talks[talk].coming.pop(Place(*place))[0].close()


def settle(talk: str, words: str = "") -> None:
    """It is done; `words` say why not, where it is not."""
    found = _talks.get(talk)
    if found is not None:
        found.words = words
        found.settled.set()


# -- the run's side ----------------------------------------------------------------------------


def room_of(topic: str) -> Path:
    """Where this worker keeps what it computes with, for the server of that topic alone. Raises `OSError` where others may write there."""
    named = os.environ.get(ROOM)
    room = Path(named) if named else Path(tempfile.gettempdir()) / f"brook-room-{os.getuid()}"
    room.mkdir(mode=0o700, parents=True, exist_ok=True)
    if room.stat().st_uid != os.getuid():
        raise PermissionError(f"the room of this worker, {room}, belongs to somebody else; name another by {ROOM}")
    return room / topic


def mark_of(results: Path) -> str:
    """What stands in a folder of results alone; made when there is nothing yet."""
    path = results / MARK
    if not path.exists():
        results.mkdir(parents=True, exist_ok=True)
        replace_text(path, uuid.uuid4().hex)
    return path.read_text()


def is_shared(request: Request) -> bool:
    """Whether this worker reaches the very data folder that its server names."""
    if os.environ.get(APART):
        return False
    if not request.mark:
        return True  # a queue of this machine
    try:
        return (Path(request.folder) / MARK).read_text() == request.mark
    except OSError:
        return False


class Away:
    """A run away from its server's data folder. `emit` is what tells the server, `wish` what it wishes; `address` is that of this worker."""

    def __init__(self, request: Request, topic: str, address: str, emit: Emit, wish: Callable[[], Wish]):
        room = room_of(topic)
        self.roots = Roots(room / "results", room / "shapes")
        self.request = replace(request, folder=str(self.roots.results), shapes=str(self.roots.shapes))
        self._emit, self._wish, self._address = emit, wish, address
        self._under_way: dict[str, Talk] = {}  # offers that nobody waits for, by their kind
        self._moments: set[Listed] = set()
        self._files = ResultFiles(self.roots.results)

    def bring(self, places: Sequence[Place]) -> None:
        """Asks for inputs; those that the server has are there afterwards."""
        if places:
            self._wait(self._open({"type": "wanted", "places": [list(p) for p in places]}))

    def emit(self, event: dict[str, Any]) -> None:
        """Passes an event on, after what it is about."""
        kind = event["type"]
        if kind == "result" and event["stage"] in ("mesh", "run"):
            key = event["key"]
            places = [Place("mesh", event["summary"].get("mesh_key", key)), Place("run", key)]
            self._deliver(places if event["stage"] == "run" else places[:1])
            self._emit(event)
        elif kind == "kept":
            self._offer(event["what"])
        elif kind == "picture":
            self._offer("live", event)
        else:
            self._emit(event)

    def close(self) -> None:
        """Delivers what a run may be gone on from, and makes room here."""
        self._finish("live")
        for what in ("moments", "checkpoint"):
            self._finish(what)
            self._offer(what)
            self._finish(what)
        self._files.of_run(self.request.run_id).clear()
        for stage in STAGES:
            self._files.keep_newest(stage, MOST_KEPT)

    def _deliver(self, places: Sequence[Place]) -> None:
        """Offers places and waits until the server has them. Raises `GaveUp`."""
        if places:
            held = {place: _files_of(self.roots.path(place)) for place in places}
            self._wait(self._open(_offered(held), held))

    def _offer(self, what: str, then: dict[str, Any] | None = None) -> None:
        """Offers what changes while a run computes, unless the last of its kind is still on its way: the next one comes soon."""
        before = self._under_way.get(what)
        if before is not None and not before.settled.is_set():
            return
        self._finish(what)
        place = Place(what, str(self.request.run_id))
        path = self.roots.path(place)
        held: dict[str, Path | bytes]
        if what == "live":
            held = {name: p.read_bytes() for name, p in _files_of(path).items() if isinstance(p, Path)}
        elif what == "moments":
            held = {f.name: path / f.name for f in listed(path) if f not in self._moments or f.name == TIMES}
            held = {name: p.read_bytes() if name == TIMES and isinstance(p, Path) else p for name, p in held.items()}
        else:
            held = self._linked(path)
        if held:
            both = {place: held}
            self._under_way[what] = self._open({**_offered(both), "then": then}, both)

    def _linked(self, path: Path) -> dict[str, Path | bytes]:
        """A file by another name, which stays when the next one takes its place."""
        beside = path.with_name(f".offered-{path.name}")
        beside.unlink(missing_ok=True)
        try:
            os.link(path, beside)
        except FileNotFoundError:
            return {}
        return {"": beside}

    def _finish(self, what: str) -> None:
        """Waits for the last offer of a kind, and remembers what it brought."""
        talk = self._under_way.pop(what, None)
        if talk is None:
            return
        sent = [Listed(*f) for _, files in talk.event["files"] for f in files]
        self._wait(talk)
        if what == "moments" and not talk.words:
            self._moments |= set(sent)

    def _open(self, event: dict[str, Any], held: dict[Place, dict[str, Path | bytes]] | None = None) -> Talk:
        talk = Talk(self.roots, event)
        talk.held = held or {}
        talk.event |= {"talk": talk.id, "worker": self._address}
        _talks[talk.id] = talk
        self._emit(talk.event)
        return talk

    def _wait(self, talk: Talk) -> None:
        begun = said = time.monotonic()
        try:
            while not talk.settled.wait(LOOK):
                self._wish()  # raises where nobody will ever answer
                if time.monotonic() - begun > GIVEN_UP:
                    raise GaveUp("the server did not answer for an hour")
                if time.monotonic() - said > AGAIN:
                    said = time.monotonic()
                    self._emit(talk.event)
        finally:
            _talks.pop(talk.id, None)
            talk.close()


def _files_of(path: Path) -> dict[str, Path | bytes]:
    return {f.name: path / f.name if f.name else path for f in listed(path)}


def _offered(held: dict[Place, dict[str, Path | bytes]]) -> dict[str, Any]:
    """The event that offers files: each place with its list."""
    return {"type": "offered", "files": [[list(place), _listed(files)] for place, files in held.items()]}


def _listed(files: dict[str, Path | bytes]) -> list[list[object]]:
    found: list[list[object]] = []
    for name, held in files.items():
        if isinstance(held, bytes):
            found.append([name, len(held), hashlib.sha256(held).hexdigest()])
        else:
            found += [[name, f.size, f.hash] for f in listed(held)]  # a link of a file goes under its place's name
    last = (TIMES, "about.json")  # what says which others there are
    return sorted(found, key=lambda f: (f[0] in last, str(f[0])))
