"""What every solver can do, whatever its equations are: what runs ask of it."""

from __future__ import annotations

from typing import Protocol

from brook.core.numerics import Stencil
from brook.core.solve.fields import Fields
from brook.core.solve.residuals import Residuals
from brook.core.solve.settings import Settings
from brook.core.solve.setup import BoundaryConditions
from brook.core.solve.states import SolverState
from brook.core.solve.time_levels import TimeLevel, TimeScheme
from brook.core.solve.within.acting import Acts


class Solver(Protocol):
    """A list of equations on one mesh, and where they stand."""

    name: str
    version: int
    settings: Settings
    time_scheme: TimeScheme | None
    reference_speed: float

    @property
    def stencil(self) -> Stencil:
        """What its equations stand on."""

    @property
    def acts(self) -> Acts:
        """What acts in it by the time."""

    @property
    def mixes(self) -> bool:
        """Whether its states may be mixed to come home sooner."""

    @property
    def versions(self) -> dict[str, int]:
        """Of the state of each equation."""

    def iterate(self) -> Residuals:
        """One step towards the answer. Raises `Diverged`, `Unsolved`."""

    def gentler(self) -> Solver:
        """The same from its start, with smaller steps."""

    def state(self) -> SolverState:
        """Copies of all arrays that the next iteration starts from, by equation."""

    def restore(self, state: SolverState) -> list[str]:
        """Takes over a state; says what is not taken over. Raises `ValueError` for one of another kind or mesh."""

    def time_level(self) -> TimeLevel:
        """What later steps in time need of now."""

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """Begins a step as if the change since `before` went on, `ratio` being this step over the last."""

    def courant(self, step: float) -> float:
        """The largest Courant number of a cell for a step in s."""

    def change(self, conditions: BoundaryConditions) -> None:
        """Takes over other values on boundaries of the same kinds. Raises `ValueError` for other kinds."""

    def close(self) -> list[str]:
        """Closes all balances as far as that goes; says where it fell short."""

    def notes(self) -> list[str]:
        """What was held at a limit, or not solved as well as it was asked to be."""

    def backflow(self) -> float:
        """Share of the flow through pressure patches that comes back in."""

    def fields(self) -> Fields:
        """The fields as they are now, which the next iteration writes over."""

    def snapshot(self) -> Fields:
        """A copy of the fields as they are now."""
