"""Shapes in space and their meshes."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from types import SimpleNamespace

import numpy as np
from scipy.spatial import ConvexHull

from brook.core.bench.measure import Figure, figure, standing, timed
from brook.core.checks import prepare
from brook.core.geometry import survey
from brook.core.geometry.bodies import bodies_of, suggested_point
from brook.core.geometry.files import read_file, write_file
from brook.core.geometry.findings import find_all
from brook.core.geometry.proposing import mended, propose
from brook.core.geometry.small_picture import small_picture
from brook.core.geometry.spots import triangle_at
from brook.core.geometry.surface import Surface, welded
from brook.core.mesh import Mesh, measure
from brook.core.mesh.boxes import Layers, Sizes, build
from brook.core.mesh.wrap import Wish, wrapped
from brook.core.results.picture import polygons
from brook.core.stages.meshing import make_mesh
from brook.core.verification.cavity import study


def ball_of(subdivisions: int) -> Surface:
    """A ball of 20 * 4**subdivisions triangles from an icosahedron."""
    t = (1 + 5**0.5) / 2
    points = np.array(
        [p for x, y, z in [(0, 1, t), (0, 1, -t), (0, -1, t), (0, -1, -t)] for p in ((x, y, z), (y, z, x), (z, x, y))]
    )
    hull = ConvexHull(points)
    faces = points[hull.simplices]
    inward = np.einsum("ij,ij->i", np.cross(faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0]), faces[:, 0]) < 0
    faces[inward] = faces[inward][:, ::-1]
    for _ in range(subdivisions):
        a, b, c = faces[:, 0], faces[:, 1], faces[:, 2]
        ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
        faces = np.concatenate([np.stack(f, axis=1) for f in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])
    faces /= np.linalg.norm(faces, axis=2, keepdims=True)
    return welded(faces, np.zeros(len(faces)), ["skin"])


def bench_mesh() -> Figure:
    """Building a plane mesh with its geometry and quality."""
    case = study(400, 400)
    prepared = prepare(case, case.variants[0])
    make_mesh(prepared)
    seconds = min(timed(lambda: measure(make_mesh(prepared))) for _ in range(3))
    return figure("mesh", "per cell, plane lines with quality", seconds, 160_000)


def bench_findings() -> Figure:
    """All findings of a sound ball of 1.3 million triangles."""
    find_all(ball_of(3))
    surface = ball_of(8)
    fresh = Surface(surface.points, surface.triangles, surface.patch, surface.patches)
    seconds = timed(lambda: find_all(fresh))
    return figure("findings", "per triangle, every kind of finding", seconds, surface.count)


def bench_stl() -> Figure:
    """Reading a binary file of 1.3 million triangles, points made one."""
    data = write_file("a.bin.stl", ball_of(8))
    read_file("a.stl", write_file("a.bin.stl", ball_of(2)))
    seconds = min(timed(lambda: read_file("a.stl", data)) for _ in range(3))
    return figure("stl", "per triangle, reading binary STL", seconds, 20 * 4**8)


def warm_shapes() -> None:
    """Compiles all that works on surfaces: a ball with a hole goes once through files, findings, mending and survey."""
    ball = ball_of(2)
    for suffix in ("stl", "bin.stl", "obj", "ply"):
        read_file(f"a.{suffix}", write_file(f"a.{suffix}", ball))
    opened = ball.only(np.arange(ball.count) > 0)
    mended(opened, propose(opened, ball.size))
    spot = SimpleNamespace(patch="", x=0.0, y=0.0, z=1.0)
    triangle_at(opened, spot)
    body = SimpleNamespace(name="water", holds="fluid", x=0.0, y=0.0, z=0.1)
    bodies_of(ball, [body])
    survey.drawn(ball)
    small_picture(ball)
    suggested_point(ball)
    mesh = build(ball, Sizes(0.5, {"skin": 0.25}, per_turn=8, per_gap=2), layers=(Layers(("skin",), 2, 0.02),))
    polygons(mesh)
    wrapped(ball, Wish(0.3, wet=(0.0, 0.0, 0.0)))


def bench_survey() -> Figure:
    """What a page needs of a ball of 1.3 million triangles besides its findings: measures, rims, arrays, a wet point."""

    def survey_of(surface: Surface) -> None:
        survey.measured(surface)
        survey.openings(surface)
        survey.drawn(surface)
        suggested_point(surface)
        small_picture(surface)

    survey_of(ball_of(2))
    surface = ball_of(8)
    return figure(
        "survey", "per triangle, all a page shows besides findings", timed(lambda: survey_of(surface)), surface.count
    )


def bench_boxes() -> Figure:
    """An automatic mesh of a ball of 82 000 triangles, refined at its skin, with its quality."""
    build(ball_of(3), Sizes(0.4, {"skin": 0.2}))
    ball, cells = ball_of(6), 0

    def made() -> None:
        nonlocal cells
        mesh = build(ball, Sizes(0.08, {"skin": 0.02}))
        measure(mesh)
        cells = mesh.cell_count

    seconds = min(timed(made) for _ in range(2))
    return figure("boxes", "per cell, automatic mesh of boxes with quality", seconds, cells)


def layered() -> Mesh:
    """An automatic mesh of about a million cells with five layers round a ball."""
    return build(ball_of(6), Sizes(0.08, {"skin": 0.0105}), layers=(Layers(("skin",), 5, 0.0008),))


def bench_layers() -> Figure:
    """The same with five layers along its skin, about a million cells."""
    build(ball_of(3), Sizes(0.4, {"skin": 0.2}), layers=(Layers(("skin",), 2, 0.02),))
    cells = 0

    def made() -> None:
        nonlocal cells
        mesh = layered()
        measure(mesh)
        cells = mesh.cell_count

    seconds = timed(made)
    return figure("layers", "per cell, automatic mesh of boxes with five wall layers and quality", seconds, cells)


def bench_mesh_memory() -> Figure:
    """Peak memory of making that mesh, in bytes for each cell; what the program takes before is left out."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        cells, grown = pool.submit(_grown).result()
    return Figure("mesh-memory", "per cell at the peak, automatic mesh with layers", grown / cells, "B", cells, 0.0, 1)


def _grown() -> tuple[int, int]:
    """Cells of that mesh, and bytes by which the peak of this process grew."""
    build(ball_of(3), Sizes(0.4, {"skin": 0.2}), layers=(Layers(("skin",), 2, 0.02),))
    before = standing("VmHWM")
    cells = layered().cell_count
    return cells, standing("VmHWM") - before


def bench_wrap() -> Figure:
    """A wrap from outside of a ball of 1.3 million triangles, 100 boxes across."""
    wrapped(ball_of(3), Wish(0.3))
    ball = ball_of(8)
    return figure(
        "wrap",
        "per triangle of the shape, wrap with 100 boxes across",
        timed(lambda: wrapped(ball, Wish(0.02))),
        ball.count,
    )
