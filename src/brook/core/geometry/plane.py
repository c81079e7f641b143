"""Plane shapes: rectangles, circles, arcs and polygons put together to one closed domain with named patches.

What is boundary of the domain belongs to the patch of the last shape that has an edge there.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np
import shapely

from brook.core.geometry.outlines import SideLine, outline, outline_problems
from brook.core.geometry.rings import Edge, rings_of, snapped
from brook.core.study import Problem, Resolved, patch_names
from brook.core.study.resolve import plain
from brook.core.units import DIMENSIONS, show

LENGTH = DIMENSIONS["length"]
RELATIVE_TOLERANCE = 1e-7
PIECES = 12  # that a stretch of oblique boundary is sampled in


@dataclass(frozen=True, eq=False)
class PlaneShape:
    """A closed plane domain.

    `x` (nx+1,) and `y` (ny+1,) are lines in m through all boundary that runs along them; what does not is
    `oblique`. `rings` are the closed outlines, fluid on the left. `share` (ny, nx) is how much of each box
    between the lines is fluid. `patches` are the patch names in order.
    """

    body: str
    depth: float
    x: np.ndarray
    y: np.ndarray
    rings: tuple[tuple[Edge, ...], ...]
    share: np.ndarray
    patches: tuple[str, ...]
    domain: shapely.Polygon

    @cached_property
    def area(self) -> float:
        """Area of the domain in m²."""
        return sum(e.x0 * e.y1 - e.x1 * e.y0 for e in self.edges()) / 2

    def edges(self) -> list[Edge]:
        """The boundary as straight pieces, ring after ring."""
        return [edge for ring in self.rings for edge in ring]

    @cached_property
    def oblique(self) -> list[Edge]:
        """Edges that do not run along a line."""
        return [e for e in self.edges() if not self._on_line(e)]

    def walls(self, axis: int) -> np.ndarray:
        """Stretches (n, 2) of an axis over which there is boundary that the lines across it have to resolve."""
        bent = set(map(id, self.oblique))
        spans = set()
        for e in self.edges():
            low, high = sorted((e.x0, e.x1) if axis == 0 else (e.y0, e.y1))
            if id(e) in bent or low == high:
                spans.add((low, high))
        joined: list[list[float]] = []
        for low, high in sorted(spans):
            if joined and low <= joined[-1][1]:
                joined[-1][1] = max(joined[-1][1], high)
            else:
                joined.append([low, high])
        return np.array(joined)

    @cached_property
    def samples(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Lines x and y and the share (ny, nx) of fluid between them, finer where boundary runs askew."""
        if not self.oblique:
            return self.x, self.y, self.share
        lines = []
        for axis, of in enumerate((self.x, self.y)):
            pieces = [np.linspace(low, high, PIECES + 1) for low, high in self.walls(axis) if high > low]
            lines.append(np.unique(np.clip(np.concatenate([of, *pieces]), of[0], of[-1])))
        return lines[0], lines[1], _share(self.domain, *lines)

    def _on_line(self, edge: Edge) -> bool:
        if edge.x0 == edge.x1:
            return bool(np.any(self.x == edge.x0))
        return edge.y0 == edge.y1 and bool(np.any(self.y == edge.y0))

    @cached_property
    def key(self) -> list:
        """Numbers and names that say which domain this is, for hashing."""
        edges = [plain([e.x0, e.y0, e.x1, e.y1, e.patch]) for e in self.edges()]
        return [self.body, plain([self.depth, self.x.tolist(), self.y.tolist()]), edges, list(self.patches)]


@dataclass(frozen=True)
class _Asked:
    """A resolved geometry, known by its text, and where it stands in the document."""

    text: str
    path: str
    geometry: Resolved = field(compare=False)


def build_plane(geometry: Resolved, path: str, problems: list[Problem]) -> PlaneShape | None:
    """The domain of a resolved plane geometry, or None with the reasons in `problems`."""
    shape, found = _built(_Asked(json.dumps(geometry, default=vars), path, geometry))
    problems += found
    return shape


@lru_cache(maxsize=256)
def _built(asked: _Asked) -> tuple[PlaneShape | None, tuple[Problem, ...]]:
    problems: list[Problem] = []
    return _build(asked.geometry, asked.path, problems), tuple(problems)


def _build(geometry: Resolved, path: str, problems: list[Problem]) -> PlaneShape | None:
    before = len(problems)
    if _has_gaps(plain(geometry)):
        return None
    shapes = [geometry.outer, *geometry.shapes]
    for k, shape in enumerate(geometry.shapes):
        problems += outline_problems(shape, f"{path}/shapes/{k}")
    if len(problems) > before:
        return None
    tolerance = RELATIVE_TOLERANCE * max(geometry.outer.width, geometry.outer.height)
    sides = [outline(shape) for shape in shapes]
    x, y = (_lines(sides, geometry, axis, tolerance) for axis in (0, 1))
    sides = [[SideLine(snapped(s.points, x, y, tolerance), s.patch) for s in of] for of in sides]
    domain = _put_together(shapes, sides, path, tolerance, problems)
    if domain is None:
        return None
    _opening_problems(geometry, path, tolerance, problems)
    if len(problems) > before:
        return None
    rings = rings_of(domain, sides, geometry, x, y, tolerance)
    names = {edge.patch for ring in rings for edge in ring}
    for k, opening in enumerate(geometry.openings):
        if opening.patch not in names:
            message = f"'{opening.patch}' lies where '{geometry.outer.name}' has no open side"
            problems.append(Problem(f"{path}/openings/{k}/start", message))
    if len(problems) > before:
        return None
    patches = tuple(n for n in patch_names(geometry) if n in names)
    x, y = _with_crossing_lines(rings, x, y)
    return PlaneShape(geometry.body, geometry.depth, x, y, rings, _share(domain, x, y), patches, domain)


def _has_gaps(content: object) -> bool:
    """Whether a number is missing anywhere."""
    if isinstance(content, dict):
        return any(_has_gaps(v) for v in content.values())
    return any(_has_gaps(v) for v in content) if isinstance(content, list) else content is None


def _lines(sides: list[list[SideLine]], geometry: Resolved, axis: int, tolerance: float) -> np.ndarray:
    """Positions of all straight sides across an axis and of the ends of openings along it."""
    across = [s.points[:, axis] for of in sides for s in of if s.is_straight and np.ptp(s.points[:, axis]) <= tolerance]
    along = ("bottom", "top") if axis == 0 else ("left", "right")
    ends = [v for o in geometry.openings if o.side in along for v in (o.start, o.end)]
    values = sorted([float(v[0]) for v in across] + ends)
    kept = [values[0]]
    kept.extend(b for _, b in pairwise(values) if b - kept[-1] > tolerance)
    return np.array(kept)


def _polygon(sides: list[SideLine]) -> shapely.Polygon:
    return shapely.Polygon(np.concatenate([s.points[:-1] for s in sides]))


def _put_together(
    shapes: list[Resolved], sides: list[list[SideLine]], path: str, tolerance: float, problems: list[Problem]
) -> shapely.Polygon | None:
    """The domain as one polygon, or None with the reason why not."""
    domain = _polygon(sides[0])
    outer = shapes[0]
    for k, (shape, lines) in enumerate(zip(shapes[1:], sides[1:], strict=True)):
        here, piece = f"{path}/shapes/{k}", _polygon(lines)
        if not piece.is_valid or piece.area <= tolerance**2:
            message = f"the sides of '{shape.name}' cross each other; give its corners in their order round it"
            problems.append(Problem(f"{here}/corners" if shape.kind == "polygon" else here, message))
            return None
        problem = _placed_wrongly(shape, piece, outer, domain, here, tolerance)
        pieces = _count(domain)
        if shape.action == "add":
            domain = domain.union(piece)
        else:
            domain = domain.difference(piece) if shape.action == "take" else domain.intersection(piece)
        domain = _solid(domain, tolerance)
        problem = problem or _leaves(shape, domain, pieces, here)
        if problem:
            problems.append(problem)
            return None
    return shapely.orient_polygons(domain) if isinstance(domain, shapely.Polygon) else None


def _count(domain: shapely.Geometry) -> int:
    return int(shapely.get_num_geometries(domain)) if not domain.is_empty else 0


def _solid(domain: shapely.Geometry, tolerance: float) -> shapely.Geometry:
    """Only what has an area: lines and points that two shapes share are dropped."""
    parts = [p for p in shapely.get_parts(domain) if isinstance(p, shapely.Polygon) and p.area > tolerance**2]
    return parts[0] if len(parts) == 1 else shapely.MultiPolygon(parts)


# where a problem with the size or the place of a shape is shown
SIZE_FIELD = {"circle": "diameter", "arc": "radius", "polygon": "corners"}
PLACE_FIELD = {"rectangle": "left", "circle": "centre_x", "arc": "centre_x", "polygon": "corners"}


def _size_field(shape: Resolved) -> str:
    if shape.kind == "rectangle":
        return "height" if shape.height >= shape.width else "width"
    return SIZE_FIELD[shape.kind]


def _placed_wrongly(
    shape: Resolved, piece: shapely.Polygon, outer: Resolved, domain: shapely.Geometry, path: str, tolerance: float
) -> Problem | None:
    """A piece taken away or kept has to lie in the fluid; a piece added has to touch it."""
    place = f"{path}/{PLACE_FIELD[shape.kind]}"
    if shape.action == "add":
        if _count(_solid(domain.union(piece), tolerance)) > _count(domain):
            return Problem(place, f"'{shape.name}' does not touch the rest; move it so that it does")
        return None
    if domain.intersection(piece).area <= tolerance**2:
        what = "nothing is taken away" if shape.action == "take" else "nothing would be left"
        return Problem(place, f"'{shape.name}' lies outside '{outer.name}'; {what}")
    if shape.kind != "rectangle" or shape.action == "keep":
        return None
    beyond = {
        "left": outer.left - shape.left,
        "bottom": outer.bottom - shape.bottom,
        "width": shape.left + shape.width - outer.left - outer.width,
        "height": shape.bottom + shape.height - outer.bottom - outer.height,
    }
    where = {"left": "left", "bottom": "bottom", "width": "right", "height": "top"}
    for which, excess in beyond.items():
        # A piece that overlaps an added one may well reach beyond the outer rectangle there.
        if excess > tolerance and piece.difference(domain).area > tolerance**2:
            far = show(excess, LENGTH, given=True)
            message = f"'{shape.name}' reaches {far} beyond the {where[which]} side of '{outer.name}'"
            return Problem(f"{path}/{which}", f"{message}; make it smaller or move it")
    return None


def _leaves(shape: Resolved, domain: shapely.Geometry, pieces: int, path: str) -> Problem | None:
    if domain.is_empty:
        field = "width" if shape.kind == "rectangle" else SIZE_FIELD[shape.kind]
        return Problem(f"{path}/{field}", f"'{shape.name}' leaves no room for the fluid; make it smaller")
    count = _count(domain)
    if count > 1 and count > pieces:
        words = {2: "two", 3: "three", 4: "four"}.get(count, str(count))
        return Problem(
            f"{path}/{_size_field(shape)}", f"'{shape.name}' cuts the domain in {words}; leave a way past it"
        )
    return None


def _opening_problems(geometry: Resolved, path: str, tolerance: float, problems: list[Problem]) -> None:
    outer = geometry.outer
    for k, opening in enumerate(geometry.openings):
        upright = opening.side in ("left", "right")
        low = outer.bottom if upright else outer.left
        high = low + (outer.height if upright else outer.width)
        if opening.end - opening.start <= tolerance:
            message = f"'{opening.patch}' ends before it begins; its end has to be larger"
            problems.append(Problem(f"{path}/openings/{k}/end", message))
        elif opening.start < low - tolerance or opening.end > high + tolerance:
            field = "start" if opening.start < low - tolerance else "end"
            span = f"{show(low, LENGTH, given=True)} to {show(high, LENGTH, given=True)}"
            message = f"'{opening.patch}' reaches beyond the {opening.side} side, which goes from {span}"
            problems.append(Problem(f"{path}/openings/{k}/{field}", message))


def _with_crossing_lines(
    rings: tuple[tuple[Edge, ...], ...], x: np.ndarray, y: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """The lines within the domain and round it, and one through each outline that none crosses.

    No outline then lies within one cell.
    """
    every = np.array([(e.x0, e.y0) for ring in rings for e in ring])
    x, y = (
        np.unique([low, *of[(of > low) & (of < high)], high])
        for of, low, high in zip((x, y), every.min(axis=0), every.max(axis=0), strict=True)
    )
    for ring in rings:
        at = np.array([(e.x0, e.y0) for e in ring])
        low, high = at.min(axis=0), at.max(axis=0)
        crossed = [np.any((of > a) & (of < b)) for of, a, b in zip((x, y), low, high, strict=True)]
        straight = all(e.x0 == e.x1 or e.y0 == e.y1 for e in ring)
        if not any(crossed) and not straight:
            x = np.sort(np.append(x, (low[0] + high[0]) / 2))
    return x, y


def _share(domain: shapely.Polygon, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    left, bottom = np.meshgrid(x[:-1], y[:-1])
    right, top = np.meshgrid(x[1:], y[1:])
    boxes = shapely.box(left, bottom, right, top)
    shapely.prepare(domain)
    inside, outside = shapely.contains_properly(domain, boxes), shapely.disjoint(domain, boxes)
    share = np.where(inside, 1.0, 0.0)
    unsure = ~inside & ~outside
    share[unsure] = shapely.area(shapely.intersection(boxes[unsure], domain)) / shapely.area(boxes[unsure])
    share[share > 1 - 1e-9] = 1.0
    share[share < 1e-9] = 0.0
    return share
