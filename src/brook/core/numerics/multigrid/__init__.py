"""Multigrid over aggregates of cells, as a preconditioner of conjugate gradients."""

from brook.core.numerics.multigrid.solver import Levels, OwnMultigrid, Pattern

__all__ = ["Levels", "OwnMultigrid", "Pattern"]
