"""Closed outlines from files: DXF drawings, and tables of points. Lengths in m."""

from __future__ import annotations

import io
import re
from itertools import islice

import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from brook.core.geometry.files import FileError
from brook.core.geometry.files.base import LARGEST
from brook.core.units import unit_factor

MOST_BYTES = 20_000_000
MOST_PIECES = 20_000
MOST_OF_ONE = 100_000  # points of one curve
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
    from ezdxf.math import Matrix44

    drawn = len(re.findall(rb"\n[ \t]*0[ \t\r]*\n[ \t]*(?:%s)\b" % TAKEN.replace(" ", "|").encode(), data))
    if drawn > MOST_PIECES:
        raise FileError(f"the drawing has {drawn} lines; at most {MOST_PIECES} are taken in")
    try:
        drawing = read(io.TextIOWrapper(io.BytesIO(data), encoding="utf-8", errors="replace"))
    except Exception as error:  # the library raises what it likes
        raise FileError(f"this cannot be read as a DXF drawing: {' '.join(str(error).split())[:80]}") from None
    pieces: list[np.ndarray] = []
    for entity in drawing.modelspace().query(TAKEN):
        told = f"{entity.dxftype().lower()} #{entity.dxf.handle} of the drawing"
        try:
            line = path.make_path(entity).transform(Matrix44.scale(1, 1, 0))  # as seen from above
            corners = np.array([(p.x, p.y) for p in line.control_vertices()]).reshape(-1, 2)
        except Exception as error:  # as above
            raise FileError(f"the {told} is damaged ({' '.join(str(error).split())[:60]})") from None
        if not len(corners):
            continue  # a single place
        size, far = float(np.ptp(corners, axis=0).max()), float(np.abs(corners).max())
        # pieces of a curve are halved until they are straight, which never ends where digits do not tell them apart
        if not far < LARGEST or 0 < size < 1e-9 * far:
            raise FileError(
                f"the {told} has places that are no numbers, or so far off that its form is lost; move it to the origin"
            )
        flat = line.flattening(max(1e-3 * size, 1e-300), segments=16)
        at = np.array([(p.x, p.y) for p in islice(flat, MOST_OF_ONE + 1)])
        if len(at) > MOST_OF_ONE:
            raise FileError(f"a curve of the drawing has over {MOST_OF_ONE} points; draw it with fewer turns")
        if len(at) > 1 and np.isfinite(at).all():
            pieces.append(at)
    loops = _joined(pieces)
    if not loops:
        raise FileError("the drawing has no closed outline of lines, arcs or curves; close it and write it anew")
    largest = max(loops, key=lambda loop: shapely.Polygon(loop).convex_hull.area)
    said = DRAWN_IN.get(drawing.units, "") if b"$INSUNITS" in data else ""  # the library makes one up
    return largest, said


def _joined(pieces: list[np.ndarray]) -> list[np.ndarray]:
    """Closed lines put together from pieces whose ends meet."""
    if not pieces:
        return []
    ends = np.array([place for piece in pieces for place in (piece[0], piece[-1])])
    chords = np.linalg.norm(ends[::2] - ends[1::2], axis=1)
    size = float(np.linalg.norm(np.ptp(np.concatenate(pieces), axis=0)))
    near = min(CLOSE * size, np.median(chords[chords > 0]) / 4 if chords.any() else CLOSE * size)
    closed = np.linalg.norm(ends[::2] - ends[1::2], axis=1) <= near
    loops = [pieces[k][:-1] for k in np.nonzero(closed)[0] if len(pieces[k]) > 3]
    count, junction = _junctions(ends, near)
    at_junction: list[list[int]] = [[] for _ in range(count)]
    for end in np.nonzero(np.repeat(~closed, 2))[0]:
        at_junction[junction[end]].append(int(end))
    used = closed.copy()
    for first in range(len(pieces)):
        if used[first]:
            continue
        used[first] = True
        line, here = [pieces[first]], 2 * first + 1
        while junction[here] != junction[2 * first]:
            waiting = at_junction[junction[here]]
            while waiting and used[waiting[-1] // 2]:
                waiting.pop()
            if not waiting:
                break
            end = waiting.pop()
            used[end // 2] = True
            line.append(pieces[end // 2][1:] if end % 2 == 0 else pieces[end // 2][::-1][1:])
            here = end ^ 1
        loop = np.concatenate(line)
        if junction[here] == junction[2 * first] and len(loop) > 3:
            loops.append(loop[:-1])
    return loops


def _junctions(ends: np.ndarray, near: float) -> tuple[int, np.ndarray]:
    """How many places ends (n, 2) stand at, and which (n,) each stands at; ends as near as that are at one place."""
    # many ends at one place would be many pairs: those that fall into one small square are one first
    _, first, square = np.unique(np.round(ends / max(near / 2, 1e-300)), axis=0, return_index=True, return_inverse=True)
    pairs = cKDTree(ends[first]).query_pairs(near, output_type="ndarray")
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(first), len(first)))
    count, junction = connected_components(graph, directed=False)
    return count, junction[square.ravel()]
