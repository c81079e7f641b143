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
from brook.core.results.pictures.colours import BANDS, colour_map, coloured, rgb, shares
from brook.core.results.pictures.painting import Camera, Painting, fitted, normals_of
from brook.core.results.pictures.strokes import arrows, ribbons, segments
from brook.core.results.plane import Triangles
from brook.core.results.quantities import QUANTITIES
from brook.core.results.stream import default_streamlines, stream_function
from brook.core.study.layers import CutLayer, Layer, LineLayer, Look
from brook.core.study.views import Plate
from brook.core.units import DIMENSIONS, even_unit, pretty_unit, scale_of, sensible_unit, show

FINER = 2  # pixels painted for one, each way
BINS = 72
SHELL, SOLID, PLAIN, EDGE, HALO = rgb("#cfc6b4"), rgb("#b3aa98"), rgb("#c9c2b3"), rgb("#6b7780"), rgb("#f4f1e8")
ALONG = {"x": (0.0, 0.0), "y": (-np.pi / 2, 0.0), "z": (-np.pi / 2, np.pi / 2)}  # yaw and pitch of a look straight on


@dataclass(frozen=True)
class Size:
    """Of the picture in pixels, without title and legend."""

    width: int = 1280
    height: int = 720


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
    scale: _Scale
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
    scale = _Scale.of(plate, seen, [found for _, found in made])
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
    return _sheet(painting, what.made, what.scale, (plain(title), note), size)


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


def _streamlines(seen: Seen) -> Drawn:
    """Those of a plane flow that share it evenly, drawn before the plane."""
    fields, mesh = seen.view.fields, seen.view.fields.mesh
    points = np.unique(
        mesh.face_points[mesh.face_offsets[fields.stencil.inner] : mesh.face_offsets[fields.stencil.active]]
    )
    lines = default_streamlines(Triangles.of(mesh, polygons(mesh)), stream_function(fields), points)
    places = [np.vstack([line.places, line.places[:1]]) if line.closed else line.places for line in lines]
    flat = np.concatenate(places) if places else np.empty((0, 2))
    at = np.column_stack([flat, np.full(len(flat), mesh.points[:, 2].max())])
    return Drawn({"lines_at": at, "lines_start": np.cumsum([0, *map(len, places)])})


@dataclass(frozen=True)
class _Scale:
    """Which colours values have: the ends of the range in SI units, the map, and how it goes; unit, factor and shift to show them."""

    low: float
    high: float
    whole: tuple[float, float]
    map: str
    how: str
    words: str
    unit: str
    factor: float
    shift: float
    values: np.ndarray
    weights: np.ndarray

    @classmethod
    def of(cls, plate: Plate, seen: Seen, made: list[Drawn]) -> _Scale:
        kind = QUANTITIES.get(seen.quantity) or seen.view.own[seen.quantity].kind
        surfaces = [_samples(d) for d in made if "values" in d.arrays]
        along = [d.arrays["lines_values"] for d in made if "lines_values" in d.arrays and "longest" not in d.numbers]
        lines = [
            (v, np.full(len(v), 0.0 if surfaces else 1.0)) for v in along
        ]  # in the range, but no share of the picture
        samples = [*surfaces, *lines] or [(np.zeros(1), np.ones(1))]
        values, weights = (np.concatenate(part) for part in zip(*samples, strict=True))
        low, high = float(np.nanmin(values)), float(np.nanmax(values))
        signed = kind.signed or seen.less is not None
        if signed:
            high = max(abs(low), abs(high))
            low = -high
        if not high > low:
            low, high = low - (abs(low) * 0.01 or 1e-9), high + (abs(high) * 0.01 or 1e-9)
        if plate.colours == "log" and low <= 0.0 < high and not signed:
            low = max(float(values[values > 0].min(initial=high)), 1e-5 * high)
        how = "smooth" if plate.colours == "log" and (low <= 0.0 or signed) else plate.colours
        unit = sensible_unit(kind.dimension, 0.3 * max(abs(low), abs(high)))
        unit = unit if seen.less is None else even_unit(unit)
        first, last = plate.range or (low, high)
        return cls(
            first,
            last,
            (low, high),
            "signed" if signed else "even",
            how,
            kind.words if seen.less is None else f"{kind.words}, less {plate.less}",
            unit,
            *scale_of(unit),
            values,
            weights,
        )

    def colours(self, values: np.ndarray) -> np.ndarray:
        """Colours (n, 3), nan where there is no value."""
        found = coloured(shares(np.nan_to_num(values), self.low, self.high, self.how), self.map)
        found[np.isnan(values)] = np.nan
        return found

    def shown(self, value: float) -> float:
        return value * self.factor + self.shift


def _samples(made: Drawn) -> tuple[np.ndarray, np.ndarray]:
    """Means over triangles and their areas."""
    at, triangles, values = (made.arrays[n] for n in ("at", "triangles", "values"))
    a, b, c = np.moveaxis(at[triangles], 1, 0)
    mean = values[triangles].mean(axis=1)
    known = np.isfinite(mean)
    return mean[known], (np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2)[known]


def _shell(mesh: Mesh) -> Drawn:
    """The boundary of a mesh, worked out once for all pictures of it."""
    if mesh not in _SHELLS:
        _SHELLS[mesh] = boundary(mesh)
    return _SHELLS[mesh]


_SHELLS: WeakKeyDictionary[Mesh, Drawn] = WeakKeyDictionary()


def _paint(painting: Painting, made: list[tuple[Layer, Drawn]], seen: Seen, scale: _Scale, flat: bool) -> None:
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
    plane = _clip([layer for layer, _ in made])
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


def _paint_lines(painting: Painting, found: Drawn, scale: _Scale, size: float) -> None:
    """Streamlines as lines or ribbons through a mesh of a size in m."""
    arrays, values = found.arrays, found.arrays.get("lines_values")
    if values is None:
        colours = np.broadcast_to(rgb("#20506b"), arrays["lines_at"].shape)
    elif "longest" in found.numbers:
        colours = coloured(values / max(found.numbers["longest"], 1e-300), scale.map)
    else:
        colours = scale.colours(values)
    if "lines_turn" not in arrays:
        pieces, which = segments(arrays["lines_at"], arrays["lines_start"])
        painting.lines(pieces, colours[which], 2 * painting.finer)
        return
    wide = 0.006 * min(1.5, np.sqrt(40.0 / len(arrays["lines_start"])))  # the more, the narrower
    at, triangles, twice = ribbons(arrays, wide * size)
    painting.surface(
        at, triangles, colours[twice], 0.72 + 0.28 * np.abs(normals_of(at, triangles) @ painting.camera.away)
    )


def _clip(layers: list[Layer]) -> np.ndarray | None:
    """The plane (4,) over which things are kept."""
    for layer in layers:
        if isinstance(layer, CutLayer) and layer.clips:
            way = (
                np.array(layer.across, float) / np.linalg.norm(layer.across) * (-1.0 if layer.clips == "above" else 1.0)
            )
            return np.append(way, -float(way @ layer.through))
    return None


def _sheet(
    painting: Painting, made: list[tuple[Layer, Drawn]], scale: _Scale, said: tuple[str, str], size: Size
) -> np.ndarray:
    """The picture under its title, over the legend and a note: `said` has both."""
    import matplotlib
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    head, foot, dpi = 40, 110, 100
    tall = head + size.height + foot
    with matplotlib.rc_context({"font.family": "sans-serif", "text.color": INK}):
        figure = Figure(figsize=(size.width / dpi, tall / dpi), dpi=dpi, facecolor="none")
        canvas = FigureCanvasAgg(figure)
        figure.text(14 / size.width, 8 / tall, said[1], fontsize=9)
        figure.text(14 / size.width, 1 - 26 / tall, said[0], fontsize=12, fontweight="bold", va="center")
        view = figure.add_axes((0, foot / tall, 1, size.height / tall), xlim=(0, size.width), ylim=(size.height, 0))
        view.set_axis_off()
        _scale_bar(view, painting, size)
        _triad(view, painting.camera, size)
        _level_notes(view, painting, made, scale)
        _legend(figure.add_axes((16 / size.width, 44 / tall, min(720, size.width - 32) / size.width, 36 / tall)), scale)
        canvas.draw()
        drawn_over = np.asarray(canvas.buffer_rgba()).astype(np.float32)
    sheet = np.full((tall, size.width, 3), 255.0, np.float32)
    sheet[head : head + size.height] = 255 * np.clip(painting.image(painting.finer), 0, 1)
    share = drawn_over[..., 3:] / 255
    return np.asarray(np.round(sheet * (1 - share) + drawn_over[..., :3] * share), np.uint8)


def _scale_bar(view: Any, painting: Painting, size: Size) -> None:
    pixel = painting.camera.look.span / size.height
    power = 10.0 ** np.floor(np.log10(150 * pixel))
    long = next(f * power for f in (5, 2, 1) if f * power <= 150 * pixel)
    x, y = 14.0, size.height - 14.0
    view.plot([x, x, x + long / pixel, x + long / pixel], [y - 7, y, y, y - 7], color=INK, linewidth=1.4)
    unit = next((u for u in (("m", 1.0), ("mm", 1e-3)) if long >= 0.9999 * u[1]), ("µm", 1e-6))
    view.text(x, y - 12, f"{long / unit[1]:g} {unit[0]}", fontsize=9, va="bottom")


def _triad(view: Any, camera: Camera, size: Size) -> None:
    x, y = size.width - 52.0, size.height - 52.0
    for k, name in enumerate("xyz"):
        a, b = 30 * camera.right[k], -30 * camera.upward[k]
        view.plot([x, x + a], [y, y + b], color=INK, linewidth=1.4)
        if np.hypot(a, b) > 6:
            view.text(x + 1.3 * a, y + 1.3 * b, name, fontsize=10, ha="center", va="center")


def _level_notes(view: Any, painting: Painting, made: list[tuple[Layer, Drawn]], scale: _Scale) -> None:
    """The value of each line of equal value, where it is seen and no other note stands."""
    taken: list[tuple[float, float]] = []
    for _, found in made:
        if "level_lines" not in found.arrays:
            continue
        middle = found.arrays["level_lines"].mean(axis=1)
        seen = painting.sees(middle)
        place = painting.placed(middle)[:, :2] / painting.finer
        for k, level in enumerate(np.unique(found.arrays["level_values"])):
            here = np.nonzero(seen & (found.arrays["level_values"] == level))[0]
            free = [
                n
                for n in here[:: max(1, len(here) // 40)]
                if all(abs(place[n][0] - a) > 40 or abs(place[n][1] - b) > 18 for a, b in taken)
            ]
            if not free:
                continue
            x, y = place[free[int(len(free) * ((0.35 + 0.618 * k) % 1.0))]]
            taken.append((float(x), float(y)))
            view.text(x, y, f"{scale.shown(float(level)):.4g}".replace("-", "−"), fontsize=8, ha="center", va="center",
                      bbox={"facecolor": "white", "alpha": 0.75, "edgecolor": "none", "pad": 1.0})  # fmt: skip


def _legend(axes: Any, scale: _Scale) -> None:
    """A histogram of what is seen, in its colours; what lies outside of the range is hatched."""
    log = scale.how == "log"
    low, high = scale.whole
    ends = np.geomspace(low, high, BINS + 1) if log else np.linspace(low, high, BINS + 1)
    height, _ = np.histogram(np.clip(scale.values, low, high), ends, weights=scale.weights)
    tall = np.sqrt(height / (height.max() or 1.0))
    middle = np.sqrt(ends[1:] * ends[:-1]) if log else (ends[1:] + ends[:-1]) / 2
    edges = scale.shown(1.0) * 0 + np.array([scale.shown(e) for e in ends])
    colours = coloured(shares(middle, scale.low, scale.high, scale.how), scale.map)
    outside = (middle < scale.low) | (middle > scale.high)
    bars = axes.bar(edges[:-1], 0.12 + 0.88 * tall, np.diff(edges), align="edge", color=colours, linewidth=0)
    for bar, out in zip(bars, outside, strict=True):
        if out:
            bar.set_hatch("////")
            bar.set_edgecolor("white")
    if log:
        axes.set_xscale("log")
    axes.set_xlim(edges[0], edges[-1])
    axes.set_ylim(0, 1.05)
    axes.set_yticks([])
    axes.tick_params(axis="x", colors=INK, labelsize=9)
    for side in ("left", "right", "top"):
        axes.spines[side].set_visible(False)
    unit = pretty_unit(scale.unit)
    axes.set_title(
        plain(f"{scale.words}{f', {unit}' if unit else ''} · height: share of the picture"),
        loc="left",
        fontsize=9,
        color=INK,
        pad=4,
    )


__all__ = ["BANDS", "Size", "colour_map", "layers_of", "picture"]
