"""Plane shapes of rectangles, on the grid of lines through all their edges.

Lines through every edge cut the plane into coarse boxes; each box is inside or outside.
What lies between an inside and an outside box is boundary and belongs to the patch of the
last shape that has an edge there.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy import ndimage

from brook.core.study import Problem, Resolved
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
RELATIVE_TOLERANCE = 1e-7


@dataclass(frozen=True)
class Edge:
    """A straight piece of boundary from (x0, y0) to (x1, y1), in m, the fluid on its left."""

    x0: float
    y0: float
    x1: float
    y1: float
    patch: str

    @property
    def length(self) -> float:
        return abs(self.x1 - self.x0) + abs(self.y1 - self.y0)


@dataclass(frozen=True)
class PlaneShape:
    """A closed plane domain.

    `x` (nx+1,) and `y` (ny+1,) are the lines in m, `inside` (ny, nx) says which boxes are fluid.
    `vertical` (ny, nx+1) and `horizontal` (ny+1, nx) hold the patch number of the boundary
    piece on a line, -1 where there is none. `patches` are the patch names in order.
    """

    body: str
    depth: float
    x: np.ndarray
    y: np.ndarray
    inside: np.ndarray
    vertical: np.ndarray
    horizontal: np.ndarray
    patches: tuple[str, ...]

    @property
    def area(self) -> float:
        """Area of the domain in m²."""
        return float(np.sum(np.outer(np.diff(self.y), np.diff(self.x))[self.inside]))

    def edges(self) -> list[Edge]:
        """The boundary as straight pieces, neighbours on one line and patch joined."""
        found = []
        for i, x in enumerate(self.x):
            for j0, j1, patch in _runs(self.vertical[:, i], self._left_inside(i)):
                y0, y1 = self.y[j0], self.y[j1]
                inside_left = self._left_inside(i)[j0]
                start, end = (y0, y1) if inside_left else (y1, y0)
                found.append(Edge(x, start, x, end, self.patches[patch]))
        for j, y in enumerate(self.y):
            for i0, i1, patch in _runs(self.horizontal[j], self._below_inside(j)):
                x0, x1 = self.x[i0], self.x[i1]
                inside_below = self._below_inside(j)[i0]
                start, end = (x1, x0) if inside_below else (x0, x1)
                found.append(Edge(start, y, end, y, self.patches[patch]))
        return found

    def _left_inside(self, i: int) -> np.ndarray:
        return self.inside[:, i - 1] if i > 0 else np.zeros(len(self.y) - 1, bool)

    def _below_inside(self, j: int) -> np.ndarray:
        return self.inside[j - 1] if j > 0 else np.zeros(len(self.x) - 1, bool)


def _runs(patches: np.ndarray, side: np.ndarray) -> list[tuple[int, int, int]]:
    """Stretches (first, end, patch) of equal patch and equal side along a line."""
    runs: list[tuple[int, int, int]] = []
    start = 0
    for k in range(1, len(patches) + 1):
        if k == len(patches) or patches[k] != patches[start] or side[k] != side[start]:
            if patches[start] >= 0:
                runs.append((start, k, int(patches[start])))
            start = k
    return runs


def build_plane(geometry: Resolved, path: str, problems: list[Problem]) -> PlaneShape | None:
    """The domain of a resolved plane geometry, or None with the reasons in `problems`."""
    before = len(problems)
    outer = geometry.outer
    shapes = [outer, *geometry.shapes]
    numbers = [v for s in shapes for v in (s.left, s.bottom, s.width, s.height)]
    numbers += [v for o in geometry.openings for v in (o.start, o.end)] + [geometry.depth]
    if any(v is None for v in numbers):
        return None
    tolerance = RELATIVE_TOLERANCE * max(outer.width, outer.height)
    x = _lines([v for s in shapes for v in (s.left, s.left + s.width)] + _opening_lines(geometry, "x"), tolerance)
    y = _lines([v for s in shapes for v in (s.bottom, s.bottom + s.height)] + _opening_lines(geometry, "y"), tolerance)
    inside = np.zeros((len(y) - 1, len(x) - 1), bool)
    middle_x, middle_y = (x[1:] + x[:-1]) / 2, (y[1:] + y[:-1]) / 2
    for k, shape in enumerate(shapes):
        here = f"{path}/outer" if k == 0 else f"{path}/shapes/{k - 1}"
        covered = np.outer(
            (middle_y > shape.bottom) & (middle_y < shape.bottom + shape.height),
            (middle_x > shape.left) & (middle_x < shape.left + shape.width),
        )
        if k == 0:
            inside |= covered
            continue
        _check_placed(shape, outer, covered, inside, here, tolerance, problems)
        previous = inside.copy()
        inside = inside & ~covered if shape.action == "take" else inside | covered
        _check_one_piece(inside, previous, shape, here, problems)
        if len(problems) > before:
            return None
    vertical, horizontal, names = _patches(geometry, shapes, x, y, inside, tolerance)
    _openings(geometry, x, y, inside, vertical, horizontal, names, path, tolerance, problems)
    if len(problems) > before:
        return None
    used = [n for k, n in enumerate(names) if np.any(vertical == k) or np.any(horizontal == k)]
    renumber = np.array([used.index(n) if n in used else -1 for n in names] + [-1])
    return PlaneShape(
        geometry.body, geometry.depth, x, y, inside, renumber[vertical], renumber[horizontal], tuple(used)
    )


def _lines(values: list[float], tolerance: float) -> np.ndarray:
    values = sorted(values)
    kept = [values[0]]
    kept.extend(b for a, b in pairwise(values) if b - kept[-1] > tolerance)
    return np.array(kept)


def _opening_lines(geometry: Resolved, axis: str) -> list[float]:
    sides = ("bottom", "top") if axis == "x" else ("left", "right")
    return [v for o in geometry.openings if o.side in sides for v in (o.start, o.end)]


def _check_placed(
    shape: Resolved, outer: Resolved, covered: np.ndarray, inside: np.ndarray, path: str, tolerance: float,
    problems: list[Problem],
) -> None:  # fmt: skip
    """A piece taken away has to lie in the fluid; a piece added has to touch it."""
    if shape.action == "add":
        if not np.any(ndimage.binary_dilation(inside) & covered):
            problems.append(Problem(f"{path}/left", f"'{shape.name}' does not touch the rest; move it so that it does"))
        return
    beyond = {
        "left": outer.left - shape.left,
        "bottom": outer.bottom - shape.bottom,
        "width": shape.left + shape.width - outer.left - outer.width,
        "height": shape.bottom + shape.height - outer.bottom - outer.height,
    }
    where = {"left": "left", "bottom": "bottom", "width": "right", "height": "top"}
    if not np.any(covered & inside):
        problems.append(Problem(f"{path}/left", f"'{shape.name}' lies outside '{outer.name}'; nothing is taken away"))
        return
    for field, excess in beyond.items():
        # A piece that overlaps an added one may well reach beyond the outer rectangle there.
        if excess > tolerance and not np.all(inside[covered]):
            message = (
                f"'{shape.name}' reaches {show(excess, LENGTH, given=True)} beyond the {where[field]} side of '{outer.name}'; "
                "make it smaller or move it"
            )
            problems.append(Problem(f"{path}/{field}", message))


def _check_one_piece(
    inside: np.ndarray, previous: np.ndarray, shape: Resolved, path: str, problems: list[Problem]
) -> None:
    if not np.any(inside):
        problems.append(Problem(f"{path}/width", f"'{shape.name}' leaves no room for the fluid; make it smaller"))
        return
    count, before = ndimage.label(inside)[1], ndimage.label(previous)[1]
    if count > 1 and count > before:
        message = f"'{shape.name}' cuts the domain in {_number_word(count)}; leave a way past it"
        problems.append(Problem(f"{path}/{_cutting_side(shape, previous)}", message))


def _cutting_side(shape: Resolved, previous: np.ndarray) -> str:
    return "height" if shape.height >= shape.width else "width"


def _number_word(count: int) -> str:
    return {2: "two", 3: "three", 4: "four"}.get(count, str(count))


def _patches(
    geometry: Resolved, shapes: list[Resolved], x: np.ndarray, y: np.ndarray, inside: np.ndarray, tolerance: float
) -> tuple[np.ndarray, np.ndarray, list[str]]:
    """Patch numbers of the boundary pieces on vertical and horizontal lines."""
    names: list[str] = []
    for shape in shapes:
        names += [n for n in vars(shape.patches).values() if n not in names]
    padded = np.pad(inside, 1)
    vertical = np.where(padded[1:-1, 1:] != padded[1:-1, :-1], 0, -1)
    horizontal = np.where(padded[1:, 1:-1] != padded[:-1, 1:-1], 0, -1)
    middle_x, middle_y = (x[1:] + x[:-1]) / 2, (y[1:] + y[:-1]) / 2
    for shape in shapes:
        right, top = shape.left + shape.width, shape.bottom + shape.height
        rows = (middle_y > shape.bottom) & (middle_y < top)
        columns = (middle_x > shape.left) & (middle_x < right)
        for side, position in (("left", shape.left), ("right", right)):
            lines = np.abs(x - position) <= tolerance
            vertical[np.outer(rows, lines) & (vertical >= 0)] = names.index(getattr(shape.patches, side))
        for side, position in (("bottom", shape.bottom), ("top", top)):
            lines = np.abs(y - position) <= tolerance
            horizontal[np.outer(lines, columns) & (horizontal >= 0)] = names.index(getattr(shape.patches, side))
    return vertical, horizontal, names


def _openings(
    geometry: Resolved, x: np.ndarray, y: np.ndarray, inside: np.ndarray, vertical: np.ndarray,
    horizontal: np.ndarray, names: list[str], path: str, tolerance: float, problems: list[Problem],
) -> None:  # fmt: skip
    """Gives the stretches of the outer rectangle that are openings their own patch."""
    outer = geometry.outer
    right, top = outer.left + outer.width, outer.bottom + outer.height
    for k, opening in enumerate(geometry.openings):
        here = f"{path}/openings/{k}"
        upright = opening.side in ("left", "right")
        low, high = (outer.bottom, top) if upright else (outer.left, right)
        if opening.end - opening.start <= tolerance:
            problems.append(
                Problem(f"{here}/end", f"'{opening.patch}' ends before it begins; its end has to be larger")
            )
            continue
        if opening.start < low - tolerance or opening.end > high + tolerance:
            field = "start" if opening.start < low - tolerance else "end"
            span = f"{show(low, LENGTH, given=True)} to {show(high, LENGTH, given=True)}"
            message = f"'{opening.patch}' reaches beyond the {opening.side} side, which goes from {span}"
            problems.append(Problem(f"{here}/{field}", message))
            continue
        position = {"left": outer.left, "right": right, "bottom": outer.bottom, "top": top}[opening.side]
        if opening.patch not in names:
            names.append(opening.patch)
        number = names.index(opening.patch)
        lines, along, target = (x, y, vertical.T) if upright else (y, x, horizontal)
        middle = (along[1:] + along[:-1]) / 2
        stretch = (middle > opening.start) & (middle < opening.end)
        chosen = np.outer(np.abs(lines - position) <= tolerance, stretch) & (target >= 0)
        if not np.any(chosen):
            problems.append(Problem(f"{here}/start", f"'{opening.patch}' lies where '{outer.name}' has no open side"))
            continue
        target[chosen] = number
