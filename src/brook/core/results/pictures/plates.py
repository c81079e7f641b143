"""Plates drawn without a browser: their layers worked out and painted, on a sheet with title, scale, axes and legend."""

from __future__ import annotations

from dataclasses import dataclass
from io import BytesIO
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from PIL import Image

from brook.core.mesh import Mesh
from brook.core.results.exports.drawn import INK, plain
from brook.core.results.picture import polygons, usual_section
from brook.core.results.pictures import Drawn, Seen, boundary, drawn
from brook.core.results.pictures.colours import BANDS, colour_map, rgb
from brook.core.results.pictures.gltf import clip_of, glb, line_colours
from brook.core.results.pictures.painting import Camera, Painting, fitted, normals_of
from brook.core.results.pictures.scale import Scale
from brook.core.results.pictures.sheet import Size, sheet_of
from brook.core.results.pictures.strokes import arrows, ribbons, segments
from brook.core.results.plane import Triangles, point_values
from brook.core.results.stream import default_streamlines, stream_function
from brook.core.study.layers import CutLayer, Layer, LineLayer, Look
from brook.core.study.views import Plate
from brook.core.units import DIMENSIONS, show

FINER = 2  # pixels painted for one, each way
SHELL, SOLID, PLAIN, EDGE, HALO = rgb("#cfc6b4"), rgb("#b3aa98"), rgb("#c9c2b3"), rgb("#6b7780"), rgb("#f4f1e8")
ALONG = {"x": (0.0, 0.0), "y": (-np.pi / 2, 0.0), "z": (-np.pi / 2, np.pi / 2)}  # yaw and pitch of a look straight on


def layers_of(plate: Plate, seen: Seen, size: Size) -> tuple[tuple[Layer, ...], Look]:
    """What a plate shows and from where; one that was kept of a flat cut is a cut that is looked at straight on."""
    mesh = seen.view.fields.mesh
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    aspect = size.width / size.height
    if plate.layers:
        return plate.layers, plate.look or fitted(low, high, aspect)
    if mesh.is_plane:
        axis, place = 2, float(low[2] + high[2]) / 2
    elif plate.cut:
        axis, place = "xyz".index(plate.cut.across), plate.cut.at
    else:
        axis, place = usual_section(mesh)
    through, across = np.zeros((2, 3))
    through[axis], across[axis] = place, 1.0
    arrows: Any = "long" if plate.arrows else ""
    cut = CutLayer(through=tuple(through), across=tuple(across), arrows=arrows, mesh_lines=plate.mesh_lines)
    look = fitted(low, high, aspect, *ALONG["xyz"[axis]], flat=True)
    if plate.camera:
        target = list(look.target)
        for k, value in zip([k for k in range(3) if k != axis], (plate.camera.x, plate.camera.y), strict=True):
            target[k] = value
        look = look.model_copy(update={"target": tuple(target), "span": plate.camera.across / aspect})
    return (cut,), look


@dataclass(frozen=True, eq=False)
class Shown:
    """The layers of a plate worked out, where they are looked at from, their colours, and what of them fell short in words."""

    made: list[tuple[Layer, Drawn]]
    look: Look
    scale: Scale
    flat: bool
    words: list[str]


def shown(plate: Plate, seen: Seen, size: Size) -> Shown:
    """Works out what a plate shows. Raises `KeyError` for a quantity that is not there, `ValueError` where nothing of it can be drawn."""
    layers, look = layers_of(plate, seen, size)
    made: list[tuple[Layer, Drawn]] = []
    words: list[str] = []
    for layer in layers:
        try:
            found = drawn(layer, seen)
        except ValueError as error:
            words.append(f"{layer.kind}: {error}")
            continue
        except KeyError as error:
            if layer.kind == "surface":
                raise
            words.append(f"{layer.kind}: there is no patch {error}")
            continue
        words += [f"{layer.kind}: {'this value is nowhere' if w == 'nowhere' else w}" for w in found.words]
        if found.arrays:
            made.append((layer, found))
    if plate.streamlines and not plate.layers:
        if seen.view.fields.mesh.is_plane:
            made.append((LineLayer(plain=True), _streamlines(seen)))
        else:
            words.append("streamlines: of a flat cut in space none are kept")
    if not made:
        raise ValueError("; ".join(words) or "this plate shows nothing")
    scale = Scale.of(plate, seen, [found for _, found in made])
    if plate.colours != scale.how:
        words.append("no decades: the quantity goes under nothing")
    return Shown(made, look, scale, not plate.layers, words)


def painted(
    what: Shown, seen: Seen, title: str, size: Size, look: Look | None = None, finer: int = FINER
) -> np.ndarray:
    """What is shown as colours (height, width, 3) from 0 to 255, from another place where that is said; `finer` pixels are painted for one, each way."""
    painting = Painting(size.width * finer, size.height * finer, Camera(look or what.look), finer)
    _paint(painting, what.made, seen, what.scale, flat=what.flat)
    timed = [found.numbers["longest"] for _, found in what.made if "longest" in found.numbers]
    note = " ".join(f"Streamlines: time from 0 to {show(t, DIMENSIONS['time'])} in these colours." for t in timed)
    return sheet_of(painting, what.made, what.scale, (plain(title), note), size)


def png_of(colours: np.ndarray) -> bytes:
    """A picture as PNG."""
    data = BytesIO()
    Image.fromarray(colours).save(data, format="png")
    return data.getvalue()


def picture(plate: Plate, seen: Seen, title: str, size: Size | None = None) -> tuple[bytes, list[str]]:
    """A plate as PNG, and what of it could not be drawn or fell short, in words. Raises `KeyError` for a quantity that is not there,
    `ValueError` where nothing of it can be drawn."""
    size = size or Size()
    what = shown(plate, seen, size)
    return png_of(painted(what, seen, f"{title} · {plate.title}", size)), what.words


def scene_of(plate: Plate, seen: Seen, title: str, size: Size | None = None) -> tuple[bytes, list[str]]:
    """The surfaces and lines of a plate as GLB, and what fell short in words; raises what `picture` raises."""
    what = shown(plate, seen, size or Size())
    return glb(what, f"{title} · {plate.title}"), what.words


def _streamlines(seen: Seen) -> Drawn:
    """Those of a plane flow that share it evenly, drawn before the plane."""
    fields, mesh = seen.view.fields, seen.view.fields.mesh
    points = np.unique(
        mesh.face_points[mesh.face_offsets[fields.stencil.inner] : mesh.face_offsets[fields.stencil.active]]
    )
    drawn_flat = polygons(mesh)
    shapes = Triangles.of(mesh, drawn_flat)
    lines = default_streamlines(shapes, stream_function(fields), points)
    places = [np.vstack([line.places, line.places[:1]]) if line.closed else line.places for line in lines]
    flat = np.concatenate(places) if places else np.empty((0, 2))
    starts = np.cumsum([0, *map(len, places)])
    at = np.column_stack([flat, np.full(len(flat), mesh.points[:, 2].max())])
    speed = shapes.at(point_values(seen.view, "speed", drawn_flat), flat)
    return Drawn({"lines_at": at, "lines_start": starts, "lines_seconds": _seconds(flat, speed, starts)})


def _seconds(at: np.ndarray, speed: np.ndarray, starts: np.ndarray) -> np.ndarray:
    """When (p,) in s what begins with a line is at each of its places (p, 2), by the speed there."""
    if not len(at):
        return np.zeros(0)
    slowest = 1e-3 * float(np.nanmax(speed)) or 1e-300
    speed = np.maximum(np.nan_to_num(speed), slowest)
    steps = np.linalg.norm(np.diff(at, axis=0), axis=1) / (0.5 * (speed[1:] + speed[:-1]))
    sums = np.concatenate([[0.0], np.cumsum(steps)])
    first = np.repeat(starts[:-1], np.diff(starts))
    return np.asarray(sums - sums[first])


def _shell(mesh: Mesh) -> Drawn:
    """The boundary of a mesh, worked out once for all pictures of it."""
    if mesh not in _SHELLS:
        _SHELLS[mesh] = boundary(mesh)
    return _SHELLS[mesh]


_SHELLS: WeakKeyDictionary[Mesh, Drawn] = WeakKeyDictionary()


def _paint(painting: Painting, made: list[tuple[Layer, Drawn]], seen: Seen, scale: Scale, flat: bool) -> None:
    camera, mesh = painting.camera, seen.view.fields.mesh
    ink = rgb(INK)
    if not flat:
        shell = _shell(mesh)
        at, triangles = shell.arrays["at"], shell.arrays["triangles"]
        normal = normals_of(at, triangles)
        behind = np.einsum("ij,ij->i", normal, camera.eye - at[triangles[:, 0]]) < 0
        painting.surface(
            at,
            triangles[behind],
            np.broadcast_to(SHELL, at.shape),
            0.56 + 0.3 * np.abs(normal[behind] @ camera.away) + 0.1,
        )
        edges = shell.arrays["outline"]
        painting.lines(edges, np.broadcast_to(EDGE, edges.shape), painting.finer)
    plane = clip_of([layer for layer, _ in made])
    for layer, found in made:
        arrays = found.arrays
        if "triangles" in arrays:
            at, triangles = arrays["at"], arrays["triangles"]
            lit = 1.0 if layer.kind == "cut" else 0.72 + 0.28 * np.abs(normals_of(at, triangles) @ camera.away)
            colours = scale.colours(arrays["values"]) if "values" in arrays else np.broadcast_to(PLAIN, at.shape)
            painting.surface(
                at, triangles, colours, np.broadcast_to(lit, len(triangles)), None if layer.kind == "cut" else plane,
                before=layer.kind == "patches",
            )  # fmt: skip
        if "solid_at" in arrays:
            solid = arrays["solid_at"]
            painting.surface(
                solid,
                arrays["solid_triangles"],
                np.broadcast_to(SOLID, solid.shape),
                np.ones(len(arrays["solid_triangles"])),
            )
        if "sides" in arrays:
            pieces = arrays["at"][arrays["sides"]]
            painting.lines(pieces, np.broadcast_to(ink * 0.4 + 0.4, pieces.shape), 1)
        for name in ("outline", "level_lines"):
            if name in arrays:
                painting.lines(arrays[name], np.broadcast_to(ink, arrays[name].shape), painting.finer)
        if "arrows_at" in arrays and not isinstance(layer, LineLayer):
            across = np.array(layer.across, float) if isinstance(layer, CutLayer) else arrays["arrows_across"]
            pieces = arrows(arrays, across, layer.arrows == "equal")
            painting.lines(pieces, np.broadcast_to(HALO, pieces.shape), 3 * painting.finer)
            painting.lines(pieces, np.broadcast_to(ink, pieces.shape), painting.finer, over=True)
        if "lines_at" in arrays:
            _paint_lines(painting, found, scale, float(np.linalg.norm(np.ptp(mesh.points, axis=0))))


def _paint_lines(painting: Painting, found: Drawn, scale: Scale, size: float) -> None:
    """Streamlines as lines or ribbons through a mesh of a size in m."""
    arrays, colours = found.arrays, line_colours(found, scale)
    if "lines_turn" not in arrays:
        pieces, which = segments(arrays["lines_at"], arrays["lines_start"])
        painting.lines(pieces, colours[which], 2 * painting.finer)
        return
    wide = 0.006 * min(1.5, np.sqrt(40.0 / len(arrays["lines_start"])))  # the more, the narrower
    at, triangles, twice = ribbons(arrays, wide * size)
    painting.surface(
        at, triangles, colours[twice], 0.72 + 0.28 * np.abs(normals_of(at, triangles) @ painting.camera.away)
    )


__all__ = ["BANDS", "Size", "colour_map", "layers_of", "picture", "scene_of"]
