"""The server's side: brings workers the inputs that they want, and fetches what they offer."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from brook.runs.afar import away
from brook.runs.afar.pieces import (
    GROWING,
    PIECE,
    WHOLE,
    CarriedWrong,
    Listed,
    Place,
    Roots,
    incoming,
    listed,
    minded,
    read_piece,
)
from brook.store.room import trouble_of

TOGETHER = 4  # talks at a time
TRIES = 3  # of what did not come as it was sent
EVERY = 1.0  # seconds between two looks whether there is room again
RUNS_OWN = ("checkpoint", "moments", "live")  # places that a run may write under its own number alone
Call = Callable[..., Any]  # worker's address, function, arguments: what it gives there


class Carrier:
    """Answers the talks of workers. `call` runs a function in a worker, `tell` passes events on."""

    def __init__(self, call: Call, tell: Callable[[dict[str, Any]], None]):
        self._call, self._tell = call, tell
        self._pool = ThreadPoolExecutor(TOGETHER, "brook-carrier")
        self._busy: set[str] = set()
        self._lock = threading.Lock()
        self._closed = False

    def take(self, event: dict[str, Any], roots: Roots) -> None:
        """Answers a talk in its turn; one that is being answered already is left alone."""
        with self._lock:
            if self._closed or event["talk"] in self._busy:
                return
            self._busy.add(event["talk"])
        self._pool.submit(self._answer, event, roots)

    def close(self) -> None:
        self._closed = True
        self._pool.shutdown(wait=False, cancel_futures=True)

    def _answer(self, event: dict[str, Any], roots: Roots) -> None:
        worker, talk = event["worker"], event["talk"]
        words = ""
        try:
            if event["type"] == "wanted":
                for place in (Place(*p) for p in event["places"]):
                    self._bring(worker, talk, roots, place)
            else:
                for place, files in event["files"]:
                    self._fetch(event, roots, Place(*place), files)
        except (CarriedWrong, KeyError, ValueError, TypeError) as error:
            words = str(error)
            print(f"run {event.get('run')}, {worker}: {words}", flush=True)
        except Exception as error:  # the worker is gone; its run begins again elsewhere
            print(f"run {event.get('run')}: {worker} does not answer: {error!r}", flush=True)
            with self._lock:
                self._busy.discard(talk)
            return
        try:
            self._call(worker, away.settle, talk, words)
            if event.get("then") and not words:
                self._tell(event["then"] | {"run": event["run"]})
        except Exception as error:
            print(f"run {event.get('run')}: {worker} does not answer: {error!r}", flush=True)
        finally:
            with self._lock:
                self._busy.discard(talk)

    def _bring(self, worker: str, talk: str, roots: Roots, place: Place) -> None:
        """Brings a worker what there is of a place; nothing where there is nothing."""
        path = roots.path(place)
        files = listed(path)
        if not files or not self._call(worker, away.begin, talk, place, files):
            return
        for file in files:
            one = path / file.name if file.name else path
            for offset in range(0, file.size, PIECE):
                self._call(worker, away.put, talk, place, file.name, read_piece(one, offset))
        self._call(worker, away.end, talk, place)

    def _fetch(self, event: dict[str, Any], roots: Roots, place: Place, files: Sequence[Sequence[object]]) -> None:
        """Fetches a place that a worker offers, unless it is here already; waits where there is no room."""
        if place.kind not in WHOLE and (place.kind not in RUNS_OWN or place.name != str(event["run"])):
            raise CarriedWrong(f"a run may not write {place.kind}/{place.name}")
        wanted = minded(place, files)
        if place.kind in WHOLE and sorted(listed(roots.path(place))) == sorted(wanted):
            return
        told, wrong = False, 0
        while not self._closed:
            try:
                self._pull(event, roots, place, wanted)
                break
            except CarriedWrong:
                wrong += 1
                if place.kind in GROWING or wrong >= TRIES:
                    raise
            except OSError as error:
                if not (trouble := trouble_of(error)):
                    raise
                told = told or self._said(event, f"{trouble}; what its worker made waits there until there is room")
                time.sleep(EVERY)
        if told:
            self._said(event, "")

    def _said(self, event: dict[str, Any], words: str) -> bool:
        self._tell({"run": event["run"], "type": "trouble", "words": words})
        return True

    def _pull(self, event: dict[str, Any], roots: Roots, place: Place, wanted: list[Listed]) -> None:
        with incoming(roots, place, wanted, anew=place.kind == "run") as coming:
            for file in wanted:
                for offset in range(0, file.size, PIECE):
                    piece = self._call(event["worker"], away.piece_of, event["talk"], place, file.name, offset)
                    coming.put(file.name, piece)
