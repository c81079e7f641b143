"""The components of the velocity."""

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def component(name: str, words: str, axis: int, drawn: bool = True) -> QuantityKind:
    """The quantity of one component of the velocity."""

    def values(view: View) -> Values:
        return view.fields.velocity[:, axis], view.fields.boundary_velocity[:, axis]

    return QuantityKind(name, DIMENSIONS["speed"], words, values, signed=True, drawn=drawn)


ALONG_X = component("velocity_x", "velocity along x", 0)
ALONG_Y = component("velocity_y", "velocity along y", 1)
ALONG_Z = component("velocity_z", "velocity along z", 2)
