"""Speed figures, each taken beside the memory bandwidth of the same moment on the same machine."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass
from functools import cache, partial
from multiprocessing import get_context
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
from numba import njit, prange
from scipy.spatial import ConvexHull

from brook.core.checks import prepare
from brook.core.geometry import survey
from brook.core.geometry.bodies import bodies_of, suggested_point
from brook.core.geometry.files import read_file, write_file
from brook.core.geometry.findings import find_all
from brook.core.geometry.proposing import mended, propose
from brook.core.geometry.small_picture import small_picture
from brook.core.geometry.spots import triangle_at
from brook.core.geometry.surface import Surface, welded
from brook.core.materials import ConstantFluid
from brook.core.mesh import Mesh, measure
from brook.core.mesh.boxes import Layers, Sizes, build
from brook.core.mesh.wrap import Wish, wrapped
from brook.core.numerics import Matrix, Stencil, laplacian
from brook.core.numerics.linear import LibraryMultigrid, PressureSolver
from brook.core.numerics.multigrid import OwnMultigrid
from brook.core.pipeline import make_mesh
from brook.core.results.picture import corner_values, polygons
from brook.core.results.quantities import View
from brook.core.solve import Rules, SteadyFlow, boundary_conditions, run_steady
from brook.core.solve.setup import FIXED, BoundaryConditions
from brook.core.verification.cavity import study
from brook.core.verification.manufactured import block

TRIAD_BYTES = 24


@dataclass(frozen=True)
class Figure:
    """A value for each item: `µs`, counted also in triads of 24 B at the bandwidth measured with it, or `B`."""

    name: str
    what: str
    value: float
    unit: str
    items: int
    bandwidth: float
    threads: int

    @property
    def triads(self) -> float | None:
        return self.value * 1e-6 * self.bandwidth / TRIAD_BYTES if self.unit == "µs" else None

    def line(self) -> str:
        text = f"{self.name}: {self.value:.3g} {self.unit} {self.what}, {self.items} items"
        if self.triads is None:
            return text
        return f"{text}, {self.triads:.0f} triads at {self.bandwidth / 1e9:.3g} GB/s on {self.threads} thread(s)"

    def as_dict(self) -> dict[str, Any]:
        return {**asdict(self), "triads": self.triads}


@njit(parallel=True, cache=True)
def _triad(a, b, c, factor):  # type: ignore[no-untyped-def]
    for i in prange(len(a)):
        a[i] = b[i] + factor * c[i]


def bandwidth(length: int = 8_000_000) -> float:
    """STREAM triad (McCalpin 1995) in B/s, the best of five, on as many threads as Numba uses."""
    a, b, c = np.zeros(length), np.ones(length), np.ones(length)
    _triad(a, b, c, 3.0)
    best = min(_timed(lambda: _triad(a, b, c, 3.0)) for _ in range(5))
    return TRIAD_BYTES * length / best


def _timed(work: Callable[[], Any]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _threads() -> int:
    from numba import get_num_threads

    return int(get_num_threads())


def _flow(cells_across: int) -> SteadyFlow:
    case = study(400, cells_across)
    prepared = prepare(case, case.variants[0])
    stencil = Stencil(make_mesh(prepared))
    assert prepared.fluid is not None
    return SteadyFlow(stencil, prepared.fluid, boundary_conditions(stencil, prepared.boundaries))


def _figure(name: str, what: str, seconds: float, items: int) -> Figure:
    return Figure(name, what, 1e6 * seconds / items, "µs", items, bandwidth(), _threads())


def bench_iteration() -> Figure:
    """One steady laminar iteration, plane, 40 000 cells."""
    flow = _flow(200)
    for _ in range(5):
        flow.iterate()
    seconds = min(_timed(flow.iterate) for _ in range(10))
    return _figure("iteration", "per cell and iteration, steady laminar", seconds, flow.stencil.cells)


def bench_pressure() -> Figure:
    """A pressure-like system to 0.1, the hierarchy there already."""
    stencil = _flow(200).stencil
    positive = laplacian(stencil, -1.0)
    diagonal = positive.diagonal.copy()
    diagonal[0] *= 2
    matrix = Matrix(stencil, diagonal, positive.entries)
    right = np.random.default_rng(1).standard_normal(stencil.cells)
    solver = LibraryMultigrid()
    solver.solve(matrix, right, 0.1)
    seconds = min(_timed(lambda: solver.solve(matrix, right, 0.1)) for _ in range(5))
    return _figure("pressure", "per unknown, library multigrid to 0.1 without set-up", seconds, stencil.cells)


def bench_own_pressure() -> Figure:
    """A pressure-like system of 512 000 unknowns to 0.1 by the own multigrid, with new coefficients filled in."""
    stencil = Stencil(block(80))
    positive = laplacian(stencil, -1.0)
    diagonal = positive.diagonal.copy()
    diagonal[0] *= 2
    matrix = Matrix(stencil, diagonal, positive.entries)
    right = np.random.default_rng(1).standard_normal(stencil.cells)
    solver = OwnMultigrid()
    solver.solve(matrix, right, 0.1)
    seconds = min(_timed(lambda: solver.solve(matrix, right, 0.1)) for _ in range(3))
    return _figure("pressure-own", "per unknown, own multigrid to 0.1 with refill", seconds, stencil.cells)


def bench_mesh() -> Figure:
    """Building a plane mesh with its geometry and quality."""
    case = study(400, 400)
    prepared = prepare(case, case.variants[0])
    make_mesh(prepared)
    seconds = min(_timed(lambda: measure(make_mesh(prepared))) for _ in range(3))
    return _figure("mesh", "per cell, plane lines with quality", seconds, 160_000)


def bench_picture() -> Figure:
    """Corner values of a field for the canvas."""
    flow = _flow(200)
    shapes = polygons(flow.stencil.mesh)
    corner_values(View(flow.snapshot()), "speed", shapes)
    seconds = min(_timed(lambda: corner_values(View(flow.snapshot()), "speed", shapes)) for _ in range(5))
    return _figure("picture", "per cell, values of a view", seconds, flow.stencil.cells)


def bench_memory() -> Figure:
    """Peak memory of a run of the cube, its mesh and mixed states included, in bytes for each cell."""
    cells, peak, _ = _room_of_a_run()
    return Figure("memory", "per cell at the peak, steady laminar run", peak / cells, "B", cells, 0.0, _threads())


def bench_memory_kept() -> Figure:
    """What the same run keeps besides the states it mixes."""
    cells, _, kept = _room_of_a_run()
    return Figure("memory-kept", "per cell, mesh and flow of that run", kept / cells, "B", cells, 0.0, _threads())


@cache
def _room_of_a_run() -> tuple[int, int, int]:
    """Cells of the cube, and bytes that a run of it takes at the peak and in the end, in a process of its own; what the
    program takes before is left out."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(_run_and_weigh).result()


def _run_and_weigh() -> tuple[int, int, int]:
    run_steady(cube_flow(40), Rules(iterations=8), {})
    before = _standing("VmRSS")
    flow = cube_flow(80)
    run_steady(flow, Rules(iterations=8), {})
    return flow.stencil.cells, _standing("VmHWM") - before, _standing("VmRSS") - before


def _ball(subdivisions: int) -> Surface:
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


def bench_findings() -> Figure:
    """All findings of a sound ball of 1.3 million triangles."""
    find_all(_ball(3))
    surface = _ball(8)
    fresh = Surface(surface.points, surface.triangles, surface.patch, surface.patches)
    seconds = _timed(lambda: find_all(fresh))
    return _figure("findings", "per triangle, every kind of finding", seconds, surface.count)


def bench_stl() -> Figure:
    """Reading a binary file of 1.3 million triangles, points made one."""
    data = write_file("a.bin.stl", _ball(8))
    read_file("a.stl", write_file("a.bin.stl", _ball(2)))
    seconds = min(_timed(lambda: read_file("a.stl", data)) for _ in range(3))
    return _figure("stl", "per triangle, reading binary STL", seconds, 20 * 4**8)


def warm_shapes() -> None:
    """Compiles all that works on surfaces: a ball with a hole goes once through files, findings, mending and survey."""
    ball = _ball(2)
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
    mesh = build(ball, Sizes(0.5, {"skin": 0.25}, per_turn=8, per_gap=2), layers=Layers(("skin",), 2, 0.02))
    polygons(mesh)
    wrapped(ball, Wish(0.3, wet=(0.0, 0.0, 0.0)))


def cube_flow(across: int, solver: PressureSolver | None = None, reynolds: float = 400.0) -> SteadyFlow:
    """The flow in a cube of so many cells an edge whose lid slides, at a Reynolds number by its edge."""
    stencil = Stencil(block(across))
    centre = stencil.mesh.face_centres(slice(stencil.inner, None))
    velocity = np.zeros((len(centre), 3))
    velocity[centre[:, 2] > 1 - 1e-9, 0] = 1.0
    conditions = BoundaryConditions(np.full(len(centre), FIXED, np.int8), velocity, np.zeros(len(centre)))
    return SteadyFlow(stencil, ConstantFluid("cube", 1.0, 1 / reynolds), conditions, pressure_solver=solver,
                      pressure_tolerance=0.1)  # fmt: skip


def bench_multigrid() -> Figure:
    """A million unknowns to 0.1 with new coefficients: the library's multigrid with its set-up over ours with its refill."""
    ours, theirs = _multigrids()
    return Figure(
        "multigrid",
        "as fast to 0.1 as the library's with its set-up",
        theirs[0] / ours,
        "times",
        100**3,
        0.0,
        _threads(),
    )


def bench_multigrid_alone() -> Figure:
    """The same without the library's set-up."""
    ours, theirs = _multigrids()
    return Figure(
        "multigrid-alone", "as fast to 0.1 as the library's without", theirs[1] / ours, "times", 100**3, 0.0, _threads()
    )


@cache
def _multigrids() -> tuple[float, tuple[float, float]]:
    """Seconds that ours takes, refill included, and that the library's takes with its set-up and without."""
    stencil = Stencil(block(100))
    positive = laplacian(stencil, -1.0)
    diagonal = positive.diagonal.copy()
    diagonal[0] *= 2
    matrix = Matrix(stencil, diagonal, positive.entries)
    right = np.random.default_rng(1).standard_normal(stencil.cells)
    ours, theirs = OwnMultigrid(), LibraryMultigrid()
    single = Matrix(stencil, diagonal.astype(np.float32), positive.entries.astype(np.float32))
    few = right.astype(np.float32)
    ours.solve(single, few, 0.1)
    whole = _timed(lambda: theirs.solve(matrix, right, 0.1))
    return (
        min(_timed(lambda: ours.solve(single, few, 0.1)) for _ in range(5)),
        (whole, min(_timed(lambda: theirs.solve(matrix, right, 0.1)) for _ in range(3))),
    )  # fmt: skip


def _iterations(across: int) -> Figure:
    """Iterations of the cube to 1e-6, from lumps of its cells."""
    flow = cube_flow(across)
    outcome = run_steady(flow, Rules(residual=1e-6, iterations=600), {})
    return Figure(
        f"iterations-{across}", f"iterations to 1e-6, cube with a sliding lid, {outcome.state} in {outcome.history.seconds[-1]:.0f} s",
        outcome.iterations, "", across**3, 0.0, _threads(),
    )  # fmt: skip


def warm_large() -> None:
    """Compiles what only large meshes use."""
    run_steady(cube_flow(28), Rules(iterations=8), {})


def bench_cube() -> Figure:
    """One steady laminar iteration in three dimensions, pressure to 0.1, 512 000 cells."""
    flow = cube_flow(80)
    for _ in range(3):
        flow.iterate()
    seconds = min(_timed(flow.iterate) for _ in range(5))
    return _figure("cube", "per cell and iteration, steady laminar, in three dimensions", seconds, flow.stencil.cells)


def bench_survey() -> Figure:
    """What a page needs of a ball of 1.3 million triangles besides its findings: measures, rims, arrays, a wet point."""

    def survey_of(surface: Surface) -> None:
        survey.measured(surface)
        survey.openings(surface)
        survey.drawn(surface)
        suggested_point(surface)
        small_picture(surface)

    survey_of(_ball(2))
    surface = _ball(8)
    return _figure(
        "survey", "per triangle, all a page shows besides findings", _timed(lambda: survey_of(surface)), surface.count
    )


def bench_boxes() -> Figure:
    """An automatic mesh of a ball of 82 000 triangles, refined at its skin, with its quality."""
    build(_ball(3), Sizes(0.4, {"skin": 0.2}))
    ball, cells = _ball(6), 0

    def made() -> None:
        nonlocal cells
        mesh = build(ball, Sizes(0.08, {"skin": 0.02}))
        measure(mesh)
        cells = mesh.cell_count

    seconds = min(_timed(made) for _ in range(2))
    return _figure("boxes", "per cell, automatic mesh of boxes with quality", seconds, cells)


def _layered() -> Mesh:
    """An automatic mesh of about a million cells with five layers round a ball."""
    return build(_ball(6), Sizes(0.08, {"skin": 0.0105}), layers=Layers(("skin",), 5, 0.0008))


def bench_layers() -> Figure:
    """The same with five layers along its skin, about a million cells."""
    build(_ball(3), Sizes(0.4, {"skin": 0.2}), layers=Layers(("skin",), 2, 0.02))
    cells = 0

    def made() -> None:
        nonlocal cells
        mesh = _layered()
        measure(mesh)
        cells = mesh.cell_count

    seconds = _timed(made)
    return _figure("layers", "per cell, automatic mesh of boxes with five wall layers and quality", seconds, cells)


def bench_mesh_memory() -> Figure:
    """Peak memory of making that mesh, in bytes for each cell; what the program takes before is left out."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        cells, grown = pool.submit(_grown).result()
    return Figure("mesh-memory", "per cell at the peak, automatic mesh with layers", grown / cells, "B", cells, 0.0, 1)


def _grown() -> tuple[int, int]:
    """Cells of that mesh, and bytes by which the peak of this process grew."""
    build(_ball(3), Sizes(0.4, {"skin": 0.2}), layers=Layers(("skin",), 2, 0.02))
    before = _standing("VmHWM")
    cells = _layered().cell_count
    return cells, _standing("VmHWM") - before


def _standing(name: str) -> int:
    """Bytes of this process by their name in Linux: VmRSS those that it has, VmHWM the most that it has had."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return 1024 * next(int(line.split()[1]) for line in lines if line.startswith(name))


def bench_wrap() -> Figure:
    """A wrap from outside of a ball of 1.3 million triangles, 100 boxes across."""
    wrapped(_ball(3), Wish(0.3))
    ball = _ball(8)
    return _figure(
        "wrap",
        "per triangle of the shape, wrap with 100 boxes across",
        _timed(lambda: wrapped(ball, Wish(0.02))),
        ball.count,
    )


BENCHES: dict[str, Callable[[], Figure]] = {
    "memory": bench_memory,
    "memory-kept": bench_memory_kept,
    "iteration": bench_iteration,
    "cube": bench_cube,
    **{f"iterations-{n}": partial(_iterations, n) for n in (64, 100, 128)},
    "multigrid": bench_multigrid,
    "multigrid-alone": bench_multigrid_alone,
    "pressure": bench_pressure,
    "pressure-own": bench_own_pressure,
    "mesh": bench_mesh,
    "boxes": bench_boxes,
    "layers": bench_layers,
    "mesh-memory": bench_mesh_memory,
    "wrap": bench_wrap,
    "picture": bench_picture,
    "findings": bench_findings,
    "survey": bench_survey,
    "stl": bench_stl,
}


def run_benches(names: list[str], say: Callable[[str], None]) -> list[Figure]:
    figures = []
    for name in names:
        say(f"{name} …")
        figures.append(BENCHES[name]())
    return figures
