"""Variants, operating points, and what is computed of both: cases, also on coarser and finer meshes."""

from __future__ import annotations

import re

from brook.core.study.base import Formula, Name, Part, Title
from brook.core.study.geometry import Geometry


class Variant(Part):
    name: Name
    title: Title
    named_values: dict[Name, Formula] = {}
    geometry: Geometry


class OperatingPoint(Part):
    """Named values under which requirements have to hold; they go before those of variants and of the study."""

    name: Name
    title: Title
    named_values: dict[Name, Formula] = {}


STEP = 2.0**0.5  # from one mesh of a series to the next: cells so many times as large
COARSEST, FINEST = 8, -4  # steps
SERIES_STEP, IN_SERIES = (
    2,
    3,
)  # steps from one mesh of a series to the next, cells twice as large; and how many there are
SIZED = re.compile(r"^(.+)-(coarser|finer)-([1-9])$")


class Case(Variant):
    """A variant `of` a study at one of its operating points, if it has any, which is computed for itself; no part of the document.
    Its cells are `coarser` by so many steps than those of the mesh plan, finer ones by less than none."""

    of: str = ""
    point: str = ""
    coarser: int = 0

    @property
    def times(self) -> float:
        """How many times as large as in the mesh plan its cells are."""
        return STEP**self.coarser


def variant_name(variant: Variant) -> str:
    """The name of a variant, or of the one that a case is of."""
    return variant.of if isinstance(variant, Case) else variant.name


def point_name(variant: Variant) -> str:
    """The name of the operating point of a case, '' for a variant that is at none."""
    return variant.point if isinstance(variant, Case) else ""


def series_of(finest: int) -> list[int]:
    """Steps of the meshes of a series of which this is the finest, coarse ones first."""
    sizes = [finest + SERIES_STEP * k for k in reversed(range(IN_SERIES))]
    return [size for size in sizes if size <= COARSEST]


def steps_coarser(variant: Variant) -> int:
    """By how many steps the cells of a case are coarser than those of the mesh plan."""
    return variant.coarser if isinstance(variant, Case) else 0


def sized_name(name: str, coarser: int) -> str:
    """What a case is called on other cells: `even-at-summer-coarser-2`."""
    return f"{name}-{'coarser' if coarser > 0 else 'finer'}-{abs(coarser)}" if coarser else name


def told_size(name: str) -> tuple[str, int]:
    """The name of a case on the cells of the mesh plan, and by how many steps those meant are coarser."""
    found = SIZED.match(name)
    if found is None:
        return name, 0
    steps = int(found[3]) * (1 if found[2] == "coarser" else -1)
    return (found[1], steps) if FINEST <= steps <= COARSEST else (name, 0)


def size_words(coarser: int) -> str:
    """How large cells are beside those of the mesh plan, '' for these."""
    return f"cells {STEP ** abs(coarser):.3g} times {'as large' if coarser > 0 else 'smaller'}" if coarser else ""


def sized_case(variant: Variant, coarser: int) -> Case:
    """A variant or a case on cells that are coarser by so many steps."""
    return Case.model_construct(
        name=sized_name(variant.name, coarser),
        title=f"{variant.title}, {size_words(coarser)}",
        named_values=dict(variant.named_values),
        geometry=variant.geometry,
        of=variant_name(variant),
        point=point_name(variant),
        coarser=coarser,
    )


def is_about(name: str, variant: Variant) -> bool:
    """Whether a name is that of a case, or of the variant that it is of."""
    return name in (variant.name, variant_name(variant))


def case_name(variant: str, point: str) -> str:
    """What a variant at an operating point is called in addresses and in the queue: `even-at-summer`."""
    return f"{variant}-at-{point}" if point else variant


def case_of(variant: Variant, point: OperatingPoint) -> Case:
    """A variant at an operating point."""
    return Case.model_construct(
        name=case_name(variant.name, point.name),
        title=f"{variant.title}, {point.title[:1].lower() + point.title[1:]}",
        named_values=dict(variant.named_values) | dict(point.named_values),
        geometry=variant.geometry,
        of=variant.name,
        point=point.name,
    )
