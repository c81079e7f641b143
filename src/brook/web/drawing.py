"""SVG of plane shapes: thumbnails, and drawings with dimensions, patches and their roles."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import groupby
from typing import NamedTuple

import numpy as np

from brook.core.geometry.outlines import outline
from brook.core.geometry.plane import PlaneShape
from brook.core.geometry.rings import Edge
from brook.core.study import Resolved
from brook.core.study.boundaries import KINDS
from brook.core.units import DIMENSIONS, show

ROLES = {kind.model_fields["kind"].default: (kind.role, kind.words) for kind in KINDS}
PALETTE = ("#0f6e74", "#b4532a", "#7a5195", "#5b7f3a", "#3b6ea5", "#a8791a", "#8a5a44", "#a3497e", "#4f6a3d", "#59636b")
LENGTH = DIMENSIONS["length"]
MANY = 14  # patches in a key: of more those that are alike become one entry


@dataclass(frozen=True)
class Line:
    x1: float
    y1: float
    x2: float
    y2: float


@dataclass(frozen=True)
class Trace:
    """A piece of boundary of one patch, as the points of an SVG polyline in px."""

    points: str
    patch: str
    role: str
    colour: str


@dataclass(frozen=True)
class Label:
    x: float
    y: float
    text: str
    anchor: str = "middle"
    turn: float = 0.0
    kind: str = "dimension"


@dataclass(frozen=True)
class Arrow:
    """A glyph on an opening: where it stands and which way it points, in degrees."""

    x: float
    y: float
    turn: float
    colour: str


@dataclass(frozen=True)
class PatchKey:
    """A patch in the key of a drawing; length in m."""

    name: str
    colour: str
    role: str
    words: str
    length: float


class Frame(NamedTuple):
    """Which place lies where: (x0, y0) in m lies at (left, top) px; px for each m."""

    x0: float
    y0: float
    scale: float
    left: float
    top: float
    width: float
    height: float


@dataclass
class Drawing:
    width: float
    height: float
    fill: str
    x0: float
    y0: float
    scale: float
    top: float
    left: float = 0.0
    edges: list[Trace] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    labels: list[Label] = field(default_factory=list)
    arrows: list[Arrow] = field(default_factory=list)
    patches: list[PatchKey] = field(default_factory=list)
    regions: list[tuple[str, str, str, str]] = field(
        default_factory=list
    )  # an area or a line, its path, the kind of what is there, its name


def role_of(patch: str, boundaries: list[Resolved]) -> tuple[str, str]:
    """(role, words) of a patch: inflow, outflow, wall, symmetry or periodic."""
    said = next((b for b in boundaries if b.patch == patch), Resolved(kind="wall"))
    role, words = ROLES[said.kind]
    return role, getattr(said, "words", words)


def drawing(
    shape: PlaneShape, boundaries: list[Resolved], width: float = 860.0, margin: float = 74.0,
    geometry: Resolved | None = None, most: float = 460.0, frame: Frame | None = None,
) -> Drawing:  # fmt: skip
    """A drawing `width` px wide; with `geometry` it carries dimensions, with `frame` it stays where another was."""
    if frame is None:
        span_x, span_y = float(np.ptp(shape.x)), float(np.ptp(shape.y))
        scale = min((width - 2 * margin) / span_x, most / span_y)
        left = (width - scale * span_x) / 2
        frame = Frame(float(shape.x[0]), float(shape.y[-1]), scale, left, margin, width, scale * span_y + 2 * margin)
    scale = frame.scale
    made = Drawing(frame.width, frame.height, "", frame.x0, frame.y0, scale, frame.top, frame.left)

    def px(x: float) -> float:
        return frame.left + (x - frame.x0) * scale

    def py(y: float) -> float:
        return frame.top + (frame.y0 - y) * scale

    made.fill = _fill(shape, px, py)
    colours = {name: PALETTE[k % len(PALETTE)] for k, name in enumerate(shape.patches)}
    for ring in shape.rings:
        for run in _runs(ring):
            role, _ = role_of(run[0].patch, boundaries)
            at = [(px(e.x0), py(e.y0)) for e in run] + [(px(run[-1].x1), py(run[-1].y1))]
            points = " ".join(f"{x:.2f},{y:.2f}" for x, y in at)
            made.edges.append(Trace(points, run[0].patch, role, colours[run[0].patch]))
            if role in ("inflow", "outflow"):
                made.arrows += _arrows(np.array(at), role, colours[run[0].patch])
    for name in shape.patches:
        role, words = role_of(name, boundaries)
        length = sum(e.length for e in shape.edges() if e.patch == name)
        made.patches.append(PatchKey(name, colours[name], role, words, length))
    if len(made.patches) > MANY:
        made.patches = _joined(made.patches)
    if geometry is not None:
        _dimensions(made, geometry, px, py)
    return made


def _joined(keys: list[PatchKey]) -> list[PatchKey]:
    """A long key with one entry for patches whose names begin alike and that do the same, first and last named."""
    found = []
    for _, group in groupby(keys, key=lambda k: (k.name.rsplit("_", 1)[0], k.role, k.words, round(k.length, 9))):
        alike = list(group)
        one = alike[0]
        found.append(
            one
            if len(alike) < 3
            else replace(one, name=f"{one.name} … {alike[-1].name}", words=f"({len(alike)}) each {one.words}")
        )
    return found


def _fill(shape: PlaneShape, px, py) -> str:  # type: ignore[no-untyped-def]
    """One path of all outlines; what lies within a second one is not filled."""
    parts = []
    for ring in shape.rings:
        points = "L".join(f"{px(e.x0):.2f} {py(e.y0):.2f}" for e in ring)
        parts.append(f"M{points}Z")
    return "".join(parts)


def _runs(ring: tuple[Edge, ...]) -> list[list[Edge]]:
    """Stretches of a closed outline that are of one patch."""
    starts = [k for k, edge in enumerate(ring) if edge.patch != ring[k - 1].patch] or [0]
    turned = [*ring[starts[0] :], *ring[: starts[0]]]
    return [list(group) for _, group in groupby(turned, key=lambda e: e.patch)]


def _arrows(at: np.ndarray, role: str, colour: str) -> list[Arrow]:
    """Small triangles along an opening (n, 2) in px, pointing the way the fluid goes; the fluid is on its left."""
    step = np.diff(at, axis=0)
    passed = np.concatenate([[0.0], np.cumsum(np.hypot(*step.T))])
    count = max(1, min(6, int(passed[-1] // 16)))
    found = []
    for k in range(count):
        where = (k + 0.5) / count * passed[-1]
        piece = min(int(np.searchsorted(passed, where)), len(step)) - 1
        share = (where - passed[piece]) / (passed[piece + 1] - passed[piece])
        x, y = at[piece] + share * step[piece]
        # y points down here, so the left of the edge lies at (y, -x) of its run
        turn = float(np.degrees(np.arctan2(-step[piece, 0], step[piece, 1])))
        turn = turn + 180.0 if role == "outflow" else turn
        found.append(Arrow(float(x), float(y), (turn + 180.0) % 360.0 - 180.0, colour))
    return found


def _dimensions(made: Drawing, geometry: Resolved, px, py) -> None:  # type: ignore[no-untyped-def]
    outer = geometry.outer
    right, top = outer.left + outer.width, outer.bottom + outer.height
    base, side = py(outer.bottom) + 50, px(outer.left) - 44
    made.lines.append(Line(px(outer.left), base, px(right), base))
    made.labels.append(Label((px(outer.left) + px(right)) / 2, base - 5, show(outer.width, LENGTH, given=True)))
    made.lines.append(Line(side, py(outer.bottom), side, py(top)))
    made.labels.append(
        Label(side - 6, (py(outer.bottom) + py(top)) / 2, show(outer.height, LENGTH, given=True), turn=-90)
    )
    chain = py(outer.bottom) + 24
    for shape in geometry.shapes:
        _mark(made, shape, px, py, chain, py(top) - 22)


def _mark(made: Drawing, shape: Resolved, px, py, chain: float, above: float) -> None:  # type: ignore[no-untyped-def]
    """The size and the place of a shape, and its name over it."""
    points = np.concatenate([s.points for s in outline(shape)])
    (low_x, low_y), (high_x, high_y) = points.min(axis=0), points.max(axis=0)
    middle, end = (px(low_x) + px(high_x)) / 2, px(high_x)
    if shape.kind == "rectangle":
        made.lines.append(Line(end + 22, py(low_y), end + 22, py(high_y)))
        size, at = show(shape.height, LENGTH, given=True), (py(low_y) + py(high_y)) / 2 + 4
        made.labels.append(Label(end + 27, at, size, "start"))
        start, x = shape.left, px(shape.left)
    elif shape.kind == "polygon":
        start, x = float(low_x), px(low_x)
    else:
        across = shape.diameter if shape.kind == "circle" else shape.radius
        size = ("⌀ " if shape.kind == "circle" else "R ") + show(across, LENGTH, given=True)
        made.labels.append(Label(end + 12, py(high_y) + 4, size, "start"))
        start, x = shape.centre_x, px(shape.centre_x)
    made.lines.append(Line(x, chain - 6, x, chain + 6))
    made.labels.append(Label(x + 4, chain + 4, show(start, LENGTH, given=True), "start"))
    made.labels.append(Label(middle, above, shape.name.replace("_", " "), kind="name"))


def thumbnail(shape: PlaneShape, boundaries: list[Resolved]) -> Drawing:
    """A drawing small enough for a table."""
    return drawing(shape, boundaries, width=168.0, margin=7.0, most=70.0)
