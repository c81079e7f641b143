"""The components of the velocity."""

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.units import DIMENSIONS


def component(name: str, words: str, axis: int, drawn: bool = True) -> QuantityKind:
    def values(view: View) -> Values:
        return view.fields.velocity[:, axis], view.fields.boundary_velocity[:, axis]

    return QuantityKind(name, DIMENSIONS["speed"], words, values, signed=True, drawn=drawn)


TO_THE_RIGHT = component("velocity_x", "velocity to the right", 0)
UPWARD = component("velocity_y", "velocity upward", 1)
TO_THE_FRONT = component("velocity_z", "velocity to the front", 2, drawn=False)
