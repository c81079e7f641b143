"""What stays on the disk: results that studies show, and a rule by which earlier ones go, which nobody is surprised by."""

from __future__ import annotations

import json
import re
import threading
from dataclasses import dataclass
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from brook.core.study import DocumentError
from brook.store.clearing import Kept, Taken, clear, taken
from brook.store.files import replace_text
from brook.store.tables import now

if TYPE_CHECKING:
    from brook.web.studio import Studio

RULE = "clearing.json"  # in the data folder
FIRST, EVERY = 120.0, 3600.0  # seconds after a start, and between two looks
KEY = re.compile(r'"([0-9a-f]{20})"')
LEAST, USUAL, MOST = 1, 30, 3650  # days


@dataclass(frozen=True)
class Rule:
    """Earlier results go after so many days, by themselves where it is `on`; what it did last, in words."""

    days: int = USUAL
    on: bool = False
    last: str = ""


class Keeping:
    """The rule of a data folder, and a thread that follows it."""

    def __init__(self, studio: Studio):
        self.studio = studio
        self._path = studio.store.data / RULE
        self._closed = threading.Event()
        self._thread = threading.Thread(target=self._work, name="brook-keeping", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        self._closed.set()

    @property
    def rule(self) -> Rule:
        try:
            raw: dict[str, Any] = json.loads(self._path.read_text())
            return Rule(int(raw["days"]), bool(raw["on"]), str(raw["last"]))
        except (OSError, ValueError, KeyError, TypeError):
            return Rule()

    def change(self, days: int, on: bool) -> None:
        self._write(Rule(days, on, self.rule.last))

    def taken(self) -> Taken:
        """What there is on the disk, and what of it no study shows."""
        return taken(self.studio.store, self._needed())

    def due(self, there: Taken, days: int) -> list[Kept]:
        """Earlier results that are older than so many days."""
        before = now() - timedelta(days=days)
        return [one for one in there.earlier if one.at < before]

    def clear(self, days: int, who: str = "") -> tuple[int, int]:
        """Takes away what is due; how many results that were, and bytes."""
        due = self.due(self.taken(), days)
        free = clear(self.studio.store, due)
        if due:
            words = f"{now():%Y-%m-%d %H:%M} UTC: {len(due)} earlier results of more than {days} days cleared{f' by {who}' if who else ''}, {free / 1e6:.3g} MB"
            rule = self.rule
            self._write(Rule(rule.days, rule.on, words))
            print(words, flush=True)
        return len(due), free

    def _needed(self) -> set[str]:
        """Keys that studies show by their inputs, and those that their documents name."""
        found: set[str] = set()
        for row in self.studio.store.studies():
            found |= set(KEY.findall(row.document))
            try:
                state = self.studio.state(row.slug)
            except DocumentError:  # what it shows is not known, so all of it stays
                found |= self.studio.store.keys_of(row.id)
                continue
            for v in (one for case in state.variants for one in case.every_size):
                found |= {v.keys.mesh, v.keys.run} if v.keys is not None else set()
        return found

    def _write(self, rule: Rule) -> None:
        replace_text(self._path, json.dumps({"days": rule.days, "on": rule.on, "last": rule.last}))

    def _work(self) -> None:
        wait = FIRST
        while not self._closed.wait(wait):
            wait = EVERY
            try:
                if (rule := self.rule).on:
                    self.clear(rule.days, "rule")
            except Exception as error:  # a full disk, say: tried again in an hour
                print(f"clearing: {error!r}", flush=True)
