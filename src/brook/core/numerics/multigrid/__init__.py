"""Multigrid over aggregates of cells, as a preconditioner of conjugate gradients."""

from brook.core.numerics.multigrid.solver import Levels, OwnMultigrid

__all__ = ["Levels", "OwnMultigrid"]
