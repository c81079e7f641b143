"""Questions to the result reader: what a page wants to know of a result besides what its run wrote down."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np

from brook.core.checks import Prepared, prepare
from brook.core.mesh import Mesh
from brook.core.numerics import Stencil
from brook.core.results.files import FIELD_FORMATS, Moment, Series, patch_values
from brook.core.results.forces import patch_forces
from brook.core.results.picture import PlanePolygons, corner_values, polygons, section, usual_section
from brook.core.results.plane import Triangles, point_values
from brook.core.results.quantities import OF_AVERAGES, View
from brook.core.results.space import Locator, middle_line
from brook.core.results.stream import (
    Streamline,
    default_streamlines,
    seeds_on_patch,
    stream_function,
    streamlines_from,
)
from brook.core.solve import Fields
from brook.core.study import read_study
from brook.store.files import ResultFiles, moment_file

MOST_LINES = 200
MOST_PLACES = 400
MOST_CELLS = 1_000_000
SAME_TIME = 1e-6  # of a time, by which that of another run may differ
MOST_CUTS = 6  # of a result that are kept


@dataclass(frozen=True)
class Source:
    """A result by its keys, or one of the moments that its run kept by its number, as `0007`; own fields and reference values are those
    of the document as it is now."""

    root: str
    mesh_key: str
    run_key: str
    document: str
    variant: str
    moment: str = ""


@dataclass(frozen=True, eq=False)
class Loaded:
    """A result in memory; views and the stream function are made when first asked for."""

    fields: Fields
    views: dict[tuple[str, str], View]
    cuts: dict[tuple[int, float], tuple[PlanePolygons, Triangles]] = field(default_factory=dict)
    middles: dict[tuple[str, str], np.ndarray] = field(default_factory=dict)
    end: Loaded | None = None  # of a moment, the result at the end: on the same mesh

    def cut(self, axis: int, at: float) -> tuple[PlanePolygons, Triangles]:
        """The cells where a plane across an axis cuts them; the last ones are kept. Raises `ValueError` where it misses them."""
        if (axis, at) not in self.cuts:
            shapes = section(self.fields.mesh, axis, at)
            while len(self.cuts) >= MOST_CUTS:
                del self.cuts[next(iter(self.cuts))]
            self.cuts[axis, at] = shapes, Triangles.of(self.fields.mesh, shapes)
        return self.cuts[axis, at]

    def middle(self, view: View, start: str, end: str) -> np.ndarray:
        """The line (n, 3) through the middle of the fluid from one patch to another. Raises `KeyError`, `ValueError`."""
        if (start, end) not in self.middles:
            self.middles[start, end] = middle_line(self.locator, view, start, end)
        return self.middles[start, end]

    @cached_property
    def shapes(self) -> PlanePolygons:
        """What of its mesh is drawn flat; in space its usual cut."""
        return self.end.shapes if self.end else polygons(self.fields.mesh)

    @cached_property
    def triangles(self) -> Triangles:
        """Of these polygons."""
        return self.end.triangles if self.end else Triangles.of(self.fields.mesh, self.shapes)

    @cached_property
    def locator(self) -> Locator:
        """Finds cells by places."""
        return self.end.locator if self.end else Locator(self.fields.mesh)

    @cached_property
    def stream(self) -> np.ndarray:
        return stream_function(self.fields)


_loaded: OrderedDict[tuple[str, str, str, str], Loaded] = OrderedDict()


def loaded(source: Source) -> Loaded:
    """A result by its keys; the last ones stay in memory as long as they have few enough cells together."""
    key = (source.root, source.mesh_key, source.run_key, source.moment)
    if key not in _loaded and source.moment:
        end = loaded(replace(source, moment=""))
        _loaded[key] = Loaded(_fields_at(source, end.fields.stencil), {}, end.cuts, end.middles, end)
    elif key not in _loaded:
        files = ResultFiles(Path(source.root))
        mesh = Mesh.load(files.folder("mesh", source.mesh_key) / "mesh.npz")
        fields = Fields.load(files.folder("run", source.run_key) / "fields.npz", Stencil(mesh))
        _loaded[key] = Loaded(fields, {})
    _loaded.move_to_end(key)
    while len(_loaded) > 2 and sum(one.fields.mesh.cell_count for one in _loaded.values()) > MOST_CELLS:
        _loaded.popitem(last=False)
    return _loaded[key]


def _fields_at(source: Source, stencil: Stencil) -> Fields:
    """The fields of a moment. Raises `ValueError` where it has none."""
    path = ResultFiles(Path(source.root)).folder("run", source.run_key) / moment_file(source.moment)
    if not path.exists():
        raise ValueError(
            "this run kept of its moments only what is drawn flat of speed and pressure; run it anew to see more of them"
        )
    return Fields.load(path, stencil)


def time_of(source: Source) -> float:
    """The time in s of a moment that was kept. Raises `ValueError` where it has no fields."""
    path = ResultFiles(Path(source.root)).folder("run", source.run_key) / moment_file(source.moment)
    if not path.exists():
        raise ValueError("this run kept no fields of this moment")
    with np.load(path) as file:
        return float(file["time"])


def at_time(source: Source, time: float) -> Source:
    """A result at a time in s, if that is a moment it kept. Raises `ValueError` where it is none."""
    folder = ResultFiles(Path(source.root)).folder("run", source.run_key)
    for path in sorted(folder.glob(moment_file("[0-9]*"))):
        found = replace(source, moment=path.stem.removeprefix("at-"))
        if abs(time_of(found) - time) <= SAME_TIME * max(time, 1e-300):
            return found
    raise ValueError(f"the other variant kept no moment at {time:.4g} s")


def view_of(source: Source) -> View:
    views = loaded(source).views
    key = (source.document, source.variant)
    if key not in views:
        views.clear()
        views[key] = prepared_of(source).places.view(loaded(source).fields)
    return views[key]


def known_then(source: Source, quantity: str) -> None:
    """Raises `ValueError` for what is an average of time that a moment has none of."""
    if not source.moment:
        return
    view = view_of(source)
    if quantity in prepared_of(source).places.flights:
        raise ValueError("particles fly through the flow as it ended; look at its end")
    made_of = view.own[quantity].text if quantity in view.own else ""
    for name in OF_AVERAGES:
        if (name == quantity or name in made_of) and not any(n.startswith("averaged_") for n in view.fields.more):
            raise ValueError("nothing was averaged yet at this moment")


def prepared_of(source: Source) -> Prepared:
    study = read_study(source.document)
    return prepare(study, study.variant(source.variant))


def field_values(source: Source, quantity: str) -> bytes:
    """Values of any quantity at the corners of cells, as 32-bit floats. Raises `KeyError`, `FormulaError`."""
    known_then(source, quantity)
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


def patches_vtu(source: Source) -> bytes:
    """The faces of patches with what is known of them, as a file."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "patches.vtu"
        view = view_of(source)
        values, _ = patch_values(view)
        FIELD_FORMATS["vtu"].write(path, Series(view.fields.mesh, lambda: iter([Moment(values)]), of="patches"))
        return path.read_bytes()


def forces(source: Source) -> list[dict[str, Any]]:
    """Pressure and friction parts of the force on each patch in N: x and y on the slice as deep as the drawing stands for,
    x, y and z in space."""
    fields = loaded(source).fields
    axes = 2 if fields.mesh.is_plane else 3
    return [
        {"patch": f.patch, **{n: getattr(f, n)[:axes].tolist() for n in ("pressure", "friction", "total")}}
        for f in patch_forces(fields)
    ]
