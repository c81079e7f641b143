"""Multigrid over aggregates of cells, as a preconditioner of conjugate gradients."""

from brook.core.numerics.multigrid.solver import OwnMultigrid

__all__ = ["OwnMultigrid"]
