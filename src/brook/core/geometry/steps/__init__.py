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

# What each is called, on pages and while it is done.
WORDS = {
    "move": "move", "turn": "turn", "scale": "scale", "mirror": "mirror", "lay": "lay on z = 0", "align": "align",
    "merge": "merge points nearly at one place", "stitch": "stitch open edges together", "fill_slits": "fill slits",
    "fill": "fill holes", "remove_duplicates": "remove double triangles", "remove_slivers": "remove slivers",
    "spread_sides": "make neighbours look the same way", "make_outward": "make all look outward", "delete": "delete",
    "unite": "unite shells that overlap", "split_by_angle": "split by angle", "split_by_shell": "split by shells",
    "split_by_plane": "split by a plane", "split_by_box": "split by a box", "name_area": "name an area",
    "rename": "rename",
}  # fmt: skip


def done(surface: Surface, step: Resolved) -> tuple[Surface, str]:
    """The surface after a step, or as it was with the reason why the step does not fit it."""
    try:
        return DO[step.kind](surface, step), ""
    except MISFITS as error:
        return surface, str(error.args[0]) if error.args else "this step does not fit the shape"


__all__ = ["DO", "MISFITS", "WORDS", "done"]
