"""The dimensions of each kind of plane shape that can be taken hold of."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from brook.core.study import Resolved


@dataclass(frozen=True)
class Target:
    """What a handle moves: a coordinate or an angle `moves` by one while those of `keeps` stay.

    `axis` is x, y or turn; `fields` are what a number could be written to (pointer, slope) if nothing typed
    drives it, unless a `whole` piece moves: that goes only by what is its own. Targets of one name, one along x and one along y, make one handle that moves freely.
    """

    name: str
    axis: str
    place: tuple[float, float]
    moves: tuple[str, ...]
    keeps: tuple[str, ...]
    fields: tuple[tuple[str, float], ...]
    centre: tuple[float, float] | None = None
    whole: bool = False


def positions(geometry: Resolved) -> dict[str, float]:
    """Where all edges, centres, corners and ends of a resolved geometry stand, in m, and angles, by name."""
    found: dict[str, float] = {}
    for key, shape in _shapes(geometry):
        found |= {f"{key} {name}": value for name, value in POSITIONS[shape.kind](shape).items()}
    for k, opening in enumerate(geometry.openings):
        found |= {f"opening {k} start": opening.start, f"opening {k} end": opening.end}
    return found


def targets(geometry: Resolved, path: str) -> list[Target]:
    """Everything of a resolved geometry that a handle could move."""
    found: list[Target] = []
    for key, shape in _shapes(geometry):
        here = f"{path}/outer" if key == "outer" else f"{path}/shapes/{key.split()[1]}"
        found += TARGETS[shape.kind](shape, key, here)
    outer = POSITIONS["rectangle"](geometry.outer)
    for k, opening in enumerate(geometry.openings):
        axis = "y" if opening.side in ("left", "right") else "x"
        for end, other in (("start", "end"), ("end", "start")):
            along, across = getattr(opening, end), outer[opening.side]
            place = (across, along) if axis == "y" else (along, across)
            words = f"{end} of {opening.patch.replace('_', ' ')}"
            keys = (f"opening {k} {end}",), (f"opening {k} {other}",)
            found.append(Target(words, axis, place, *keys, ((f"{path}/openings/{k}/{end}", 1.0),)))
    return found


def _shapes(geometry: Resolved) -> Iterator[tuple[str, Resolved]]:
    yield "outer", geometry.outer
    yield from ((f"shape {k}", shape) for k, shape in enumerate(geometry.shapes))


# -- rectangle ------------------------------------------------------------------------------------


def _rectangle_positions(shape: Resolved) -> dict[str, float]:
    return {
        "left": shape.left, "right": shape.left + shape.width,
        "bottom": shape.bottom, "top": shape.bottom + shape.height,
    }  # fmt: skip


def _rectangle_targets(shape: Resolved, key: str, here: str) -> list[Target]:
    at = _rectangle_positions(shape)
    words = shape.name.replace("_", " ")
    mx, my = (at["left"] + at["right"]) / 2, (at["bottom"] + at["top"]) / 2
    found = []
    for side, other, axis, place in (
        ("left", "right", "x", (at["left"], my)), ("right", "left", "x", (at["right"], my)),
        ("bottom", "top", "y", (mx, at["bottom"])), ("top", "bottom", "y", (mx, at["top"])),
    ):  # fmt: skip
        extent = "width" if axis == "x" else "height"
        fields = ((f"{here}/{extent}", 1.0),) if side in ("right", "top") else (
            (f"{here}/{side}", 1.0), (f"{here}/{extent}", -1.0))  # fmt: skip
        found.append(Target(f"{side} edge of {words}", axis, place, (f"{key} {side}",), (f"{key} {other}",), fields))
    if key == "outer":
        return found
    for axis, low, high in (("x", "left", "right"), ("y", "bottom", "top")):
        moves = (f"{key} {low}", f"{key} {high}")
        name = f"{words} {'sideways' if axis == 'x' else 'up and down'}"
        found.append(Target(name, axis, (mx, my), moves, (), ((f"{here}/{low}", 1.0),), whole=True))
    return found


# -- circle ---------------------------------------------------------------------------------------


def _centre(shape: Resolved, key: str, here: str) -> list[Target]:
    name, place = f"centre of {shape.name.replace('_', ' ')}", (shape.centre_x, shape.centre_y)
    return [
        Target(name, axis, place, (f"{key} centre {axis}",), (), ((f"{here}/centre_{axis}", 1.0),))
        for axis in ("x", "y")
    ]


def _circle_positions(shape: Resolved) -> dict[str, float]:
    return {
        "centre x": shape.centre_x, "centre y": shape.centre_y, "right": shape.centre_x + shape.diameter / 2,
    }  # fmt: skip


def _circle_targets(shape: Resolved, key: str, here: str) -> list[Target]:
    place = (shape.centre_x + shape.diameter / 2, shape.centre_y)
    rim = Target(
        f"right edge of {shape.name.replace('_', ' ')}", "x", place, (f"{key} right",),
        (f"{key} centre x", f"{key} centre y"), ((f"{here}/diameter", 2.0),),
    )  # fmt: skip
    return [*_centre(shape, key, here), rim]


# -- arc ------------------------------------------------------------------------------------------


def _arc_positions(shape: Resolved) -> dict[str, float]:
    return {
        "centre x": shape.centre_x, "centre y": shape.centre_y, "radius": shape.radius,
        "rim": shape.radius + shape.thickness / 2, "start": shape.start, "end": shape.end,
    }  # fmt: skip


def _arc_targets(shape: Resolved, key: str, here: str) -> list[Target]:
    words, centre = shape.name.replace("_", " "), (shape.centre_x, shape.centre_y)
    found = _centre(shape, key, here)

    def at(radius: float, angle: float) -> tuple[float, float]:
        return (centre[0] + radius * float(np.cos(angle)), centre[1] + radius * float(np.sin(angle)))

    stays = (f"{key} centre x", f"{key} centre y", f"{key} start", f"{key} end")
    middle = (shape.start + shape.end) / 2
    for name, radius, angle, moves, keeps, field, slope in (
        ("radius", shape.radius, middle, "radius", (), "radius", 1.0),
        ("thickness", shape.radius + shape.thickness / 2, 0.75 * shape.start + 0.25 * shape.end, "rim", ("radius",), "thickness", 2.0),
    ):  # fmt: skip
        keys = (*stays, *(f"{key} {k}" for k in keeps))
        found.append(
            Target(f"{name} of {words}", "away", at(radius, angle), (f"{key} {moves}",), keys,
                   ((f"{here}/{field}", slope),), centre)
        )  # fmt: skip
    for end, other in (("start", "end"), ("end", "start")):
        keys = (f"{key} centre x", f"{key} centre y", f"{key} {other}", f"{key} radius")
        place = at(shape.radius, getattr(shape, end))
        found.append(
            Target(f"{end} of {words}", "turn", place, (f"{key} {end}",), keys, ((f"{here}/{end}", 1.0),), centre)
        )
    return found


# -- polygon --------------------------------------------------------------------------------------


def _polygon_positions(shape: Resolved) -> dict[str, float]:
    return {f"{k} {axis}": getattr(c, axis) for k, c in enumerate(shape.corners) for axis in ("x", "y")}


def _polygon_targets(shape: Resolved, key: str, here: str) -> list[Target]:
    words = shape.name.replace("_", " ")
    found = []
    for k, corner in enumerate(shape.corners):
        for axis in ("x", "y"):
            field, moves = ((f"{here}/corners/{k}/{axis}", 1.0),), (f"{key} {k} {axis}",)
            found.append(Target(f"corner {k + 1} of {words}", axis, (corner.x, corner.y), moves, (), field))
    return found


POSITIONS: dict[str, Callable[[Resolved], dict[str, float]]] = {
    "rectangle": _rectangle_positions,
    "circle": _circle_positions,
    "arc": _arc_positions,
    "polygon": _polygon_positions,
}
TARGETS: dict[str, Callable[[Resolved, str, str], list[Target]]] = {
    "rectangle": _rectangle_targets,
    "circle": _circle_targets,
    "arc": _arc_targets,
    "polygon": _polygon_targets,
}
