"""Several processes that need the same kernel: one compiles it, the others wait for it, and say so."""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Literal

from brook.core.compiling.needs import edition
from brook.core.compiling.place import folder

Listener = Callable[[Literal["compiling", "waiting", "there"], str], None]
POLL = 0.05
LOCK = ".lock"

_listeners: list[Listener] = []


def listen(listener: Listener) -> None:
    """The same as `listening`, for the rest of this process."""
    _listeners.append(listener)


@contextmanager
def listening(listener: Listener) -> Iterator[None]:
    """Tells what happens to kernels of this process meanwhile: `compiling` one, `waiting` for another process, `there`."""
    _listeners.append(listener)
    try:
        yield
    finally:
        _listeners.remove(listener)


def _tell(what: Literal["compiling", "waiting", "there"], name: str) -> None:
    for listener in list(_listeners):
        listener(what, name)


def take_turns(name: str, dispatcher: Any) -> None:
    """From now on one process at a time compiles this kernel for the same kinds of arguments."""
    compile_now = dispatcher.compile

    def compile_in_turn(sig: Any) -> Any:
        from numba.core.sigutils import normalize_signature

        args = tuple(normalize_signature(sig)[0])
        if args in dispatcher.overloads:
            return compile_now(sig)
        path = dispatcher._cache.path(args)
        if path is not None and path.exists():
            return compile_now(sig)
        if path is None:
            _tell("compiling", name)
            found = compile_now(sig)
        else:
            _await_warming(name, args, path)
            with _turn(name, path):
                if not path.exists():
                    _tell("compiling", name)
                found = compile_now(sig)
        _tell("there", name)
        return found

    dispatcher.compile = compile_in_turn


@contextmanager
def _turn(name: str, path: Path) -> Iterator[None]:
    """The right to compile what is kept at `path`; waits while another process has it."""
    lock = path.with_suffix(LOCK)
    try:
        descriptor = os.open(lock, os.O_RDWR | os.O_CREAT, 0o600)
    except OSError:  # a full disk or a folder that went: compiling twice does no harm
        yield
        return
    try:
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            _tell("waiting", name)
            fcntl.flock(descriptor, fcntl.LOCK_EX)
        yield
        lock.unlink(missing_ok=True)
    finally:
        os.close(descriptor)


_part_of_warming = False


def part_of_warming() -> None:
    """This process is one of those that make all kernels ready, so it never waits for them."""
    global _part_of_warming
    _part_of_warming = True


def warming_lock(there: Path) -> Path:
    """What is held, shared, by whoever makes all kernels of this list ready."""
    return there / f"warming-{edition()}{LOCK}"


def is_warming(there: Path) -> bool:
    """Whether some process makes all kernels ready."""
    try:
        descriptor = os.open(warming_lock(there), os.O_RDWR)
    except OSError:
        return False
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return False
    except BlockingIOError:
        return True
    finally:
        os.close(descriptor)


def wanted(there: Path) -> list[int]:
    """Places in the list of what runs wait for."""
    return [int(path.suffix[1:]) for path in there.glob(f"wanted-{edition()}.*")]


def no_longer_wanted(k: int) -> None:
    """Takes back that somebody waits for a part of the list."""
    there = folder()
    if there is not None:
        _wanted_file(there, k).unlink(missing_ok=True)


def _wanted_file(there: Path, k: int) -> Path:
    return there / f"wanted-{edition()}.{k}"


def _await_warming(name: str, args: tuple, path: Path) -> None:
    """Where others make kernels ready and have this one still before them, asks for it as the next, and waits."""
    there = path.parent
    if _part_of_warming or not is_warming(there):
        return
    from brook.core.compiling.kinds import place_of

    k = place_of(name, args)
    if k is None:
        return
    asking = _wanted_file(there, k)
    try:
        asking.touch()
    except OSError:
        return
    _tell("waiting", name)
    while not path.exists() and asking.exists() and is_warming(there):
        time.sleep(POLL)
    asking.unlink(missing_ok=True)
