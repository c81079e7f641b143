"""The state that a flow begins from."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from brook.core.study.base import Part, Velocity


class FromLast(Part):
    """A steady flow begins with the fields of the last run of its variant, on whatever mesh and shape that was, where there is one; else, and in
    time, as a potential flow."""

    kind: Literal["last"] = "last"


class FromVariant(Part):
    """The same with the last run of another variant, as where a shape was copied and changed."""

    kind: Literal["variant"] = "variant"
    variant: Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class FromPotential(Part):
    """Without rotation: the mass that enters finds its way."""

    kind: Literal["potential"] = "potential"


class ByFormula(Part):
    """With velocities by place, as of a swirl, made to keep mass."""

    kind: Literal["formula"] = "formula"
    velocity_x: Velocity = "0 m/s"
    velocity_y: Velocity = "0 m/s"
    velocity_z: Velocity = "0 m/s"


STARTS = (FromLast, FromVariant, FromPotential, ByFormula)
Start = Annotated[FromLast | FromVariant | FromPotential | ByFormula, Field(discriminator="kind")]
