"""Variants, operating points, and what is computed of both: cases."""

from __future__ import annotations

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


class Case(Variant):
    """A variant `of` a study at one of its operating points, which is computed for itself; no part of the document."""

    of: str = ""
    point: str = ""


def variant_name(variant: Variant) -> str:
    """The name of a variant, or of the one that a case is of."""
    return variant.of if isinstance(variant, Case) else variant.name


def point_name(variant: Variant) -> str:
    """The name of the operating point of a case, '' for a variant that is at none."""
    return variant.point if isinstance(variant, Case) else ""


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
