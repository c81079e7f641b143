"""Pieces of what a flow fills: a body, or a shape in it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from brook.core.study.base import BodyName, Coordinate, Length, Part
from brook.core.study.spots import Placed


class Everywhere(Part):
    """All that flows."""

    kind: Literal["everywhere"] = "everywhere"


class InBody(Part):
    kind: Literal["body"] = "body"
    body: BodyName


class InBox(Placed):
    """`x`, `y` and `z` are those of its lower corner; `width` is along x, `depth` along y, `height` along z, of which a drawing
    knows nothing."""

    kind: Literal["box"] = "box"
    width: Length = "50 mm"
    depth: Length = "50 mm"
    height: Length = "50 mm"


class InBall(Placed):
    """In a drawing a disc."""

    kind: Literal["ball"] = "ball"
    diameter: Length = "50 mm"


class InCylinder(Placed):
    """From (x, y, z) to its end; in a drawing a strip."""

    kind: Literal["cylinder"] = "cylinder"
    end_x: Coordinate = "100 mm"
    end_y: Coordinate = "0 mm"
    end_z: Coordinate = "0 mm"
    diameter: Length = "50 mm"


REGIONS = (Everywhere, InBody, InBox, InBall, InCylinder)
Region = Annotated[Everywhere | InBody | InBox | InBall | InCylinder, Field(discriminator="kind")]
EVERYWHERE = Everywhere()
