"""The list of all kernels with the kinds of arguments that they are used with, so that they can be compiled before a run
asks for them: `needs.json`, made from what real work needs by `scripts/kernels.py`. Nothing here loads a kernel."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

LIST = Path(__file__).parent / "needs.json"

Kind = (
    str | tuple
)  # of an argument: `float64`, `float64 2C` an array, `float64 2C fixed` one that is read only; or several


@dataclass(frozen=True)
class Need:
    """A kernel for arguments of some kinds: for which work it is needed first, seconds that compiling it took when the list
    was made, and the places in the list of those that it may call."""

    kernel: str
    takes: tuple[Kind, ...]
    purpose: str
    seconds: float
    calls: tuple[int, ...]


@cache
def needs() -> tuple[Need, ...]:
    """The list, in the order in which the work of a new user asks for them."""
    said = json.loads(LIST.read_text())
    kinds = [_as_kind(kind) for kind in said["kinds"]]
    return tuple(
        Need(n["kernel"], tuple(kinds[k] for k in n["takes"]), n["for"], n["seconds"], tuple(n["calls"]))
        for n in said["needs"]
    )


@cache
def edition() -> str:
    """A word for this list, so that copies of Brook with other lists do not wait for each other."""
    return hashlib.sha256(LIST.read_bytes()).hexdigest()[:12]


def _as_kind(said: Any) -> Kind:
    return tuple(_as_kind(part) for part in said) if isinstance(said, list) else str(said)


def write(found: list[Need]) -> None:
    """Makes this the list."""
    kinds = list(dict.fromkeys(kind for need in found for kind in need.takes))
    at = {kind: k for k, kind in enumerate(kinds)}
    lines = [
        json.dumps({"kernel": n.kernel, "takes": [at[kind] for kind in n.takes], "for": n.purpose,
                    "seconds": round(n.seconds, 2), "calls": list(n.calls)})
        for n in found
    ]  # fmt: skip
    written = ",\n".join(json.dumps(kind) for kind in kinds)
    LIST.write_text(f'{{"kinds": [\n{written}\n], "needs": [\n' + ",\n".join(lines) + "\n]}\n")
