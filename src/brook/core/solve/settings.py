"""How a flow is iterated: all of it in one value, which every restart, gentler start and coarse start takes over whole."""

from __future__ import annotations

from dataclasses import dataclass, replace

from brook.core.numerics.operators import Convection

GENTLE = 0.8  # relaxation of a second start after a first one ran away
TIME_COUPLING = (
    0.85  # of what cells give each other, inertia apart: where friction rules, steps of SIMPLEC's own hardly close
)
TIME_SWEEPS = 2


@dataclass(frozen=True)
class Settings:
    """Convection scheme, under-relaxation of momentum, `coupling` of pressure and velocity (that of the usual start where
    none is given, docs/decisions/0005), symmetric sweeps of momentum, pressure corrections in an iteration (Issa 1986),
    and to what their equation is solved."""

    scheme: Convection = "limited"
    relaxation: float = 0.96
    coupling: float | None = None
    sweeps: int = 8
    corrections: int = 1
    pressure_tolerance: float = 0.05

    @property
    def simplec(self) -> float:
        """The relaxation that the pressure correction sees: a little more resistance than SIMPLEC's own."""
        return 1 - 1.5 * (1 - self.relaxation) if self.coupling is None else self.coupling

    @property
    def is_gentle(self) -> bool:
        """Whether these are the settings of a second, gentler start."""
        return self.relaxation <= GENTLE

    def gentler(self) -> Settings:
        """Those of a second start after a first one ran away."""
        return replace(self, relaxation=GENTLE, coupling=GENTLE)

    def in_time(self, corrections: int) -> Settings:
        """Those of an iteration within a step in time."""
        return replace(self, relaxation=1.0, coupling=TIME_COUPLING, sweeps=TIME_SWEEPS, corrections=corrections)
