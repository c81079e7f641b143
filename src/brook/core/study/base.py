"""What every part of the study document is made of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, StringConstraints

from brook.core.units import DIMENSIONS, EXAMPLES, Dimension

Name = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,39}$")]
Title = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Prose = Annotated[str, StringConstraints(max_length=4000)]
Formula = Annotated[str, StringConstraints(min_length=1, max_length=500, strip_whitespace=True)]


@dataclass(frozen=True)
class Naming:
    """Marks a field that names something of a shape: a `patch` or a `body`; with a * in it several."""

    kind: Literal["patch", "body"]


PatchName = Annotated[Name, Naming("patch")]
PatchNames = Annotated[str, StringConstraints(pattern=r"^[a-z*][a-z0-9_*]{0,39}$"), Naming("patch")]
BodyName = Annotated[Name, Naming("body")]


class Part(BaseModel):
    """A frozen piece of the document; an unknown field is an error, not a silent loss."""

    model_config = ConfigDict(extra="forbid", frozen=True)


@dataclass(frozen=True)
class Value:
    """Marks a field that holds a formula of this dimension: `Annotated[Formula, Value("length")]`; one that `varies` may
    name the temperature T, one that is `placed` the coordinates x, y and z, one that is `flowing` the volume flow Q."""

    dimension_name: str
    range: Literal["any", "positive", "not_negative"] = "any"
    varies: bool = False
    placed: bool = False
    flowing: bool = False

    @property
    def dimension(self) -> Dimension:
        """That of its unit."""
        return DIMENSIONS[self.dimension_name]

    @property
    def example(self) -> str:
        """A value to show how one is written."""
        return EXAMPLES[self.dimension_name]


Length = Annotated[Formula, Value("length", "positive")]
Coordinate = Annotated[Formula, Value("length")]
Angle = Annotated[Formula, Value("angle")]
Velocity = Annotated[Formula, Value("speed", placed=True)]
Pressure = Annotated[Formula, Value("pressure", placed=True)]


@dataclass(frozen=True)
class Problem:
    """Something that keeps a study from running: where (JSON pointer), what, and what to do.

    `wrong` values cannot stand; `missing` ones are work not yet done.
    """

    path: str
    message: str
    kind: Literal["wrong", "missing"] = "wrong"
    variant: str | None = None

    def __str__(self) -> str:
        return f"{self.path}: {self.message}"
