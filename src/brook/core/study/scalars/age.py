"""The mean age of the fluid: how long ago what is there came in, on average."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from brook.core.study.base import Formula, Name, Part, Title, Value


class Age(Part):
    """Nothing at inflows; grows by a second each second. `diffusivity` is that of the fluid in itself."""

    words: ClassVar[str] = "the mean age of the fluid"
    dimension: ClassVar[str] = "time"
    kind: Literal["age"] = "age"
    name: Name = "age"
    title: Title = "Mean age"
    diffusivity: Annotated[Formula, Value("kinematic_viscosity", "not_negative")] = "2e-9 m^2/s"
