"""What porous bodies take of the pressure: −∇p = (D + F |u|) u, with D in Pa s/m² and F in Pa s²/m³."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.formulas.tables import KnownTable
from brook.core.study import Resolved
from brook.core.units import DIMENSIONS

AXES = ("x", "y", "z")


@dataclass(frozen=True)
class Fitted:
    """Through points of pressure against speed: D and F along the sample, and the largest `miss`, over the largest pressure."""

    linear: float
    square: float
    miss: float


def fitted(table: KnownTable, thick: float) -> Fitted:
    """Δp/L = D u + F u² by least squares, neither of them negative. Raises `ValueError` for a table of something else."""
    if table.dimension != DIMENSIONS["pressure"] or table.along != DIMENSIONS["speed"]:
        raise ValueError("a porous body is fitted to a table of pressure against speed, for example in Pa and m/s")
    u, drop = np.asarray(table.places, float), np.asarray(table.values, float) / thick
    if not (u > 0).any():
        raise ValueError("a porous body is fitted to speeds of more than zero")
    columns = np.stack([u, u * np.abs(u)], axis=1)
    tries = [np.linalg.lstsq(columns, drop, rcond=None)[0]]
    if (tries[0] < 0).any():
        tries = [np.array([max(columns[:, 0] @ drop / (u @ u), 0.0), 0.0]), np.array([0.0, max(columns[:, 1] @ drop / (columns[:, 1] @ columns[:, 1]), 0.0)])]  # fmt: skip
    best = min(tries, key=lambda found: float(((columns @ found - drop) ** 2).sum()))
    if not best.any():
        raise ValueError("the pressure of that table falls as the speed grows: nothing resists so")
    miss = float(np.abs(columns @ best - drop).max() / np.abs(drop).max())
    return Fitted(float(best[0]), float(best[1]), miss)


def coefficients(said: Resolved, viscosity: float, density: float, table: KnownTable | None) -> tuple[float, float]:
    """D and F along the axis. Raises `ValueError` for a table of something else."""
    if table is not None:
        found = fitted(table, said.thick)
        return found.linear, found.square
    return viscosity / said.permeability, said.loss * density / 2


def by_direction(said: Resolved, size: float) -> np.ndarray:
    """The tensor (3, 3) of a coefficient."""
    if said.axis == "any":
        return size * np.eye(3)
    found = np.full(3, size * said.sideways)
    found[AXES.index(said.axis)] = size
    return np.diag(found)
