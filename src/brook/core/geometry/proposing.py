"""The list of steps that mends a surface, in the order in which they help each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from brook.core.geometry.findings import FINDERS, find_all
from brook.core.geometry.findings.shapes import WALLS, near_tolerance
from brook.core.geometry.steps import DO
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

FOUND = {finder.kind: finder.words for finder in FINDERS}
NEAR = 1e-3  # of the size: how wide a slit is stitched


@dataclass(frozen=True)
class Step:
    """One step with its numbers in SI units, named as in a study document; `effect` says what it would do."""

    kind: str
    values: dict[str, float] = field(default_factory=dict)
    effect: str = ""


def mended(surface: Surface, steps: Sequence[Step], openings: Sequence[Resolved] = ()) -> Surface:
    """The surface after some steps; rims at the spots `openings` are not filled. Raises `KeyError` for no step."""
    for step in steps:
        said = {"at": None, "how": "flat", "largest": 0.0, "openings": list(openings), **step.values}
        surface = DO[step.kind](surface, Resolved(kind=step.kind, **said))
    return surface


def propose(surface: Surface, largest_hole: float = 0.0, openings: Sequence[Resolved] = ()) -> list[Step]:
    """Steps for what is found, each kept only when it leaves fewer defects and no new kind of them.

    Holes longer round than `largest_hole` m are taken for openings and stay; with nothing given all stay. Those at
    the spots `openings` stay however small they are.
    """
    wanted = [Step("merge", {"within": _near(surface)}), Step("remove_duplicates"), Step("remove_slivers"),
              Step("stitch", {"within": NEAR * surface.size}), Step("fill_slits"), Step("spread_sides")]  # fmt: skip
    if largest_hole > 0:
        wanted.append(Step("fill", {"largest": largest_hole}))
    wanted.append(Step("make_outward"))
    steps, defects = [], _defects(surface)
    for step in wanted:
        tried = mended(surface, [step], openings)
        if tried is surface:
            continue
        after = _defects(tried)
        if sum(after.values()) < sum(defects.values()):
            steps.append(Step(step.kind, step.values, _effect(defects, after)))
            surface, defects = tried, after
    return steps


def _near(surface: Surface) -> float:
    """How near to each other points are taken for one: as in the finding."""
    return max(near_tolerance(surface), 1e-9 * surface.size)


def _effect(before: dict[str, int], after: dict[str, int]) -> str:
    changed = [k for k in {**before, **after} if before.get(k, 0) != after.get(k, 0)]
    return ", ".join(f"{FOUND[k]} {before.get(k, 0)} → {after.get(k, 0)}" for k in changed)


def _defects(surface: Surface) -> dict[str, int]:
    return {f.kind: f.count for f in find_all(surface) if f.kind != WALLS.kind}
