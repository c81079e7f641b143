"""States mixed, flows started on lumps of their cells, and loops that give the same on any number of threads."""

from dataclasses import replace

import numba
import numpy as np
import pytest

from brook.core.bench.flows import cube_flow
from brook.core.bench.parts import PARTS
from brook.core.numerics import Matrix, Stencil, chunks, divergence, gradient
from brook.core.numerics.general import GeneralSolver
from brook.core.numerics.rows import Rows
from brook.core.solve import FlowSolver, Rules, cycles, run_steady
from brook.core.solve.acceleration import Acceleration
from brook.core.solve.coarse import Agglomerates, coarse_flow
from brook.core.solve.cycles import Cycles
from brook.core.verification.manufactured import block, cut, hanging

RULES = Rules(residual=1e-6, iterations=400)


def test_mixed_states_need_about_half_the_iterations():
    counts = []
    for mixes in (True, False):
        flow = cube_flow(16)
        mixing = Acceleration(flow) if mixes else None
        worst, count = 1.0, 0
        while worst > 1e-6 and count < 400:
            if mixing:
                mixing.begin()
            worst, count = flow.iterate().worst, count + 1
            if mixing:
                mixing.end(worst)
        counts.append(count)
    assert counts[0] < 0.65 * counts[1]


def test_mixtures_keep_mass():
    flow = cube_flow(12)
    mixing = Acceleration(flow)
    for _ in range(20):
        mixing.begin()
        worst = flow.iterate().worst
        flow.close()
        mixing.end(worst)
    kept = divergence(flow.stencil, flow.flux)
    assert np.abs(kept).max() < 1e-11


@pytest.mark.slow
def test_the_answer_does_not_depend_on_how_it_was_reached():
    """Mixed and started on lumps, mixed only, and neither."""
    found = []
    for lumps, mixes in ((True, True), (False, True), (False, False)):
        flow = cube_flow(28)
        if lumps:
            assert Cycles(flow).start() == 1
        if mixes:
            found.append(run_without_lumps(flow))
        else:
            for _ in range(400):
                if flow.iterate().worst < 1e-6:
                    break
            found.append(flow.velocity)
    for one in found[1:]:
        assert np.abs(one - found[0]).max() < 2e-4


def run_without_lumps(flow):
    flow.__class__ = type("Here", (FlowSolver,), {"is_driven": True})
    outcome = run_steady(flow, RULES, {})
    assert outcome.state == "converged"
    return outcome.fields.velocity


@pytest.mark.slow
def test_coarse_corrections_save_iterations_and_change_no_answer(monkeypatch):
    found = []
    for least in (10**9, 5_000):
        monkeypatch.setattr(cycles, "CORRECTED", least)
        outcome = run_steady(cube_flow(36), RULES, {})
        assert outcome.state == "converged"
        assert outcome.history.marks[0] == (0, "started from a coarser mesh")
        found.append(outcome)
    assert found[1].iterations < 0.75 * found[0].iterations
    assert np.abs(found[1].fields.velocity - found[0].fields.velocity).max() < 2e-4


@pytest.mark.slow
def test_nothing_is_left_to_correct_where_the_flow_is_done():
    flow = cube_flow(28)
    run_steady(flow, Rules(residual=1e-7, iterations=400), {})
    level = cycles.Level(flow)
    before = flow.velocity.copy()
    level.down()
    for _ in range(10):
        level.coarse.iterate()
    level.up()
    assert np.abs(flow.velocity - before).max() < 1e-5


def test_lumps_of_wall_layers_only_lead_to_the_start():
    assert cycles.is_even(Stencil(block(12)))
    assert not cycles.is_even(Stencil(hanging(8)))
    points = block(12)
    thin = replace(points, points=points.points * [1.0, 0.05, 1.0])
    assert not cycles.is_even(Stencil(thin))


@pytest.mark.parametrize("mesh", [lambda: block(12), lambda: block(10, True), lambda: hanging(8), lambda: cut(10)])
def test_lumps_fill_the_mesh_and_close(mesh):
    fine = Stencil(mesh())
    lumps = Agglomerates.made(fine)
    coarse = lumps.stencil
    assert 5 < fine.cells / coarse.cells < 9
    assert coarse.mesh.volume.sum() == pytest.approx(fine.mesh.volume.sum())
    total = np.zeros((coarse.cells, 3))
    np.add.at(total, coarse.owner, coarse.area)
    np.add.at(total, coarse.neighbour, -coarse.area[: coarse.inner])
    assert np.abs(total).max() < 1e-12
    assert [p.name for p in coarse.patches] == [p.name for p in fine.patches]
    assert (coarse.geometric_diffusion > 0).all()


def test_a_coarse_flow_is_driven_by_the_same_mass():
    fine = cube_flow(14)
    fine.flux[fine.stencil.inner :][:5] = 0.25
    made, _ = coarse_flow(fine)
    assert made.flux[made.stencil.inner :].sum() == pytest.approx(fine.flux[fine.stencil.inner :].sum())


def test_rows_know_their_faces():
    stencil = Stencil(hanging(8))
    rows = stencil.rows
    assert isinstance(rows, Rows)
    cell = np.repeat(np.arange(stencil.cells), np.diff(rows.offsets))
    face, back = rows.faces >> 1, (rows.faces & 1).astype(bool)
    owner, neighbour = stencil.owner[face], stencil.neighbour[face]
    assert np.array_equal(np.where(back, neighbour, owner), cell)
    assert np.array_equal(np.where(back, owner, neighbour), rows.columns)
    assert np.array_equal(rows.faces[rows.upper] >> 1, np.arange(stencil.inner))
    assert np.array_equal(np.sort(rows.boundary_faces), np.arange(stencil.boundary_count))


def test_large_meshes_give_the_same_on_any_number_of_threads():
    usual = numba.get_num_threads()
    found = []
    for threads in (1, numba.config.NUMBA_NUM_THREADS):
        numba.set_num_threads(threads)
        flow = cube_flow(28)
        for _ in range(4):
            flow.iterate()
        found.append(flow.velocity.copy())
    numba.set_num_threads(usual)
    assert np.array_equal(found[0], found[1])


def test_gradients_are_exact_where_many_threads_gather():
    stencil = Stencil(block(28))
    slope = np.array([1.0, -2.0, 0.5])
    found = gradient(
        stencil,
        stencil.every_boundary,
        stencil.mesh.centre @ slope,
        stencil.mesh.face_centres(slice(stencil.inner, None)) @ slope,
    )
    assert np.abs(found - slope).max() < 1e-10


def test_what_a_stream_carries_is_solved_by_our_own_cycles():
    """Against a direct solver, at a Péclet number of a cell of 10."""
    stencil = Stencil(block(18))
    flux = stencil.area @ np.array([1.0, 0.3, -0.2])
    conduct = 0.1 * stencil.geometric_diffusion[: stencil.inner] / 18
    through = flux[: stencil.inner]
    upper, lower = np.minimum(through, 0) - conduct, -np.maximum(through, 0) - conduct
    edge = np.bincount(stencil.face_cell, np.maximum(-flux[stencil.inner :], 0), stencil.cells)
    matrix = Matrix.of_faces(stencil, edge, upper, lower)
    matrix.diagonal[:] -= np.bincount(stencil.owner[: stencil.inner], upper, stencil.cells)
    matrix.diagonal[:] -= np.bincount(stencil.neighbour, lower, stencil.cells)
    right = np.random.default_rng(3).standard_normal(stencil.cells)
    value = GeneralSolver().solve(matrix, None, right, 1e-3)
    assert np.linalg.norm(right - matrix.csr() @ value) < 1.1e-3 * np.linalg.norm(right)


def test_the_parts_of_an_iteration_are_loops_that_it_has():
    flow = cube_flow(12)
    with chunks.clocked() as seconds:
        flow.iterate()
    wanted = {loop for part, loops in PARTS.items() for loop in loops if part != "multigrid"}
    assert wanted <= set(seconds)
    assert min(seconds.values()) > 0
    before = dict(seconds)
    flow.iterate()
    assert seconds == before
