"""The list of steps that mends a surface, in the order in which they help each other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from brook.core.geometry.findings import FINDERS, find_all
from brook.core.geometry.findings.edges import free_loops, is_slit
from brook.core.geometry.findings.shapes import near_tolerance
from brook.core.geometry.mending.fill import fill_holes
from brook.core.geometry.mending.merge import merge_points, stitch
from brook.core.geometry.mending.sides import make_outward, spread_sides
from brook.core.geometry.mending.take_out import remove_duplicates, remove_slivers
from brook.core.geometry.spots import marked
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

WORDS = {finder.kind: finder.words for finder in FINDERS}
VALUES = {"within": "tolerance"}
NEAR = 1e-3  # of the size: how wide a slit is stitched


@dataclass(frozen=True)
class Step:
    """One step with its numbers in SI units, named as in a study document; `effect` says what it would do."""

    kind: str
    values: dict[str, float] = field(default_factory=dict)
    effect: str = ""


def _fill_slits(surface: Surface, largest: float = 0.0) -> Surface:
    return fill_holes(surface, [k for k in free_loops(surface) if is_slit(surface, k)])


def _fill(surface: Surface, largest: float = 0.0, openings: Sequence[Resolved] = ()) -> Surface:
    loops = [loop for loop in free_loops(surface) if loop.is_closed]
    kept = marked(surface, loops, list(openings))
    return fill_holes(surface, [loop for k, loop in enumerate(loops) if k not in kept], largest=largest or None)


STEPS: dict[str, tuple[str, Callable[..., Surface]]] = {
    "merge": ("merge points nearly at one place", merge_points),
    "remove_duplicates": ("remove double triangles", remove_duplicates),
    "remove_slivers": ("remove slivers", remove_slivers),
    "stitch": ("stitch open edges together", stitch),
    "fill_slits": ("fill slits", _fill_slits),
    "spread_sides": ("make neighbours look the same way", spread_sides),
    "fill": ("fill holes", _fill),
    "make_outward": ("make all look outward", make_outward),
}


def mended(surface: Surface, steps: list[Step]) -> Surface:
    """The surface after some steps. Raises `KeyError` for a step that is not known."""
    for step in steps:
        surface = STEPS[step.kind][1](surface, **{VALUES.get(k, k): v for k, v in step.values.items()})
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
        tried = _fill(surface, step.values["largest"], openings) if step.kind == "fill" else mended(surface, [step])
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
    return ", ".join(f"{WORDS[k]} {before.get(k, 0)} → {after.get(k, 0)}" for k in changed)


def _defects(surface: Surface) -> dict[str, int]:
    return {f.kind: f.count for f in find_all(surface)}
