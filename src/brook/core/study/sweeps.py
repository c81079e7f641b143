"""What the document says of sweeps: named values between limits, tried all over or in search of the best; and how their cases are called."""

from __future__ import annotations

import re
from math import prod
from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import Formula, Name, Part, Title
from brook.core.study.variants import Case, Variant, point_name, variant_name

MOST_SAMPLES = 400
PARTS = 10_000  # of the way from the lower limit to the upper one, in names of cases
SWEPT = re.compile(r"^(.+)-in-([a-z][a-z0-9_]{0,39})((?:-[0-9]{1,5})+)$")
Way = Literal["grid", "hypercube", "sobol", "search"]


class SweptValue(Part):
    """A named value from a lower to an upper limit, in so many `steps` where it is a grid."""

    name: Name
    low: Formula
    high: Formula
    steps: Annotated[int, Field(ge=2, le=MOST_SAMPLES)] = 5


class Sweep(Part):
    """A variant with some named values changed: on a `grid`, in as many `samples` of a Latin hypercube or of Sobol's sequence, or in `search` of the best within all
    requirements, by the wish that it names (the first where none is named). Cells are those of the plan, twice as large, or all three of a series, so that
    readings have bands."""

    name: Name
    title: Title
    variant: Name
    values: Annotated[tuple[SweptValue, ...], Field(max_length=4)] = ()
    way: Way = "grid"
    samples: Annotated[int, Field(ge=3, le=MOST_SAMPLES)] = 20
    seed: Annotated[int, Field(ge=0, le=10**6)] = 1
    cells: Literal["planned", "coarse", "bands"] = "planned"
    wish: Annotated[str, Field(max_length=40)] = ""


def count_of(sweep: Sweep) -> int:
    """How many samples a sweep has, at most."""
    return prod(v.steps for v in sweep.values) if sweep.way == "grid" else sweep.samples


def swept_name(base: str, sweep: str, shares: tuple[int, ...]) -> str:
    """What a case of a sweep is called, by how far each value is on its way in ten thousandths: `even-at-summer-in-baffle-2500-7500`."""
    return f"{base}-in-{sweep}-{'-'.join(map(str, shares))}"


def told_swept(name: str) -> tuple[str, str, tuple[int, ...]] | None:
    """The variant or case that one of a sweep is of, the sweep and how far each value is on its way; None for any other name."""
    found = SWEPT.match(name)
    if found is None:
        return None
    shares = tuple(int(share) for share in found[3][1:].split("-"))
    return (found[1], found[2], shares) if max(shares) <= PARTS else None


def swept_case(base: Variant, sweep: Sweep, shares: tuple[int, ...], words: str) -> Case:
    """A case of a sweep; `words` say what its values are."""
    between = {
        v.name: v.low if not share else v.high if share == PARTS else f"({v.low}) + {share / PARTS!r} * (({v.high}) - ({v.low}))"
        for v, share in zip(sweep.values, shares, strict=True)
    }  # fmt: skip
    return Case.model_construct(
        name=swept_name(base.name, sweep.name, shares),
        title=f"{base.title}, {words}",
        named_values=dict(base.named_values) | between,
        geometry=base.geometry,
        of=variant_name(base),
        point=point_name(base),
    )
