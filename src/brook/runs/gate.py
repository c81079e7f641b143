"""The gate: what a user sends is read here, in processes beside the server, under limits of time and memory.

Whoever waits holds no thread of the pages, and only so many may wait: a crowd at the gate is told to come again.
"""

from __future__ import annotations

import asyncio
import resource
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any, TypeVar

from brook.core.compiling.warming import end_with
from brook.core.geometry.outline_files import read_outline
from brook.core.results.reference import read_reference
from brook.core.study import DocumentError, Problem, Study, read_study
from brook.core.units import Dimension
from brook.runs import shaping
from brook.runs.side_process import SideProcess, SideProcessError

Found = TypeVar("Found")
SECONDS = 120.0
SMALL_SECONDS = 20.0  # for documents, drawings and tables
MEMORY = 4 * 2**30  # bytes that reading one file may take
MOST_WAITING = 64
READERS = 2


class GateError(SideProcessError):
    """Something could not be read within the limits, or too many wait."""


def limited(parent: int) -> None:
    """From now on this process has so much memory and no more; whoever asks for more gets a `MemoryError`."""
    end_with(parent)
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _warm() -> bool:
    return bool(shaping.MOST_TRIANGLES)


class Gate:
    """Lets in what can be read. Asked from the server's loop, or by `ask` from any thread."""

    def __init__(self, readers: int = READERS) -> None:
        self._readers = [SideProcess(SECONDS, _warm, limited, tries=1) for _ in range(readers)]
        self._free = list(self._readers)
        self._threads = ThreadPoolExecutor(readers, "brook-gate")
        self._waiting = 0

    def start(self) -> None:
        """Begins to load what reading needs; does not wait for it."""
        self._readers[0].start()

    async def study(self, content: bytes) -> Study:
        """The study of a document that somebody sent. Raises `DocumentError`."""
        found = await self.read(document, content, seconds=SMALL_SECONDS)
        if isinstance(found, list):
            raise DocumentError(found)
        return read_study(found)

    async def read(self, question: Callable[..., Found], *arguments: Any, seconds: float = SECONDS) -> Found:
        """The answer of a module-level function. Raises what it raises, or `GateError`."""
        if self._waiting >= MOST_WAITING:
            raise GateError(f"{MOST_WAITING} files wait to be read just now; try again in a minute")
        self._waiting += 1
        try:
            return await asyncio.get_running_loop().run_in_executor(
                self._threads, partial(self.ask, question, *arguments, seconds=seconds)
            )
        finally:
            self._waiting -= 1

    def ask(self, question: Callable[..., Found], *arguments: Any, seconds: float = SECONDS) -> Found:
        """The same from a thread that may wait."""
        reader = self._free.pop() if self._free else self._readers[0]
        try:
            return reader.ask(question, *arguments, seconds=seconds)
        except MemoryError:
            raise GateError(
                f"reading this takes more than {MEMORY / 2**30:.0f} GB of memory; it is not taken in"
            ) from None
        finally:
            if reader not in self._free:
                self._free.append(reader)

    def close(self) -> None:
        self._threads.shutdown(wait=False, cancel_futures=True)
        for reader in self._readers:
            reader.close()


# -- what is read there -------------------------------------------------------------------------


def outline(name: str, data: bytes, unit: str, most: int) -> list[list[float]]:
    """The outline of a drawing or table. Raises `FileError`, `UnitError`."""
    return read_outline(name, data, unit, most).tolist()


def reference(
    content: bytes,
    position: Dimension,
    value: Dimension,
    position_unit: str,
    value_unit: str,
    columns: tuple[str, str] = ("1", "2"),
) -> tuple[list[float], list[float]]:
    """Positions and values of a table of reference points, in SI units. Raises `TableError`."""
    text = content.decode("utf-8-sig", errors="replace")
    read = read_reference(text, position, value, position_unit, value_unit, columns)
    return read.position.tolist(), read.value.tolist()


def document(content: bytes) -> str | list[Problem]:
    """A study's document in Brook's own writing, or why it is none."""
    try:
        return read_study(content).canonical
    except DocumentError as error:
        return error.problems
