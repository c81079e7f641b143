"""Finite-volume operators, matrices and linear solvers on any polyhedral mesh."""

from brook.core.numerics.matrix import Matrix
from brook.core.numerics.operators import (
    convection,
    correction_of_diffusion,
    correction_of_upwind,
    divergence,
    face_mean,
    gradient,
    laplacian,
    turned_diffusion,
)  # fmt: skip
from brook.core.numerics.stencil import Stencil

__all__ = [
    "Matrix", "Stencil", "convection", "correction_of_diffusion", "correction_of_upwind", "divergence",
    "face_mean", "gradient", "laplacian", "turned_diffusion",
]  # fmt: skip
