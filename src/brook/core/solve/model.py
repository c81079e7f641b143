"""What a flow is made of besides its mesh, its fluid and its boundaries: each a part of its own, none of which knows the others.

A `Contribution` changes the medium, a `MomentumSource` pushes or holds the fluid, a `CoupledEquation` is solved after
momentum and mass in each iteration.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

import numpy as np

from brook.core.solve.fields import Fields
from brook.core.solve.frame import TurningFrame
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeLevel
from brook.core.solve.within.acting import NOTHING_ACTS, Acts

if TYPE_CHECKING:
    from brook.core.numerics.multigrid import Levels
    from brook.core.solve.coarse import Agglomerates
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.medium import Medium
    from brook.core.solve.momentum import Momentum


@runtime_checkable
class Contribution(Protocol):
    """What changes the medium of some cells and leaves the others as they come."""

    def contribute(self, medium: Medium, flow: FlowSolver, on_boundary: np.ndarray | None) -> Medium:
        """The medium with this in it, for a flow with velocities (B, 3) on boundaries; its gradient is `momentum.gradient`. Without
        them, as it was before."""

    def coarse(self, agglomerates: Agglomerates) -> Contribution | None:
        """The same on agglomerates of cells, None where the medium of the moment will do."""


@runtime_checkable
class MomentumSource(Protocol):
    """What pushes the fluid, or holds it."""

    def force(self, flow: FlowSolver) -> tuple[np.ndarray | None, np.ndarray | None]:
        """On each cell (C, 3): a force in N, and one in N s/m for each m/s against the velocity, at least 0. None is nothing."""

    def coarse(self, agglomerates: Agglomerates) -> MomentumSource | None:
        """The same on agglomerates of cells; None where it has no place there."""


@runtime_checkable
class FaceSteps(Protocol):
    """A momentum source that is told by steps of pressure from cell to cell, which fluxes through faces have to know of."""

    def notes(self, flow: FlowSolver) -> list[str]:
        """What is to be said of it at the end of a run."""
        ...

    def add_fluxes(self, flow: FlowSolver, momentum: Momentum, link: np.ndarray, entries: np.ndarray) -> None:
        """Adds to predicted fluxes (F,) what the steps of the last `force` make of them; how they answer to the pressure is in `link` (inner,)
        and the `entries` (nnz,) of its matrix."""

    def kept(self, flow: FlowSolver) -> tuple[np.ndarray, np.ndarray]:
        """What has to be known of before a correction."""

    def corrected(self, flow: FlowSolver, before: np.ndarray, flux: np.ndarray) -> None:
        """Comes after it, with that."""


class CoupledEquation(Protocol):
    """An equation that is solved with the flux of a flow."""

    name: str
    version: int
    effects: tuple[Any, ...]

    @property
    def acts_on_flow(self) -> bool:
        """Whether the flow depends on it."""

    @property
    def drives_flow(self) -> bool:
        """Whether it moves the flow from rest."""

    @property
    def changes_density(self) -> bool:
        """Whether cells grow heavier and lighter, so that what enters need not leave."""

    def share(self, workspace: np.ndarray, levels: Levels | None, flow: FlowSolver) -> None:
        """May take room that outlives no step, and the levels of a multigrid, from the flow."""

    def begin(self, flow: FlowSolver) -> None:
        """Puts it at its start, with a flow at its own."""

    def follow(self, flow: FlowSolver, left: float) -> float | dict[str, float] | None:
        """One step after one of the flow, of which `left` is left; gives the residual, or those of several equations by their
        names, None where nothing is to be solved. Raises `Diverged`."""

    def act(self, flow: FlowSolver) -> None:
        """What it does to the flow as it stands."""

    def settle(self, flow: FlowSolver) -> list[str]:
        """Goes on alone with the flow as it is until it holds; says where that fell short."""

    def state(self) -> State:
        """Copies of all arrays that the next iteration starts from."""

    def restore(self, state: State, flow: FlowSolver) -> None:
        """Takes over a state. Raises `ValueError` for one of another mesh."""

    def mixed(self) -> list[tuple[np.ndarray, bool]]:
        """Flat arrays that an acceleration mixes with the flow, and whether their steps are judged."""

    def time_level(self, flow: FlowSolver) -> State:
        """What later steps in time need of now."""

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """Begins a step as if the change since `before` went on, `ratio` being this step over the last."""

    def onto(self, fields: Fields) -> Fields:
        """The fields with what this equation knows."""

    def notes(self) -> list[str]:
        """What was held at a limit because nothing is known beyond."""


@dataclass(eq=False)
class GivenForce:
    """A force on each cell (C, 3) in N, as whoever holds it says."""

    value: np.ndarray | None

    def force(self, flow: Any) -> tuple[np.ndarray | None, None]:
        """The force as it was given; nothing holds the fluid."""
        return self.value, None

    def coarse(self, agglomerates: Agglomerates) -> GivenForce | None:
        """Its sums over agglomerates of cells."""
        return None if self.value is None else GivenForce(agglomerates.summed(self.value))


@dataclass(frozen=True, eq=False)
class FlowModel:
    """All parts of a flow."""

    contributions: tuple[Contribution, ...] = ()
    sources: tuple[MomentumSource, ...] = ()
    equations: tuple[CoupledEquation, ...] = ()
    told: tuple[str, ...] = ()
    acts: Acts = NOTHING_ACTS
    frame: TurningFrame | None = None

    @classmethod
    def of(cls, *parts: Any, told: Sequence[str] = (), acts: Acts = NOTHING_ACTS) -> FlowModel:
        """Each part where it belongs, and what an equation does to the flow, its `effects`, too; what is `told` of them, and what `acts` by
        the time."""
        parts = tuple(p for part in parts if part is not None for p in (part, *getattr(part, "effects", ())))
        return cls(
            tuple(p for p in parts if isinstance(p, Contribution)), tuple(p for p in parts if isinstance(p, MomentumSource)),
            tuple(p for p in parts if hasattr(p, "follow")), tuple(told), acts,
            next((p for p in parts if isinstance(p, TurningFrame)), None),
        )  # fmt: skip

    def coarse(self, agglomerates: Agglomerates) -> FlowModel:
        """What of it holds on agglomerates of cells: equations stand still there, and so does what they do to the medium."""
        contributions = (c.coarse(agglomerates) for c in self.contributions)
        sources = (s.coarse(agglomerates) for s in self.sources)
        return FlowModel(tuple(c for c in contributions if c is not None), tuple(s for s in sources if s is not None))

    @property
    def steps(self) -> FaceSteps | None:
        """What makes steps of pressure between cells."""
        return next((source for source in self.sources if isinstance(source, FaceSteps)), None)

    def forces(self, flow: FlowSolver) -> Iterator[tuple[np.ndarray | None, np.ndarray | None]]:
        """What each momentum source does to the flow."""
        return (source.force(flow) for source in self.sources)
