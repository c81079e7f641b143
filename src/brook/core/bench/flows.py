"""Iterations, pressures and whole runs of a flow."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from functools import cache
from multiprocessing import get_context

import numpy as np

from brook.core.bench.measure import Figure, figure, standing, threads, timed
from brook.core.checks import prepare
from brook.core.materials import ConstantFluid
from brook.core.numerics import Matrix, Stencil, laplacian
from brook.core.numerics.linear import LibraryMultigrid, PressureSolver
from brook.core.numerics.multigrid import OwnMultigrid
from brook.core.results.picture import corner_values, polygons
from brook.core.results.quantities import View
from brook.core.solve import FlowModel, FlowSolver, Rules, Settings, boundary_conditions, run_steady
from brook.core.solve.energy import WAITS, EnergyEquation, FlowPart, Fluids
from brook.core.solve.heat import Heat
from brook.core.solve.heating import heat_conditions, substance_of
from brook.core.solve.setup import FIXED, BoundaryConditions
from brook.core.solve.turbulence import Turbulence, Walls
from brook.core.solve.within import PressureSteps, Screens
from brook.core.stages.meshing import make_mesh
from brook.core.study import Resolved
from brook.core.verification.cavity import study
from brook.core.verification.manufactured import block

START = 300.0  # K


def _flow(cells_across: int) -> FlowSolver:
    case = study(400, cells_across)
    prepared = prepare(case, case.variants[0])
    stencil = Stencil(make_mesh(prepared))
    assert prepared.fluid is not None
    return FlowSolver(stencil, prepared.fluid, boundary_conditions(stencil, prepared.boundaries))


def bench_iteration() -> Figure:
    """One steady laminar iteration, plane, 40 000 cells."""
    flow = _flow(200)
    for _ in range(5):
        flow.iterate()
    seconds = min(timed(flow.iterate) for _ in range(10))
    return figure("iteration", "per cell and iteration, steady laminar", seconds, flow.stencil.cells)


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
    seconds = min(timed(lambda: solver.solve(matrix, right, 0.1)) for _ in range(5))
    return figure("pressure", "per unknown, library multigrid to 0.1 without set-up", seconds, stencil.cells)


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
    seconds = min(timed(lambda: solver.solve(matrix, right, 0.1)) for _ in range(3))
    return figure("pressure-own", "per unknown, own multigrid to 0.1 with refill", seconds, stencil.cells)


def bench_picture() -> Figure:
    """Corner values of a field for the canvas."""
    flow = _flow(200)
    shapes = polygons(flow.stencil.mesh)
    corner_values(View(flow.snapshot()), "speed", shapes)
    seconds = min(timed(lambda: corner_values(View(flow.snapshot()), "speed", shapes)) for _ in range(5))
    return figure("picture", "per cell, values of a view", seconds, flow.stencil.cells)


def bench_memory() -> Figure:
    """Peak memory of a run of the cube, its mesh and mixed states included, in bytes for each cell."""
    cells, peak, _ = _room_of_a_run()
    return Figure("memory", "per cell at the peak, steady laminar run", peak / cells, "B", cells, 0.0, threads())


def bench_memory_kept() -> Figure:
    """What the same run keeps besides the states it mixes."""
    cells, _, kept = _room_of_a_run()
    return Figure("memory-kept", "per cell, mesh and flow of that run", kept / cells, "B", cells, 0.0, threads())


@cache
def _room_of_a_run() -> tuple[int, int, int]:
    """Cells of the cube, and bytes that a run of it takes at the peak and in the end, in a process of its own; what the
    program takes before is left out."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(_run_and_weigh).result()


def _run_and_weigh() -> tuple[int, int, int]:
    run_steady(cube_flow(40), Rules(iterations=8), {})
    before = standing("VmRSS")
    flow = cube_flow(80)
    run_steady(flow, Rules(iterations=8), {})
    return flow.stencil.cells, standing("VmHWM") - before, standing("VmRSS") - before


def cube_flow(
    across: int,
    solver: PressureSolver | None = None,
    reynolds: float = 400.0,
    stirred: bool = False,
    warm: bool = False,
    held: bool = False,
) -> FlowSolver:
    """The flow in a cube of so many cells an edge whose lid slides, at a Reynolds number by its edge, with a model of turbulence where
    it is to be `stirred`, heat that its walls give off where it is `warm`, and a porous lower half where it is `held`."""
    stencil = Stencil(block(across))
    centre = stencil.mesh.face_centres(slice(stencil.inner, None))
    velocity = np.zeros((len(centre), 3))
    velocity[centre[:, 2] > 1 - 1e-9, 0] = 1.0
    conditions = BoundaryConditions(np.full(len(centre), FIXED, np.int8), velocity, np.zeros(len(centre)))
    every = np.arange(len(centre))
    fluid = ConstantFluid("cube", 1.0, 1 / reynolds, conductivity=1 / reynolds, heat_capacity=1.0)
    turbulence = Turbulence(stencil, Walls(stencil, every, np.zeros(len(every))), {}) if stirred else None
    model = FlowModel.of(_warmed(stencil, fluid) if warm else None, turbulence, _half_held(stencil) if held else None)
    settings = Settings("eased" if stirred else "limited", pressure_tolerance=0.1)
    return FlowSolver(stencil, fluid, conditions, model, settings=settings, pressure_solver=solver)


def _warmed(stencil: Stencil, fluid: ConstantFluid) -> EnergyEquation:
    """The heat of a fluid between walls that are warmer than it."""
    walls = [Resolved(kind="temperature", patch=p.name, temperature=START + 20.0) for p in stencil.patches]
    conditions = heat_conditions(stencil, Resolved(start=START, patches=walls), [])
    mesh, start = stencil.mesh, START + 10.0 * stencil.mesh.centre[:, 2]
    substance = substance_of(stencil, dict.fromkeys(mesh.bodies, fluid))
    heat = Heat(stencil, substance, conditions, start, np.zeros(stencil.cells))
    return EnergyEquation(heat, FlowPart.of(stencil, [0]), Fluids((fluid,), mesh.body), np.zeros(3), START)


def _half_held(stencil: Stencil) -> PressureSteps:
    """A porous body that fills the lower half."""
    lower = (stencil.mesh.centre[:, 2] < 0.5)[:, None] * np.ones(3)
    return PressureSteps(stencil, 1e4 * lower, 10.0 * lower, Screens.none())


def bench_held() -> list[Figure]:
    """One iteration with a porous body in half of 262 144 cells, and how many times as long that takes as without, side by side."""
    plain, held = cube_flow(64), cube_flow(64, held=True)
    for flow in (plain, held):
        for _ in range(3):
            flow.iterate()
    one, two = (min(timed(flow.iterate) for _ in range(5)) for flow in (plain, held))
    cells = held.stencil.cells
    times = Figure("held-over-plain", "as long as an iteration without", two / one, "times", cells, 0.0, threads())
    return [figure("held", "per cell and iteration, half of the cells porous, in three dimensions", two, cells), times]


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
        threads(),
    )


def bench_multigrid_alone() -> Figure:
    """The same without the library's set-up."""
    ours, theirs = _multigrids()
    return Figure(
        "multigrid-alone", "as fast to 0.1 as the library's without", theirs[1] / ours, "times", 100**3, 0.0, threads()
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
    whole = timed(lambda: theirs.solve(matrix, right, 0.1))
    return (
        min(timed(lambda: ours.solve(single, few, 0.1)) for _ in range(5)),
        (whole, min(timed(lambda: theirs.solve(matrix, right, 0.1)) for _ in range(3))),
    )  # fmt: skip


def iterations(across: int) -> Figure:
    """Iterations of the cube to 1e-6, from lumps of its cells."""
    flow = cube_flow(across)
    outcome = run_steady(flow, Rules(residual=1e-6, iterations=600), {})
    return Figure(
        f"iterations-{across}", f"iterations to 1e-6, cube with a sliding lid, {outcome.state} in {outcome.history.seconds[-1]:.0f} s",
        outcome.iterations, "", across**3, 0.0, threads(),
    )  # fmt: skip


def warm_large() -> None:
    """Compiles what only large meshes use."""
    run_steady(cube_flow(28), Rules(iterations=8), {})


def bench_cube() -> Figure:
    """One steady laminar iteration in three dimensions, pressure to 0.1, 512 000 cells."""
    flow = cube_flow(80)
    for _ in range(3):
        flow.iterate()
    seconds = min(timed(flow.iterate) for _ in range(5))
    return figure("cube", "per cell and iteration, steady laminar, in three dimensions", seconds, flow.stencil.cells)


def bench_stirred() -> list[Figure]:
    """A million cells with a model of turbulence, a law at its walls and heat, and how many times as long that takes as a laminar flow
    alone, side by side. Means over as many iterations as heat may wait for at most, and one more."""
    plain, stirred = cube_flow(100, reynolds=1e5), cube_flow(100, reynolds=1e5, stirred=True, warm=True)
    for flow in (plain, stirred):
        for _ in range(3):
            flow.iterate()
    count = WAITS + 1
    blocks = [[sum(timed(f.iterate) for _ in range(count)) / count for f in (plain, stirred)] for _ in range(3)]
    one, two = (min(side) for side in zip(*blocks, strict=True))
    cells = stirred.stencil.cells
    times = Figure("stirred-over-plain", "as long as a laminar iteration", two / one, "times", cells, 0.0, threads())
    what = "per cell and iteration, steady turbulent with heat, in three dimensions"
    return [figure("stirred", what, two, cells), times]
