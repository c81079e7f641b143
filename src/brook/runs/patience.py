"""Writing that waits where there is no room: what was computed is not lost to a full disk."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from brook.core.solve.run import Wish
from brook.store.files import ResultFiles
from brook.store.room import trouble_of

EVERY = 1.0  # seconds
WAITS = "the run waits until it can be written"


class Patience:
    """Writes again until it is possible, or somebody wishes for an end; `tell` gets the words, '' when it is over."""

    def __init__(self, tell: Callable[[str], None], wish: Callable[[], Wish]):
        self.tell, self._wish = tell, wish

    def write(self, do: Callable[[], None]) -> None:
        """Raises what `do` raises where waiting would not help, or nobody wishes to wait."""
        told = False
        while True:
            try:
                do()
            except Exception as error:
                trouble = trouble_of(error)
                if not trouble or self._wish() != "go on":
                    raise
                if not told:
                    self.tell(f"{trouble}; {WAITS}")
                told = True
                time.sleep(EVERY)
                continue
            if told:
                self.tell("")
            return

    def keep(self, files: ResultFiles, stage: str, key: str, fill: Callable[[Path], None], anew: bool = False) -> None:
        """A folder of results that appears whole; `anew` in the place of one that is there."""

        def make() -> None:
            with files.making(stage, key, anew) as folder:
                fill(folder)

        self.write(make)


@contextmanager
def unless_full(tell: Callable[[str], None]) -> Iterator[None]:
    """For what may be left out: a picture of a run under way is told to be missing, and the run goes on."""
    try:
        yield
    except OSError as error:
        if not (trouble := trouble_of(error)):
            raise
        tell(f"{trouble}; there are no new pictures until there is room")
