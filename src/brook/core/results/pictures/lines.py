"""Streamlines as a picture shows them."""

from __future__ import annotations

import numpy as np

from brook.core.results.pictures.base import Drawn, Seen, frame
from brook.core.results.space import Line, from_patch, streamlines
from brook.core.results.space.locator import values_in
from brook.core.study.layers import LineLayer

MOST_PLACES = 1200  # of a line that are drawn


def drawn(layer: LineLayer, seen: Seen) -> Drawn:
    """Raises `KeyError` for an unknown patch, `ValueError` for one that nothing passes and where all begin outside of the fluid."""
    seeds = seeds_of(layer, seen)
    lines = streamlines(seen.locator, seen.view, seeds, both=layer.ways != "down")
    if layer.ways == "up":
        lines = [_upstream(line) for line in lines]
    kept = [line for line in lines if len(line.places) > 1]
    if not kept:
        raise ValueError("every streamline begins outside of the fluid")
    thin = [_thinned(len(line.places)) for line in kept]
    at = np.concatenate([line.places[t] for line, t in zip(kept, thin, strict=True)])
    cells = np.concatenate([line.cells[t] for line, t in zip(kept, thin, strict=True)])
    arrays = {
        "lines_at": at, "lines_start": np.cumsum([0, *map(len, thin)]),
        "lines_seconds": np.concatenate([line.seconds[t] for line, t in zip(kept, thin, strict=True)]),
    }  # fmt: skip
    numbers = numbers_of(seen, lines, kept)
    if layer.by_time:
        arrays["lines_values"] = np.concatenate(
            [(line.seconds - line.seconds[0])[t] for line, t in zip(kept, thin, strict=True)]
        )
        numbers["longest"] = float(arrays["lines_values"].max())
    elif not layer.plain:
        arrays["lines_values"] = values_in(seen.view, seen.quantity, at, cells)
    if layer.ribbons:
        arrays["lines_turn"] = np.concatenate([_turn(seen, line)[t] for line, t in zip(kept, thin, strict=True)])
    return Drawn(arrays, numbers)


def seeds_of(layer: LineLayer, seen: Seen) -> np.ndarray:
    """Where the lines of a layer begin, (n, 3) in m. Raises `KeyError`, `ValueError`."""
    share = (np.arange(layer.count) + 0.5) / layer.count
    places = np.array(layer.places, float).reshape(-1, 3)
    if layer.begin == "patch":
        if not layer.patch:
            raise ValueError("name the patch that the streamlines begin at")
        return from_patch(seen.view, layer.patch, layer.count)
    if layer.begin == "places":
        if len(places) == 0:
            raise ValueError("click where a streamline shall pass")
        return places
    if len(places) != 2:
        raise ValueError(
            "a line has two ends"
            if layer.begin == "line"
            else "a ring has a middle and a vector across it as long as its radius"
        )
    if layer.begin == "line":
        return (1 - share[:, None]) * places[0] + share[:, None] * places[1]
    middle, across = places
    with np.errstate(over="ignore"):
        radius = float(np.linalg.norm(across))
    if not 0.0 < radius < np.inf:
        raise ValueError("the ring has no radius")
    _, first, second = frame(across)
    turn = 2 * np.pi * share[:, None]
    on_ring: np.ndarray = middle + radius * (np.cos(turn) * first + np.sin(turn) * second)
    return on_ring


def numbers_of(seen: Seen, lines: list[Line], kept: list[Line]) -> dict[str, object]:
    """How many lines there are, where they end, how many go from patch to patch, in how many seconds (least, half of them, most, and
    each), and how many begin outside of the fluid."""
    ends: dict[str, int] = {}
    for line in kept:
        ends[line.end or line.begin] = ends.get(line.end or line.begin, 0) + 1
    patches = {p.name for p in seen.view.fields.mesh.patches}
    taken = np.array([np.ptp(line.seconds) for line in kept if line.begin in patches and line.end in patches])
    return {
        "lines": len(kept), "ends": ends, "outside": len(lines) - len(kept), "through": len(taken),
        "seconds": [float(f(taken)) for f in (np.min, np.median, np.max)] if len(taken) else None, "taken": np.sort(taken).tolist(),
    }  # fmt: skip


def _upstream(line: Line) -> Line:
    here = line.seconds <= 0
    return Line(line.places[here], line.seconds[here], line.cells[here], line.begin, "")


def _thinned(count: int) -> np.ndarray:
    """Which places of so many are drawn, the last one too."""
    return np.unique(np.append(np.arange(0, count, max(1, count // MOST_PLACES)), count - 1))


def _turn(seen: Seen, line: Line) -> np.ndarray:
    """By which angle (n,) in rad the fluid has turned about a line: dφ/dt = ½ ω·u/|u|."""
    slope = seen.view.velocity_slope[line.cells]
    spin = np.stack(
        [slope[:, 2, 1] - slope[:, 1, 2], slope[:, 0, 2] - slope[:, 2, 0], slope[:, 1, 0] - slope[:, 0, 1]], axis=1
    )
    velocity = seen.view.fields.velocity[line.cells]
    speed = np.linalg.norm(velocity, axis=1)
    rate = 0.5 * np.einsum("ij,ij->i", spin, velocity) / np.maximum(speed, 1e-300)
    steps = 0.5 * (rate[1:] + rate[:-1]) * np.diff(line.seconds)
    turned: np.ndarray = np.concatenate([[0.0], np.cumsum(steps)])
    return turned
