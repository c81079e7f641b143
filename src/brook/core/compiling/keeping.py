"""Compiled code on disk: one file for each kernel and kind of arguments, named by all that it was made from.

A file's name holds a digest of the kernel's own bytecode and options, of everything it uses of other modules (kernels it
calls, numbers), of the kinds of its arguments, and of the versions and the processor it was made for. So nothing old is
ever taken for new, copies of Brook share what is the same in them, and processes that write at once write different files.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import sys
import time
from functools import cache
from pathlib import Path
from types import CodeType, ModuleType
from typing import Any

import llvmlite
import numba
import numpy as np
from numba.core.caching import _Cache
from numba.core.compiler import CompileResult
from numba.core.serialize import dumps

from brook.core.compiling.place import DAY, folder, place, tell


class KernelCache(_Cache):  # type: ignore[misc]
    """What Numba asks for compiled code and gives it to; of one kernel."""

    def __init__(self, name: str, dispatcher: Any) -> None:
        self.name, self._dispatcher, self._enabled = name, dispatcher, True

    def path(self, args: tuple) -> Path | None:
        """Where the code for these kinds of arguments is kept."""
        there = folder()
        if there is None:
            return None
        target = self._dispatcher.targetctx
        target.refresh()
        made_from = (stamp(self._dispatcher), str(args), target.codegen().magic_tuple())
        return there / f"{self.name.removeprefix('brook.core.').replace(':', '.')}-{_digest(repr(made_from))}.kernel"

    @property
    def cache_path(self) -> str:
        """The folder that kernels are kept in."""
        return str(place())

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        """What Numba compiled before for these arguments; None when it is not there or damaged, which is said."""
        path = self.path(_arguments(sig)) if self._enabled else None
        if path is None:
            return None
        try:
            content = path.read_bytes()
        except FileNotFoundError:
            return None
        except OSError as error:
            tell(f"{path} cannot be read ({error.strerror}); it is compiled anew")
            return None
        try:
            found = CompileResult._rebuild(target_context, *pickle.loads(content))
        except (
            pickle.UnpicklingError,
            EOFError,
            ValueError,
            TypeError,
            AttributeError,
            ImportError,
            IndexError,
        ) as error:
            tell(f"{path} is damaged ({type(error).__name__}); it is compiled anew")
            path.unlink(missing_ok=True)
            return None
        _mark_used(path)
        return found

    def save_overload(self, sig: Any, data: Any) -> None:
        """Keeps what Numba compiled; says so when it cannot be kept."""
        path = self.path(_arguments(sig)) if self._enabled else None
        if path is None:
            return
        if data.lifted or data.library.has_dynamic_globals:
            tell(f"{self.name} uses large global arrays or objects; it cannot be kept and is compiled at every start")
            return
        fresh = path.with_suffix(f".{os.getpid()}")
        try:
            fresh.write_bytes(dumps(data._reduce()))
            fresh.replace(path)
        except OSError as error:
            tell(
                f"compiled code cannot be kept in {path.parent} ({error.strerror}); it is compiled anew at the next start"
            )
            fresh.unlink(missing_ok=True)

    def enable(self) -> None:
        """Kernels are read and kept from now on."""
        self._enabled = True

    def disable(self) -> None:
        """Kernels are neither read nor kept from now on."""
        self._enabled = False

    def flush(self) -> None:
        """Nothing: kernels are kept as they are made."""
        pass


def stamp(dispatcher: Any, within: tuple[Any, ...] = ()) -> str:
    """A digest of all that a kernel's compiled code depends on besides the kinds of its arguments."""
    known = getattr(dispatcher, "_brook_stamp", None)
    if known is None:
        function = dispatcher.py_func
        uses = {
            name: cell.cell_contents
            for name, cell in zip(function.__code__.co_freevars, function.__closure__ or (), strict=True)
        }
        uses |= {n: function.__globals__[n] for n in sorted(_names(function.__code__)) if n in function.__globals__}
        parts = [_versions(), _told(function.__code__), _told(dispatcher.targetoptions), _told(function.__defaults__)]
        inside = (*within, dispatcher)
        parts += [
            f"{name}: {_told(value, inside)}" for name, value in uses.items() if not any(value is w for w in inside)
        ]
        known = dispatcher._brook_stamp = _digest("\n".join(parts))
    return known


def _told(value: Any, within: tuple[Any, ...] = ()) -> str:
    """What compiled code takes of a value, in words that are the same in every process."""
    if isinstance(value, CodeType):
        return repr((value.co_code, [_told(c) for c in value.co_consts], value.co_names, value.co_varnames,
                     value.co_freevars, value.co_argcount, value.co_flags))  # fmt: skip
    if isinstance(value, dict):
        return repr(sorted((str(k), _told(v, within)) for k, v in value.items()))
    if isinstance(value, set | frozenset):
        return repr(sorted(_told(v, within) for v in value))
    if isinstance(value, tuple | list):
        return repr([_told(v, within) for v in value])
    if isinstance(value, np.ndarray):
        return f"{value.dtype} {value.shape} {_digest(value.tobytes())}"
    if hasattr(value, "py_func"):
        return stamp(value, within)
    if isinstance(value, ModuleType) and value.__name__.startswith("brook.") and value.__file__:
        return _digest(Path(value.__file__).read_bytes())
    if isinstance(value, ModuleType | type) or callable(value):
        return f"{getattr(value, '__module__', '')}.{getattr(value, '__qualname__', value.__class__)}"
    return f"{type(value).__name__} {value!r}"


def _names(code: CodeType) -> set[str]:
    return set(code.co_names).union(*(_names(c) for c in code.co_consts if isinstance(c, CodeType)))


@cache
def _versions() -> str:
    return f"{sys.version} {numba.__version__} {llvmlite.__version__} {np.__version__}"


def _digest(content: str | bytes) -> str:
    return hashlib.sha256(content.encode() if isinstance(content, str) else content).hexdigest()[:24]


def _arguments(sig: Any) -> tuple:
    return tuple(getattr(sig, "args", sig))


def _mark_used(path: Path) -> None:
    try:
        if time.time() - path.stat().st_mtime > DAY:
            os.utime(path)
    except OSError:
        pass  # somebody else's folder, or the file went meanwhile: it stays as old as it was
