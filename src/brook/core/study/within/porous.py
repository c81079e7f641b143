"""A porous body: what it takes of the pressure grows with the speed and with its square (Darcy 1856, Forchheimer 1901)."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import StringConstraints

from brook.core.study.base import Formula, Length, Part, Value
from brook.core.study.regions import EVERYWHERE, Region

TableName = Annotated[str, StringConstraints(pattern=r"^([a-z][a-z0-9_]{0,39})?$")]


class Porous(Part):
    """−∇p = μ/κ u + c ρ |u| u/2 with the speed u of the flow as if nothing stood there, the permeability κ and a loss c per metre. With a table
    `measured`, of pressure against speed over a sample so `thick`, both come of a fit through it. Along `axis` it is so, and across
    it `sideways` times as hard."""

    words: ClassVar[str] = "a porous body"
    called: ClassVar[str] = "the porous body"
    kind: Literal["porous"] = "porous"
    where: Region = EVERYWHERE
    permeability: Annotated[Formula, Value("area", "positive")] = "1e-8 m^2"
    loss: Annotated[Formula, Value("per_length", "not_negative")] = "0 1/m"
    measured: TableName = ""
    thick: Length = "20 mm"
    axis: Literal["any", "x", "y", "z"] = "any"
    sideways: Annotated[Formula, Value("number", "positive")] = "100"
