"""Operators on straight and bent meshes, against fields whose answer is known."""

import numpy as np
import pytest

from brook.core.numerics import Matrix, Stencil, convection, divergence, gauss_gradient, gradient, laplacian
from brook.core.numerics.linear import LibraryMultigrid
from brook.core.verification import manufactured
from tests.core.meshes import box_mesh


def on_faces(mesh, field):
    return field(mesh.face_centres(slice(mesh.inner_count, None)))


@pytest.mark.parametrize("bend", [0.0, 0.04])
def test_the_gradient_of_a_linear_field_is_exact(bend):
    mesh = box_mesh((6, 5, 4), (2, 1, 1), bend)
    slope = np.array([[1.0, -2.0, 3.0], [0.5, 0.0, 1.0], [-1.0, 4.0, 2.0]])
    stencil = Stencil(mesh)
    found = gradient(stencil, stencil.every_boundary, mesh.centre @ slope.T, on_faces(mesh, lambda x: x @ slope.T))
    assert found == pytest.approx(np.tile(slope, (mesh.cell_count, 1, 1)), abs=1e-9)
    one = gradient(stencil, stencil.every_boundary, mesh.centre @ slope[0], on_faces(mesh, lambda x: x @ slope[0]))
    assert one == pytest.approx(np.tile(slope[0], (mesh.cell_count, 1)), abs=1e-9)


def test_an_even_flow_has_no_divergence_on_a_bent_mesh():
    mesh = box_mesh((5, 5, 5), bend=0.05)
    flux = mesh.face_vector @ np.array([1.0, 2.0, -0.5])
    assert divergence(Stencil(mesh), flux) == pytest.approx(np.zeros(mesh.cell_count), abs=1e-12)


def test_convection_of_a_constant_is_nothing():
    mesh = box_mesh((4, 3, 3), bend=0.05)
    stencil = Stencil(mesh)
    matrix = convection(stencil, mesh.face_vector @ np.array([1.0, -2.0, 0.3])).csr()
    assert matrix @ np.ones(mesh.cell_count) == pytest.approx(np.zeros(mesh.cell_count), abs=1e-12)


def poisson_error(n: int) -> float:
    """Root mean square error of ∇²φ = f with φ = sin πx sin πy sin πz on a straight mesh."""
    mesh = box_mesh((n, n, n))
    stencil = Stencil(mesh)
    exact = np.prod(np.sin(np.pi * mesh.centre), axis=1)
    positive = laplacian(stencil, -1.0)
    diagonal = positive.diagonal.copy()
    np.add.at(diagonal, stencil.face_cell, stencil.geometric_diffusion[stencil.inner :])
    matrix = Matrix(stencil, diagonal, positive.entries)
    value, count = LibraryMultigrid().solve(matrix, 3 * np.pi**2 * exact * mesh.volume, 1e-10)
    assert count < 40
    return float(np.sqrt(np.mean((value - exact) ** 2)))


def test_the_laplacian_is_second_order():
    assert np.log2(poisson_error(6) / poisson_error(12)) > 1.9


@pytest.mark.parametrize(
    ("kind", "known"), [("straight", True), ("straight", False), ("bent", True), ("bent", False), ("cut", True),
                        ("cut", False), ("prisms", True)],
)  # fmt: skip
def test_a_linear_pressure_pushes_every_cell_alike(kind, known):
    mesh = {"straight": lambda: box_mesh((5, 4, 3)), "bent": lambda: box_mesh((5, 5, 5), bend=0.05),
            "cut": lambda: manufactured.cut(12), "prisms": lambda: manufactured.prisms(5)}[kind]()  # fmt: skip
    stencil, slope = Stencil(mesh), np.array([1.0, -2.0, 3.0])
    fit = stencil.fit(np.full(stencil.boundary_count, known))
    found = gauss_gradient(stencil, fit, mesh.centre @ slope, on_faces(mesh, lambda x: x @ slope))
    assert found == pytest.approx(np.tile(slope, (mesh.cell_count, 1)), abs=2e-5)


def test_a_pressure_that_goes_up_and_down_pushes_no_inner_prism():
    """One half of each square at 1, the other at -1: neighbours over all upright sides have the other sign."""
    mesh = manufactured.prisms(6)
    stencil, half = Stencil(mesh), mesh.cell_count // 2
    # mirrored rows: halves meet halves of the other kind over every side between squares
    turned = (np.arange(half) // 6 % 6 % 2).astype(bool)
    value = np.concatenate([np.where(turned, 1.0, -1.0), np.where(turned, -1.0, 1.0)])
    mixed = value[mesh.owner[: mesh.inner_count]] * value[mesh.neighbour]
    upright = np.abs(mesh.face_vector[: mesh.inner_count, 2]) < 1e-12
    inner = np.ones(mesh.cell_count, bool)
    inner[stencil.face_cell] = False
    same = np.unique(
        np.concatenate([a[: mesh.inner_count][upright & (mixed > 0)] for a in (mesh.owner, mesh.neighbour)])
    )
    inner[same] = False
    found = gauss_gradient(stencil, stencil.every_boundary, value, np.zeros(stencil.boundary_count))
    least_squares = gradient(stencil, stencil.every_boundary, value, np.zeros(stencil.boundary_count))
    assert np.abs(found[inner]).max() < 0.35 * np.abs(least_squares[inner]).max()


def test_forces_of_pressure_add_up_to_nothing():
    """What one cell feels its neighbour feels the other way round: together, cells feel what boundaries do."""
    mesh = box_mesh((6, 5, 4))
    stencil = Stencil(mesh)
    value = np.random.default_rng(1).normal(size=mesh.cell_count)
    found = gauss_gradient(stencil, stencil.every_boundary, value, np.zeros(stencil.boundary_count))
    assert (found * mesh.volume[:, None]).sum(axis=0) == pytest.approx(np.zeros(3), abs=1e-13)
