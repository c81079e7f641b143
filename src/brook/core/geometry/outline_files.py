"""Closed outlines from files: DXF drawings, and tables of points. Lengths in m."""

from __future__ import annotations

import io
import re

import numpy as np
import shapely

from brook.core.geometry.files import FileError
from brook.core.units import unit_factor

MOST_BYTES = 20_000_000
MOST_PIECES = 50_000
CLOSE = 1e-4  # of the size: ends nearer to each other than this meet
# what a drawing may say of its own unit
DRAWN_IN = {1: "inch", 4: "mm", 5: "cm", 6: "m"}
TAKEN = "LINE ARC CIRCLE ELLIPSE SPLINE LWPOLYLINE POLYLINE"


def read_outline(name: str, data: bytes, unit: str, most: int) -> np.ndarray:
    """The largest closed outline of a file as at most `most` points (n, 2) in m.

    `unit` is that of the numbers where the file does not say. Raises `FileError`.
    """
    if len(data) > MOST_BYTES:
        raise FileError(f"the file has {len(data) / 1e6:.0f} MB; an outline may have {MOST_BYTES / 1e6:.0f} MB")
    points, said = _drawing(data) if name.lower().endswith(".dxf") else (_table(data), "")
    points = points * unit_factor(said or unit)[0]
    if len(points) > 1 and np.allclose(points[0], points[-1]):
        points = points[:-1]
    polygon = shapely.Polygon(points) if len(points) > 2 else None
    if polygon is None or not polygon.is_valid or polygon.area == 0:
        raise FileError("the outline crosses itself or encloses nothing; draw it once round without crossing")
    if not polygon.exterior.is_ccw:
        points = points[::-1]
    return _thinned(points, most)


def _thinned(points: np.ndarray, most: int) -> np.ndarray:
    """As few points as are allowed, each left out where the outline is nearly straight."""
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    tolerance = 1e-7 * size
    while len(points) > most:
        tolerance *= 2
        ring = shapely.Polygon(points).simplify(tolerance).exterior
        points = np.array(ring.coords)[:-1]
    return points


def _table(data: bytes) -> np.ndarray:
    """Points of a table: two numbers a row; rows without numbers (a heading, a title) are passed over."""
    rows: list[list[float]] = []
    for line in data.decode("utf-8", "replace").splitlines():
        cells = [c for c in re.split(r"[\s,;]+", line.strip()) if c]
        try:
            row = [float(c) for c in cells[:2]]
        except ValueError:
            if rows:
                raise FileError(
                    f"row {len(rows) + 1} of the points holds '{line.strip()[:30]}', not two numbers"
                ) from None
            continue
        if len(row) == 2:
            rows.append(row)
    points = np.array(rows, float).reshape(-1, 2)
    if len(points) < 3:
        raise FileError("there have to be at least three points, two numbers in each row")
    if not np.isfinite(points).all():
        raise FileError("a number in the table is not finite; mend that row")
    if len(points) > MOST_PIECES:
        raise FileError(f"the table has {len(points)} points; at most {MOST_PIECES} are taken in")
    return points


def _drawing(data: bytes) -> tuple[np.ndarray, str]:
    """The largest closed outline of a drawing, and the unit it says, '' for none."""
    from ezdxf import path
    from ezdxf.filemanagement import read
    from ezdxf.lldxf.const import DXFError

    try:
        drawing = read(io.TextIOWrapper(io.BytesIO(data), encoding="utf-8", errors="replace"))
    except (DXFError, OSError, ValueError, KeyError, IndexError, AttributeError, TypeError) as error:
        raise FileError(f"this cannot be read as a DXF drawing: {str(error)[:80]}") from None
    pieces: list[np.ndarray] = []
    entities = list(drawing.modelspace().query(TAKEN))
    if len(entities) > MOST_PIECES:
        raise FileError(f"the drawing has {len(entities)} lines; at most {MOST_PIECES} are taken in")
    for entity in entities:
        drawn = path.make_path(entity)
        size = max((abs(v) for p in (drawn.start, drawn.end) for v in (p.x, p.y)), default=1.0) or 1.0
        at = np.array([(p.x, p.y) for p in drawn.flattening(1e-3 * size, segments=16)])
        if len(at) > 1 and np.isfinite(at).all():
            pieces.append(at)
    loops = _joined(pieces)
    if not loops:
        raise FileError("the drawing has no closed outline of lines, arcs or curves; close it and write it anew")
    largest = max(loops, key=lambda loop: shapely.Polygon(loop).convex_hull.area)
    return largest, DRAWN_IN.get(drawing.units, "")


def _joined(pieces: list[np.ndarray]) -> list[np.ndarray]:
    """Closed lines put together from pieces whose ends meet."""
    if not pieces:
        return []
    every = np.concatenate(pieces)
    near = CLOSE * float(np.linalg.norm(np.ptp(every, axis=0)))
    loops, waiting = [], list(pieces)
    while waiting:
        line = waiting.pop()
        grown = True
        while grown and np.linalg.norm(line[0] - line[-1]) > near:
            grown = False
            for k, other in enumerate(waiting):
                if np.linalg.norm(other[0] - line[-1]) <= near:
                    line = np.concatenate([line, other[1:]])
                elif np.linalg.norm(other[-1] - line[-1]) <= near:
                    line = np.concatenate([line, other[::-1][1:]])
                else:
                    continue
                waiting.pop(k)
                grown = True
                break
        if len(line) > 3 and np.linalg.norm(line[0] - line[-1]) <= near:
            loops.append(line[:-1])
    return loops
