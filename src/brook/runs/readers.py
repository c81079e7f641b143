"""The result readers: a few processes beside the server, each of which reads some of the results."""

from __future__ import annotations

import zlib
from collections.abc import Callable
from typing import Any, TypeVar

from brook.runs.readout import Source
from brook.runs.sheets import Shown
from brook.runs.side_process import SideProcess

Found = TypeVar("Found")
READERS = 2


class Readers:
    """Questions about one result go to one process, which has it in memory then; those about others need not wait for it."""

    def __init__(self, count: int = READERS) -> None:
        self._processes = [SideProcess() for _ in range(count)]

    def start(self) -> None:
        """Begins to load what reading needs; does not wait for it."""
        for process in self._processes:
            process.start()

    def ask(self, question: Callable[..., Found], *arguments: Any) -> Found:
        """The answer of a module-level function. Raises what it raises, or `SideProcessError`."""
        return self._processes[self.which(arguments)].ask(question, *arguments)

    def which(self, arguments: tuple[Any, ...]) -> int:
        """The number of the process that reads what a question is about: by its first result, else by its first word."""
        for one in arguments:
            first = one[0] if isinstance(one, list | tuple) and one else one
            source = first.source if isinstance(first, Shown) else first
            if isinstance(source, Source):
                return zlib.crc32(source.run_key.encode()) % len(self._processes)
        words = [one for one in arguments if isinstance(one, str)]
        return zlib.crc32("".join(words[:2]).encode()) % len(self._processes)

    def close(self) -> None:
        for process in self._processes:
            process.close()
