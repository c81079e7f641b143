"""Looking at results in space: cuts, surfaces, streamlines, curves and mapping, on a million cells with wall layers."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from brook.core.bench.measure import Figure, bandwidth, threads, timed
from brook.core.bench.shapes import ball_of, layered
from brook.core.mesh.boxes import Sizes, build
from brook.core.numerics import Stencil
from brook.core.results.movies import Movie
from brook.core.results.particles import Cloud, Flying, fly
from brook.core.results.pictures import Seen
from brook.core.results.pictures.plates import Size, painted, shown
from brook.core.results.quantities import View
from brook.core.results.space import (
    Locator,
    corner_values,
    curve,
    iso_surface,
    plane_cut,
    point_values,
    streamlines,
)
from brook.core.solve import Fields
from brook.core.study.layers import CutLayer
from brook.core.study.views import Plate

ALONG = 0.3  # of the speed round the axis at the skin


def _stirred(s: Stencil) -> View:
    """A screw-like flow through a ball, and a pressure that falls with the way from its middle."""
    mesh = s.mesh

    def velocity(at: np.ndarray) -> np.ndarray:
        return np.stack([-at[:, 1], at[:, 0], np.full(len(at), ALONG)], axis=1)

    def pressure(at: np.ndarray) -> np.ndarray:
        value: np.ndarray = (at**2).sum(axis=1) + 0.1 * np.sin(4 * at[:, 0])
        return value

    edge = mesh.face_centres(slice(s.inner, None))
    flux = np.einsum("ij,ij->i", velocity(mesh.face_centres()), mesh.face_vector)
    ones = np.ones(s.cells)
    return View(
        Fields(s, ones, ones, velocity(mesh.centre), pressure(mesh.centre), flux, velocity(edge), pressure(edge))
    )


@cache
def _looked() -> tuple[View, Locator]:
    view = _stirred(Stencil(layered()))
    view.slope("pressure")
    return view, Locator(view.fields.mesh)


def _seconds(name: str, what: str, seconds: float) -> Figure:
    return Figure(name, what, seconds, "s", _looked()[0].fields.mesh.cell_count, bandwidth(), threads())


def bench_cut() -> Figure:
    """A plane askew to all axes, with the values of a quantity at its corners."""
    view, _ = _looked()

    def cut() -> None:
        corner_values(view, "pressure", plane_cut(view.fields.mesh, (0.01, 0.02, 0.03), (1.0, 0.5, 0.2)))

    cut()
    return _seconds("cut", "plane through a mesh with layers, with values", min(timed(cut) for _ in range(5)))


def bench_iso_surface() -> Figure:
    """A surface of equal value through the whole of the mesh, coloured by another quantity; values at points are there."""
    view, _ = _looked()
    at_points = point_values(view, "pressure")
    level = 0.5
    view.slope("speed")

    def surface() -> None:
        corner_values(view, "speed", iso_surface(view.fields.mesh, at_points, level))

    surface()
    return _seconds(
        "iso-surface", "surface of one value, with those of another quantity", min(timed(surface) for _ in range(5))
    )


def bench_streamlines() -> Figure:
    """200 streamlines from end to end."""
    view, locator = _looked()
    rng = np.random.default_rng(1)
    seeds = 0.55 * (2 * rng.random((200, 3)) - 1)
    streamlines(locator, view, seeds[:2])
    seconds = min(timed(lambda: streamlines(locator, view, seeds)) for _ in range(3))
    return _seconds("streamlines", "200 streamlines both ways through the mesh", seconds)


def bench_particles() -> Figure:
    """10 000 grains of 10 mm that are thrown out of the screw, until they meet the skin."""
    view, locator = _looked()
    rng = np.random.default_rng(1)
    places = 0.55 * (2 * rng.random((10_000, 3)) - 1)
    cloud = Cloud(places, np.zeros_like(places), np.full(10_000, 0.01), np.ones(10_000), 18_000.0)
    few = Cloud(places[:2], cloud.velocities[:2], cloud.sizes[:2], cloud.mass[:2], cloud.density)
    fly(view, locator, few, Flying())
    seconds = min(timed(lambda: fly(view, locator, cloud, Flying())) for _ in range(3))
    return _seconds("particles", "10 000 particles through the mesh", seconds)


def bench_movie() -> Figure:
    """100 pictures of a cut and the skin at 1280 by 720, from all round, into WebM."""
    view, locator = _looked()
    seen = Seen(view, locator, "pressure")
    plate = Plate(
        name="round", title="Round", quantity="pressure", layers=(CutLayer(through=(0, 0, 0), across=(0, 1, 0)),)
    )
    size = Size()

    def made() -> None:
        what = shown(plate, seen, size)
        with TemporaryDirectory() as folder, Movie(Path(folder) / "round.webm", 20) as movie:
            for k in range(100):
                movie.add(painted(what, seen, "Round", size, what.look.model_copy(update={"yaw": 0.0628 * k}), finer=1))

    return _seconds("movie", "100 pictures at 1280 by 720", timed(made))


def bench_curve() -> Figure:
    """500 places on a line from side to side."""
    view, locator = _looked()

    def along() -> None:
        curve(locator, view, "pressure", [(-0.9, -0.1, 0.05), (0.9, 0.2, 0.1)])

    along()
    return _seconds("curve", "500 places on a line through the mesh", min(timed(along) for _ in range(5)))


def bench_map() -> Figure:
    """A quantity at the centres of all cells of another mesh of about as many."""
    view, locator = _looked()
    other = build(ball_of(6), Sizes(0.08, {"skin": 0.0100}))
    locator.values(view, "pressure", other.centre[:100])
    seconds = min(timed(lambda: locator.values(view, "pressure", other.centre)) for _ in range(2))
    return Figure("map", "onto another mesh", seconds, "s", other.cell_count, bandwidth(), threads())
