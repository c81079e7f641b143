"""What the steps of a study document do, under the same names as what they say."""

from __future__ import annotations

from collections.abc import Callable

from brook.core.geometry.booleans import NotClosed
from brook.core.geometry.spots import NotThere
from brook.core.geometry.steps import mending, patching, placing
from brook.core.geometry.surface import Surface
from brook.core.study import Resolved

# Each takes a surface and the resolved step, and gives another surface or raises one of `MISFITS`.
DO: dict[str, Callable[[Surface, Resolved], Surface]] = {**placing.DO, **mending.DO, **patching.DO}
MISFITS = (NotThere, NotClosed, ValueError, KeyError)


def done(surface: Surface, step: Resolved) -> tuple[Surface, str]:
    """The surface after a step, or as it was with the reason why the step does not fit it."""
    try:
        return DO[step.kind](surface, step), ""
    except MISFITS as error:
        return surface, str(error.args[0]) if error.args else "this step does not fit the shape"


__all__ = ["DO", "MISFITS", "done"]
