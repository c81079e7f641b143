"""The sheet of a picture without a browser: its title, scale bar, axes, notes and legend."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from brook.core.results.exports.drawn import INK, plain
from brook.core.results.pictures.base import Drawn
from brook.core.results.pictures.colours import coloured, shares
from brook.core.results.pictures.painting import Camera, Painting
from brook.core.results.pictures.scale import Scale
from brook.core.study.layers import Layer
from brook.core.units import pretty_unit

BINS = 72


@dataclass(frozen=True)
class Size:
    """Of the picture in pixels, without title and legend."""

    width: int = 1280
    height: int = 720


def sheet_of(
    painting: Painting, made: list[tuple[Layer, Drawn]], scale: Scale, said: tuple[str, str], size: Size
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


def _level_notes(view: Any, painting: Painting, made: list[tuple[Layer, Drawn]], scale: Scale) -> None:
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


def _legend(axes: Any, scale: Scale) -> None:
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
