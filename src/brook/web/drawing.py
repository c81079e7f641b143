"""SVG of plane shapes: thumbnails, and drawings with dimensions, patches and their roles."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from brook.core.geometry import Edge, PlaneShape
from brook.core.study import Resolved
from brook.core.study.boundaries import KINDS
from brook.core.units import DIMENSIONS, show

ROLES = {kind.model_fields["kind"].default: (kind.role, kind.words) for kind in KINDS}
PALETTE = ("#0f6e74", "#b4532a", "#7a5195", "#5b7f3a", "#3b6ea5", "#a8791a", "#8a5a44", "#a3497e", "#4f6a3d", "#59636b")
LENGTH = DIMENSIONS["length"]


@dataclass(frozen=True)
class Line:
    x1: float
    y1: float
    x2: float
    y2: float
    patch: str = ""
    role: str = "wall"
    colour: str = ""


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
    edges: list[Line] = field(default_factory=list)
    lines: list[Line] = field(default_factory=list)
    labels: list[Label] = field(default_factory=list)
    arrows: list[Arrow] = field(default_factory=list)
    patches: list[PatchKey] = field(default_factory=list)


def role_of(patch: str, boundaries: list[Resolved]) -> tuple[str, str]:
    """(role, words) of a patch: inflow, outflow, wall or symmetry."""
    kind = next((b.kind for b in boundaries if b.patch == patch), "wall")
    return ROLES[kind]


def drawing(
    shape: PlaneShape, boundaries: list[Resolved], width: float = 860.0, margin: float = 74.0,
    geometry: Resolved | None = None, most: float = 460.0, frame: Frame | None = None,
) -> Drawing:  # fmt: skip
    """A drawing `width` px wide; with `geometry` it carries dimensions, with `frame` it stays where another was."""
    if frame is None:
        span_x, span_y = shape.x[-1] - shape.x[0], shape.y[-1] - shape.y[0]
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
    edges = shape.edges()
    for edge in edges:
        role, _ = role_of(edge.patch, boundaries)
        made.edges.append(
            Line(px(edge.x0), py(edge.y0), px(edge.x1), py(edge.y1), edge.patch, role, colours[edge.patch])
        )
        if role in ("inflow", "outflow"):
            made.arrows += _arrows(edge, role, px, py, colours[edge.patch])
    for name in shape.patches:
        role, words = role_of(name, boundaries)
        length = sum(e.length for e in edges if e.patch == name)
        made.patches.append(PatchKey(name, colours[name], role, words, length))
    if geometry is not None:
        _dimensions(made, geometry, px, py)
    return made


def _fill(shape: PlaneShape, px, py) -> str:  # type: ignore[no-untyped-def]
    """One path of all inside boxes, rows joined."""
    parts = []
    for j in range(len(shape.y) - 1):
        i = 0
        while i < len(shape.x) - 1:
            if not shape.inside[j, i]:
                i += 1
                continue
            start = i
            while i < len(shape.x) - 1 and shape.inside[j, i]:
                i += 1
            x0, x1, y0, y1 = px(shape.x[start]), px(shape.x[i]), py(shape.y[j]), py(shape.y[j + 1])
            parts.append(f"M{x0:.2f} {y0:.2f}H{x1:.2f}V{y1:.2f}H{x0:.2f}Z")
    return "".join(parts)


def _arrows(edge: Edge, role: str, px, py, colour: str) -> list[Arrow]:  # type: ignore[no-untyped-def]
    """Small triangles along an opening, pointing the way the fluid goes; the fluid is on the edge's left."""
    along_x, along_y = edge.x1 - edge.x0, edge.y1 - edge.y0
    inward = (-along_y, along_x)
    if role == "outflow":
        inward = (-inward[0], -inward[1])
    turn = {(True, True): 0.0, (True, False): 180.0}.get((abs(inward[0]) > abs(inward[1]), inward[0] > 0))
    if turn is None:
        turn = -90.0 if inward[1] > 0 else 90.0
    length = max(abs(px(edge.x1) - px(edge.x0)), abs(py(edge.y1) - py(edge.y0)))
    count = max(1, min(6, int(length // 16)))
    return [
        Arrow(
            px(edge.x0 + along_x * (k + 0.5) / count), py(edge.y0 + along_y * (k + 0.5) / count), turn, colour
        )
        for k in range(count)
    ]  # fmt: skip


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
        x, y0, y1 = px(shape.left), py(shape.bottom), py(shape.bottom + shape.height)
        end = px(shape.left + shape.width)
        made.lines.append(Line(end + 10, y0, end + 10, y1))
        made.labels.append(Label(end + 15, (y0 + y1) / 2 + 4, show(shape.height, LENGTH, given=True), "start"))
        made.lines.append(Line(x, chain - 6, x, chain + 6))
        made.labels.append(Label(x + 4, chain + 4, show(shape.left, LENGTH, given=True), "start"))
        made.labels.append(Label((x + end) / 2, py(top) - 12, shape.name.replace("_", " "), kind="name"))


def thumbnail(shape: PlaneShape, boundaries: list[Resolved]) -> Drawing:
    """A drawing small enough for a table."""
    return drawing(shape, boundaries, width=168.0, margin=7.0, most=70.0)
