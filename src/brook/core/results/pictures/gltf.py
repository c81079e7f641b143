"""What a picture shows as glTF, the open format of scenes: surfaces with the colours of the picture, lines as thin tubes.

Lengths are in m. The vertical of the study is the one of the format (y). What the colours mean stands beside the scene.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from brook.core.results.pictures.base import Drawn
from brook.core.results.pictures.colours import coloured, rgb
from brook.core.results.pictures.scale import Scale
from brook.core.study.layers import CutLayer, Layer

if TYPE_CHECKING:
    from brook.core.results.pictures.plates import Shown

SIDES = 5  # of a tube
THIN = 0.0015  # radius of a tube over the size of what is shown
PLAIN, SOLID, INK, UNKNOWN = rgb("#c9c2b3"), rgb("#b3aa98"), rgb("#20506b"), rgb("#8d8d8d")

# a surface: places (n, 3), triangles (t, 3), colours (n, 3)
Surface = tuple[np.ndarray, np.ndarray, np.ndarray]


def glb(what: Shown, title: str) -> bytes:
    """The scene as one file (GLB). Raises `ValueError` where nothing of it has a surface or a line."""
    import trimesh

    scene = trimesh.Scene()
    upward = np.eye(4) if what.flat else np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1.0]])
    plane = clip_of([layer for layer, _ in what.made])
    size = max(
        (float(np.linalg.norm(np.ptp(_places(d), axis=0))) for _, d in what.made if len(_places(d))), default=0.0
    )
    for k, (layer, found) in enumerate(what.made, 1):
        for name, (at, triangles, colours) in _surfaces(found, what.scale, THIN * size).items():
            if plane is not None and layer.kind != "cut" and len(triangles):
                at, triangles, colours = clipped(at, triangles, colours, plane)
            if not len(triangles):
                continue
            # colours of the format are linear in light
            linear = np.where(np.isnan(colours), UNKNOWN, np.clip(colours, 0, 1)) ** 2.2
            paint = np.column_stack([np.round(255 * linear), np.full(len(at), 255)]).astype(np.uint8)
            mesh = trimesh.Trimesh(at.astype(np.float32), triangles, vertex_colors=paint, process=False)
            scene.add_geometry(
                mesh, node_name=f"{k} {layer.kind}{name}", geom_name=f"{k} {layer.kind}{name}", transform=upward
            )
    if not scene.geometry:
        raise ValueError("nothing of this picture has a surface or a line")
    scale = what.scale
    scene.metadata |= {
        "title": title, "shows": scale.words, "unit": scale.unit, "from": scale.shown(scale.low),
        "to": scale.shown(scale.high), "lengths": "m",
    }  # fmt: skip
    made: bytes = scene.export(file_type="glb")
    return made


def clip_of(layers: list[Layer]) -> np.ndarray | None:
    """The plane (4,) over which things are kept."""
    for layer in layers:
        if isinstance(layer, CutLayer) and layer.clips:
            way = (
                np.array(layer.across, float) / np.linalg.norm(layer.across) * (-1.0 if layer.clips == "above" else 1.0)
            )
            return np.append(way, -float(way @ layer.through))
    return None


def clipped(at: np.ndarray, triangles: np.ndarray, colours: np.ndarray, plane: np.ndarray) -> Surface:
    """What of triangles lies over a plane (4,); those that it cuts are cut."""
    height = at @ plane[:3] + plane[3]
    over = (height[triangles] >= 0).sum(axis=1)
    kept = [triangles[over == 3]]
    places, paint, count = [at], [colours], len(at)
    for how_many in (1, 2):
        cut = triangles[over == how_many]
        if not len(cut):
            continue
        # the corner that is alone on its side comes first
        alone = (height[cut] >= 0) == (how_many == 1)
        first = np.argmax(alone, axis=1)
        a, b, c = (cut[np.arange(len(cut)), (first + k) % 3] for k in range(3))
        new = []
        for other in (b, c):
            share = (height[a] / (height[a] - height[other]))[:, None]
            places.append(at[a] + share * (at[other] - at[a]))
            paint.append(colours[a] + share * (colours[other] - colours[a]))
            new.append(count + np.arange(len(cut)))
            count += len(cut)
        p, q = new
        kept += (
            [np.stack([a, p, q], axis=1)]
            if how_many == 1
            else [np.stack([p, b, c], axis=1), np.stack([p, c, q], axis=1)]
        )
    used, again = np.unique(np.concatenate(kept), return_inverse=True)
    return np.concatenate(places)[used], again.reshape(-1, 3), np.concatenate(paint)[used]


def _places(found: Drawn) -> np.ndarray:
    every = [found.arrays[name].reshape(-1, 3) for name in ("at", "solid_at", "lines_at") if name in found.arrays]
    return np.concatenate(every) if every else np.zeros((0, 3))


def _surfaces(found: Drawn, scale: Scale, radius: float) -> dict[str, Surface]:
    """What of a layer can be drawn, by what it is."""
    arrays, made = found.arrays, {}
    if "triangles" in arrays:
        at = arrays["at"]
        made[""] = at, arrays["triangles"], scale.colours(arrays["values"]) if "values" in arrays else np.broadcast_to(PLAIN, at.shape)  # fmt: skip
    if "solid_at" in arrays:
        solid = arrays["solid_at"]
        made[" solids"] = solid, arrays["solid_triangles"], np.broadcast_to(SOLID, solid.shape)
    if "lines_at" in arrays:
        made[" lines"] = tubes(arrays["lines_at"], arrays["lines_start"], line_colours(found, scale), radius)
    return made


def line_colours(found: Drawn, scale: Scale) -> np.ndarray:
    """Colours (p, 3) of the places of streamlines."""
    values = found.arrays.get("lines_values")
    if values is None:
        return np.broadcast_to(INK, found.arrays["lines_at"].shape)
    if "longest" in found.numbers:
        return coloured(values / max(found.numbers["longest"], 1e-300), scale.map)
    return scale.colours(values)


def tubes(at: np.ndarray, starts: np.ndarray, colours: np.ndarray, radius: float) -> Surface:
    """Thin tubes round lines through places (p, 3), of which each begins at one of `starts` (m + 1,)."""
    count = len(at)
    ends = np.zeros(count, bool)
    ends[starts[1:][np.diff(starts) > 0] - 1] = True
    begins = np.zeros(count, bool)
    begins[starts[:-1][np.diff(starts) > 0]] = True
    ahead = np.where(ends[:, None], at, np.roll(at, -1, axis=0)) - np.where(begins[:, None], at, np.roll(at, 1, axis=0))
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1), 1e-300)[:, None]
    # across each, from the axis that it goes along least; the same along a line as long as that is
    axis = np.eye(3)[np.argmin(np.abs(ahead), axis=1)]
    first = np.cross(ahead, axis)
    first /= np.maximum(np.linalg.norm(first, axis=1), 1e-300)[:, None]
    second = np.cross(ahead, first)
    turn = 2 * np.pi * np.arange(SIDES) / SIDES
    round_ = np.cos(turn)[None, :, None] * first[:, None] + np.sin(turn)[None, :, None] * second[:, None]
    places = (at[:, None] + radius * round_).reshape(-1, 3)
    here = np.nonzero(~ends)[0]
    a = here[:, None] * SIDES + np.arange(SIDES)
    b = here[:, None] * SIDES + (np.arange(SIDES) + 1) % SIDES
    triangles = np.concatenate(
        [np.stack([a, b, a + SIDES], axis=2), np.stack([b, b + SIDES, a + SIDES], axis=2)]
    ).reshape(-1, 3)
    return places, triangles, np.repeat(colours, SIDES, axis=0)
