"""What is known of shapes in space without making them again: a memory by key, the same for all who ask.

Making a shape takes longer than a page may, so whoever made one leaves here what checks and pages need of it. A key
stands for all inputs of a shape, so what is known of it never changes.
"""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from dataclasses import dataclass

from brook.core.geometry.shaping import stages
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved
from brook.core.study.resolve import plain

MOST = 2000


@dataclass(frozen=True)
class SpaceShape:
    """A shape in space by its keys; `patches` is None as long as nobody has made it.

    `key` is that of its surface, `bodies_key` of its bodies too. `problems` are (pointer, words) of what does not fit.
    `bodies` are those of a mesh that a part brings.
    """

    key: str
    bodies_key: str
    body: str
    patches: tuple[str, ...] | None = None
    problems: tuple[tuple[str, str], ...] = ()
    bodies: tuple[str, ...] = ()


Found = tuple[tuple[str, ...], tuple[tuple[str, str], ...], tuple[str, ...]]
_known: OrderedDict[str, Found] = OrderedDict()
_count = 0


def note(
    bodies_key: str, patches: tuple[str, ...], problems: tuple[tuple[str, str], ...], bodies: tuple[str, ...] = ()
) -> None:
    """Remembers the patches of a shape, what of its document does not fit it, and the bodies of the mesh it brings."""
    global _count
    if bodies_key not in _known:
        _known[bodies_key] = (patches, problems, bodies)
        _count += 1
        while len(_known) > MOST:
            _known.popitem(last=False)


def is_known(bodies_key: str) -> bool:
    """Whether a shape of that key was made."""
    return bodies_key in _known


def count() -> int:
    """Rises whenever something new is known."""
    return _count


def space_shape(geometry: Resolved, body: str) -> SpaceShape | None:
    """The shape of a resolved geometry, None while it has no part."""
    if not geometry.parts:
        return None
    key = stages(geometry, _nobody)[-1].key
    bodies = json.dumps([key, plain(geometry.bodies)], sort_keys=True)
    bodies_key = hashlib.sha256(bodies.encode()).hexdigest()[:20]
    return SpaceShape(key, bodies_key, body, *_known.get(bodies_key, ()))


def _nobody(part: Resolved) -> Surface:
    raise AssertionError("keys are made without reading files")
