"""Which kernels some work needs: all that is compiled meanwhile in this process, in order, with the time it takes."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from numba.core import event

from brook.core.compiling.kernel import KERNELS
from brook.core.compiling.kinds import kind_of
from brook.core.compiling.needs import Need


@dataclass
class Recorder(event.Listener):  # type: ignore[misc]
    """Listens to Numba's compilations of kernels; `purpose` says what they are for just now."""

    purpose: str = ""
    found: list[tuple[str, tuple, str, float]] = field(default_factory=list)
    _open: list[list[float]] = field(default_factory=list)  # begun, and seconds of those within
    _names: dict[int, str] = field(default_factory=dict)

    def on_start(self, event: Any) -> None:
        """Is told that a kernel begins to be compiled."""
        self._open.append([time.perf_counter(), 0.0])

    def on_end(self, event: Any) -> None:
        """Is told that it has been, and for which arguments."""
        begun, within = self._open.pop()
        took = time.perf_counter() - begun
        name = self._name(event.data["dispatcher"])
        kinds = tuple(kind_of(a) for a in event.data["args"])
        if name and "Literal" not in str(kinds):  # tried by Numba with a number as it stands; part of who calls it so
            self.found.append((name, kinds, self.purpose, took - within))
            if self._open:  # time of all others, as that of Numba's own, counts to the kernel that asked for them
                self._open[-1][1] += took
        elif self._open:
            self._open[-1][1] += within

    def _name(self, dispatcher: Any) -> str | None:
        if len(self._names) != len(KERNELS):
            self._names = {id(kernel): name for name, kernel in KERNELS.items()}
        return self._names.get(id(dispatcher))

    def needs(self) -> list[Need]:
        """All that was found, with the places of those that each may call."""
        at: dict[str, list[int]] = {}
        for k, (name, *_) in enumerate(self.found):
            at.setdefault(name, []).append(k)
        made = []
        for name, kinds, purpose, seconds in self.found:
            called = [self._name(value) for value in _used(KERNELS[name])]
            calls = sorted(k for one in called if one and one != name for k in at.get(one, []))
            made.append(Need(name, kinds, purpose, seconds, tuple(calls)))
        return made


def _used(kernel: Any) -> list[Any]:
    function = kernel.py_func
    cells = [cell.cell_contents for cell in function.__closure__ or ()]
    return cells + [function.__globals__[n] for n in function.__code__.co_names if n in function.__globals__]


@contextmanager
def recording() -> Iterator[Recorder]:
    """Records what is compiled meanwhile."""
    recorder = Recorder()
    event.register("numba:compile", recorder)
    try:
        yield recorder
    finally:
        event.unregister("numba:compile", recorder)
