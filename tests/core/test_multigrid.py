"""The own multigrid: right answers on all kinds of meshes, in few iterations, the same for any number of threads."""

import numba
import numpy as np
import pytest
import scipy.sparse.linalg

from brook.core.numerics import Matrix, Stencil, convection, laplacian
from brook.core.numerics.general import Coupling, GeneralSolver
from brook.core.numerics.linear import LibraryMultigrid
from brook.core.numerics.multigrid import OwnMultigrid
from brook.core.numerics.multigrid.hierarchy import Hierarchy
from brook.core.verification.manufactured import block, cut, hanging
from tests.core.meshes import box_mesh
from tests.core.test_ordered import made, sheet


def thin(first):
    """Layers so thin along two walls of a square of 1 m."""
    rows = [{"to": "1 m", "cells": 80, "first": f"{first} m", "last": f"{first} m"}]
    return made(sheet(columns=[{"to": "1 m", "cells": 60}], rows=rows, depth="1 m"))


MESHES = {"block": lambda: block(24), "bent": lambda: block(20, True), "hanging": lambda: hanging(12), "cut": lambda: cut(20),
          "layers": lambda: thin(1.5e-5)}  # fmt: skip


def system(mesh, changed=False):
    """A Neumann-only problem whose level is held by its first row."""
    stencil = Stencil(mesh)
    coefficient = 1.0
    if changed:
        coefficient = 1.0 + 0.9 * np.sin(7 * mesh.face_centres(slice(mesh.inner_count))).prod(axis=1)
    positive = laplacian(stencil, -coefficient)
    diagonal = positive.diagonal.copy()
    diagonal[0] *= 2
    right = np.random.default_rng(1).standard_normal(stencil.cells)
    return Matrix(stencil, diagonal, positive.entries), right - right.mean()


@pytest.mark.parametrize("name", MESHES)
def test_the_answer_is_that_of_a_direct_solver_in_few_iterations(name):
    matrix, right = system(MESHES[name]())
    solver = OwnMultigrid()
    value, _ = solver.solve(matrix, right, 1e-10)
    exact = scipy.sparse.linalg.spsolve(matrix.csr().tocsc(), right)
    assert np.linalg.norm(value - exact) <= 1e-6 * np.linalg.norm(exact)
    assert np.linalg.norm(right - matrix.csr() @ value) <= 1.01e-10 * np.linalg.norm(right)
    _, rough = solver.solve(matrix, right, 1e-2)
    assert rough <= (12 if name == "layers" else 7)


def test_iterations_hardly_grow_with_the_mesh():
    counts = [OwnMultigrid().solve(*system(block(n)), 1e-8)[1] for n in (10, 20, 40)]
    assert counts[-1] <= counts[0] + 6


def test_new_coefficients_refill_the_hierarchy_of_the_mesh():
    mesh = box_mesh((16, 16, 16), bend=0.01)
    stencil = Stencil(mesh)
    solver = OwnMultigrid()
    for changed in (False, True):
        matrix, right = system(mesh, changed)
        matrix = Matrix(stencil, matrix.diagonal, matrix.entries)
        value, count = solver.solve(matrix, right, 1e-8)
        fresh, fresh_count = OwnMultigrid().solve(matrix, right, 1e-8)
        library, _ = LibraryMultigrid().solve(matrix, right, 1e-8)
        assert np.linalg.norm(value - library) <= 1e-5 * np.linalg.norm(library)
        assert np.linalg.norm(fresh - library) <= 1e-5 * np.linalg.norm(library)
        assert count <= fresh_count + 4


def test_a_cycle_is_symmetric_and_positive_where_no_steps_are_taken():
    matrix, _ = system(block(8))
    hierarchy = Hierarchy(
        matrix.stencil.rows.order,
        matrix.stencil.rows.columns,
        matrix.entries.astype(np.float32),
        matrix.diagonal.astype(np.float32),
    )
    random = np.random.default_rng(2)
    a, b = (random.standard_normal(512).astype(np.float32) for _ in range(2))
    at_a, at_b = np.zeros(512, np.float32), np.zeros(512, np.float32)
    hierarchy.cycle(a, at_a)
    hierarchy.cycle(b, at_b)
    assert float(a @ at_b) == pytest.approx(float(b @ at_a), rel=1e-4)
    assert float(a @ at_a) > 0


def test_threads_do_not_change_the_answer():
    matrix, right = system(block(32))
    most = numba.get_num_threads()
    found = []
    for threads in (1, most):
        numba.set_num_threads(threads)
        found.append(OwnMultigrid().solve(matrix, right, 1e-6)[0])
    numba.set_num_threads(most)
    assert np.array_equal(found[0], found[1])


@pytest.mark.parametrize("carries", [False, True])
def test_cells_without_a_common_face_are_coupled(carries):
    """Two sides of a block with bad conductors near one, as walls between bodies couple them; some pairs twice."""
    matrix, right = system(block(24))
    stencil = matrix.stencil
    if carries:
        flux = np.zeros(stencil.active)
        flux[: stencil.inner] = 0.3 * stencil.area[: stencil.inner, 0]
        matrix = matrix + convection(stencil, flux)
    one = np.nonzero(stencil.centre[:, 2] < 1 / 24)[0]
    other = np.nonzero(stencil.centre[:, 2] > 23 / 24)[0]
    one, other = (np.concatenate([cells, cells[:50]]).astype(np.int32) for cells in (one, other))
    through = np.linspace(0.1, 10.0, len(one)) / 24
    for cells in (one, other):
        np.add.at(matrix.diagonal, cells, through)
    coupling = Coupling(one, other, -through)
    solver = GeneralSolver()
    whole = matrix.csr() + coupling.csr(stencil.cells)
    assert solver._ours
    for _ in range(2):
        value = solver.solve(matrix, coupling, right, 1e-4, symmetric=not carries)
        assert np.linalg.norm(right - whole @ value) <= 2e-4 * np.linalg.norm(right)
    assert solver._ours
    exact = scipy.sparse.linalg.spsolve(whole.tocsc(), right)
    assert value == pytest.approx(exact, abs=2e-3 * np.abs(exact).max())
