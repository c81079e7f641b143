"""What is to be said of a surface file at first sight, as lines of text."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from brook.core.geometry.findings import Finding, find_all
from brook.core.geometry.surface import Surface
from brook.core.geometry.unit_check import likely_unit, sizes
from brook.core.units import DIMENSIONS, show

if TYPE_CHECKING:
    from brook.core.geometry.proposing import Step

LENGTH, AREA, VOLUME = (DIMENSIONS[k] for k in ("length", "area", "volume"))
MOST_PLACES = 3


def unit_lines(surface: Surface) -> Iterator[str]:
    """The size in each unit the file may be in, for one that does not say."""
    likely = likely_unit(surface)
    yield "the file does not say its unit; the box would be"
    for unit, sides in sizes(surface).items():
        mark = "   likely" if unit == likely else ""
        yield f"  in {unit:5s} {' × '.join(show(float(s), LENGTH) for s in sides)}{mark}"


def shape_lines(surface: Surface) -> Iterator[str]:
    """Counts, area, volume, and the patches; points in m."""
    sides = surface.box[1] - surface.box[0]
    yield f"{surface.count} triangles, {len(surface.points)} points, {surface.shells.max() + 1} shells"
    yield f"box {' × '.join(show(float(s), LENGTH) for s in sides)}, area {show(surface.area, AREA)}"
    bodies = bool(surface.count) and not (surface.edges.uses % 2).any() and not surface.edges.turns.any()
    if surface.is_closed or bodies:
        yield f"closed{'' if surface.is_closed else ', of bodies that touch'}, volume {show(surface.volume, VOLUME)}"
    else:
        yield "not closed"
    counts = np.bincount(surface.patch, minlength=len(surface.patches))
    areas = np.bincount(surface.patch, surface.areas, len(surface.patches))
    for name, count, area in zip(surface.patches, counts, areas, strict=True):
        yield f"  {name:24s} {count:8d} triangles  {show(float(area), AREA)}"


def finding_lines(findings: list[Finding]) -> Iterator[str]:
    """Each kind of defect with its count, the largest places, and what mends it."""
    if not findings:
        yield "no findings"
    for finding in findings:
        yield f"{finding.words}: {finding.count} ({finding.advice})"
        for place in finding.places[:MOST_PLACES]:
            at = ", ".join(f"{1000 * float(v):.4g}" for v in place.centre)
            yield f"    {place.words}, at {at} mm"
        if finding.count > MOST_PLACES:
            yield f"    and {finding.count - MOST_PLACES} more"


def step_lines(steps: list[Step]) -> Iterator[str]:
    """A line to read for each step."""
    from brook.core.geometry.steps import WORDS  # what mends is not loaded to look

    for number, step in enumerate(steps, 1):
        values = ", ".join(f"{name} {show(value, LENGTH)}" for name, value in step.values.items())
        yield f"  {number}. {WORDS[step.kind]}{f' ({values})' if values else ''}"


def report(surface: Surface) -> list[str]:
    """Everything of a surface with points in m."""
    return [*shape_lines(surface), *finding_lines(find_all(surface))]
