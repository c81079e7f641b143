"""Questions to the result reader: what a page wants to know of a result besides what its run wrote down."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from brook.core.checks import Prepared, prepare
from brook.core.mesh import Mesh
from brook.core.numerics import Stencil
from brook.core.results.forces import patch_forces
from brook.core.results.picture import PlanePolygons, corner_values, polygons, section, usual_section
from brook.core.results.plane import Triangles, point_values
from brook.core.results.profile import Profile, profile
from brook.core.results.quantities import View
from brook.core.results.space import Locator, curve, section_means
from brook.core.results.stream import (
    Streamline,
    default_streamlines,
    seeds_on_patch,
    stream_function,
    streamlines_from,
)
from brook.core.solve import Fields
from brook.core.study import Problem, read_study, resolve
from brook.core.study.views import CurvePlot
from brook.store.files import ResultFiles

MOST_LINES = 200
MOST_PLACES = 400
MOST_CELLS = 1_000_000
MOST_CUTS = 6  # of a result that are kept


@dataclass(frozen=True)
class Source:
    """A result by its keys; own fields and reference values are those of the document as it is now."""

    root: str
    mesh_key: str
    run_key: str
    document: str
    variant: str


@dataclass(frozen=True, eq=False)
class Loaded:
    """A result in memory; views and the stream function are made when first asked for."""

    fields: Fields
    views: dict[tuple[str, str], View]
    cuts: dict[tuple[int, float], tuple[PlanePolygons, Triangles]] = field(default_factory=dict)

    def cut(self, axis: int, at: float) -> tuple[PlanePolygons, Triangles]:
        """The cells where a plane across an axis cuts them; the last ones are kept. Raises `ValueError` where it misses them."""
        if (axis, at) not in self.cuts:
            shapes = section(self.fields.mesh, axis, at)
            while len(self.cuts) >= MOST_CUTS:
                del self.cuts[next(iter(self.cuts))]
            self.cuts[axis, at] = shapes, Triangles.of(self.fields.mesh, shapes)
        return self.cuts[axis, at]

    @cached_property
    def shapes(self) -> PlanePolygons:
        """What of its mesh is drawn flat; in space its usual cut."""
        return polygons(self.fields.mesh)

    @cached_property
    def triangles(self) -> Triangles:
        """Of these polygons."""
        return Triangles.of(self.fields.mesh, self.shapes)

    @cached_property
    def locator(self) -> Locator:
        """Finds cells by places."""
        return Locator(self.fields.mesh)

    @cached_property
    def stream(self) -> np.ndarray:
        return stream_function(self.fields)


_loaded: OrderedDict[tuple[str, str, str], Loaded] = OrderedDict()


def loaded(source: Source) -> Loaded:
    """A result by its keys; the last ones stay in memory as long as they have few enough cells together."""
    key = (source.root, source.mesh_key, source.run_key)
    if key not in _loaded:
        files = ResultFiles(Path(source.root))
        mesh = Mesh.load(files.folder("mesh", source.mesh_key) / "mesh.npz")
        fields = Fields.load(files.folder("run", source.run_key) / "fields.npz", Stencil(mesh))
        _loaded[key] = Loaded(fields, {})
    _loaded.move_to_end(key)
    while len(_loaded) > 2 and sum(one.fields.mesh.cell_count for one in _loaded.values()) > MOST_CELLS:
        _loaded.popitem(last=False)
    return _loaded[key]


def view_of(source: Source) -> View:
    views = loaded(source).views
    key = (source.document, source.variant)
    if key not in views:
        views.clear()
        views[key] = prepared_of(source).places.view(loaded(source).fields)
    return views[key]


def prepared_of(source: Source) -> Prepared:
    study = read_study(source.document)
    return prepare(study, study.variant(source.variant))


def field_values(source: Source, quantity: str) -> bytes:
    """Values of any quantity at the corners of cells, as 32-bit floats. Raises `KeyError`, `FormulaError`."""
    values = corner_values(view_of(source), quantity, loaded(source).shapes)
    return np.ascontiguousarray(values, "<f4").tobytes()


def difference_values(source: Source, other: Source, quantity: str) -> bytes:
    """A quantity of one result less that of another, at the corners of the first; nan where only one has fluid."""
    mine, theirs = loaded(source), loaded(other)
    values = corner_values(view_of(source), quantity, mine.shapes)
    corners = _inward(mine.shapes)
    shapes, triangles = theirs.shapes, theirs.triangles
    if not mine.fields.mesh.is_plane:  # at the same place, wherever the other one is cut for its own pictures
        axis, at = usual_section(mine.fields.mesh)
        low, high = (float(f(theirs.fields.mesh.points[:, axis])) for f in (np.min, np.max))
        if not low < at < high:
            return np.full(len(corners), np.nan, "<f4").tobytes()
        shapes, triangles = theirs.cut(axis, at)
    there = triangles.at(point_values(view_of(other), quantity, shapes), corners)
    return np.ascontiguousarray(values - there, "<f4").tobytes()


def _inward(shapes: PlanePolygons) -> np.ndarray:
    """Corners moved a hair towards the middle of their cell, so that those on the boundary lie inside."""
    counts = np.diff(shapes.offsets)
    middle = np.add.reduceat(shapes.corners, shapes.offsets[:-1]) / counts[:, None]
    return shapes.corners + 1e-4 * (np.repeat(middle, counts, axis=0) - shapes.corners)


def streamlines(source: Source, begin: str, patch: str, seeds: list[tuple[float, float]], count: int) -> list[Any]:
    """Streamlines as lists of places in m, thinned to what a picture can show; `begin` is default, patch or seeds.

    Raises `KeyError` for an unknown patch.
    """
    result = loaded(source)
    if not result.fields.mesh.is_plane:
        raise ValueError("streamlines are drawn in plane meshes only")
    psi = result.stream
    fields = result.fields
    if begin == "patch":
        lines = streamlines_from(result.triangles, psi, seeds_on_patch(fields, patch, min(count, MOST_LINES)))
    elif begin == "seeds":
        lines = streamlines_from(result.triangles, psi, np.array(seeds[:MOST_LINES], float).reshape(-1, 2))
    else:
        faces = fields.mesh.face_points[4 * fields.stencil.inner : 4 * fields.stencil.active]
        lines = default_streamlines(result.triangles, psi, np.unique(faces))
    return [_drawn(line) for line in lines]


def _drawn(line: Streamline) -> dict[str, Any]:
    thin = max(1, len(line.places) // MOST_PLACES)
    places = line.places[::thin]
    if not np.array_equal(places[-1], line.places[-1]):
        places = np.vstack([places, line.places[-1:]])
    return {"places": np.round(places, 7).ravel().tolist(), "closed": line.closed, "value": line.value}


def profiles(source: Source, plot: CurvePlot) -> list[Profile]:
    """The quantity of a plot along each of its lines. Of one that does not meet the mesh all values are nan.

    Raises `KeyError`, `FormulaError`, `ValueError` for a line without numbers."""
    result, view = loaded(source), view_of(source)
    plane = result.fields.mesh.is_plane
    view.values(plot.quantity)  # what is wrong with a quantity is not taken for a line that misses
    values = point_values(view, plot.quantity, result.shapes) if plane else None
    scope = prepared_of(source).scope
    found = []
    for line in plot.lines:
        problems: list[Problem] = []
        ends = resolve(line, scope, "", problems)
        if problems:
            raise ValueError(f"'{line.title}': {problems[0].message}")
        if values is not None:
            found.append(profile(result.triangles, values, (ends.start_x, ends.start_y), (ends.end_x, ends.end_y)))
            continue
        start, end = (ends.start_x, ends.start_y, ends.start_z), (ends.end_x, ends.end_y, ends.end_z)
        read = {"line": curve, "sections": section_means}[plot.over]
        try:
            made = read(result.locator, view, plot.quantity, start, end)
            found.append(Profile(made.places, made.way, made.values))
        except ValueError:  # said beside the name of the curve
            found.append(
                Profile(
                    np.array([start, end]), np.array([0.0, np.linalg.norm(np.subtract(end, start))]), np.full(2, np.nan)
                )
            )
    return found


def forces(source: Source) -> list[dict[str, Any]]:
    """Pressure and friction parts of the force on each patch in N: x and y on the slice as deep as the drawing stands for,
    x, y and z in space."""
    fields = loaded(source).fields
    axes = 2 if fields.mesh.is_plane else 3
    return [
        {"patch": f.patch, **{n: getattr(f, n)[:axes].tolist() for n in ("pressure", "friction", "total")}}
        for f in patch_forces(fields)
    ]
