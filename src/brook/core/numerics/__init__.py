"""Finite-volume operators, matrices and linear solvers on any polyhedral mesh."""

from brook.core.numerics.matrix import Matrix
from brook.core.numerics.operators import (
    convection,
    divergence,
    face_mean,
    gauss_gradient,
    gradient,
    laplacian,
    partial_gradient,
    turned_at_boundary,
)  # fmt: skip
from brook.core.numerics.stencil import Stencil

__all__ = [
    "Matrix",
    "Stencil",
    "convection",
    "divergence",
    "face_mean",
    "gauss_gradient",
    "gradient",
    "laplacian",
    "partial_gradient",
    "turned_at_boundary",
]  # fmt: skip
