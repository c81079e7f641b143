"""The pressure at openings: what is given, and how that changes with what flows through."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import Stencil, gauss_gradient
from brook.core.physics.conditions import Through
from brook.core.solve.curves import at_flow
from brook.core.solve.setup import BoundaryConditions
from brook.core.units import DIMENSIONS, show

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

STEP = 0.3  # of the way that the pressure of what comes back goes in an iteration
GONE = 1e-9  # of what was drawn at most: less is nothing
NEAR = 1e-3  # of a flow, by which the steepness of a curve is looked at
MOSTLY = 0.5  # of what passes a patch: more is its direction
SHORT = 2e-3  # of a pressure, by which one that is still on its way may fall short without being told


@dataclass(eq=False)
class _Patch:
    """An opening whose pressure depends on the flow: its faces among the boundary ones, their areas (n,) in m², how, what it
    loses (n,) and by how much it rises (1,) now, in Pa, and what share of them was still to go."""

    name: str
    here: slice
    size: np.ndarray
    through: Through
    lost: np.ndarray
    risen: np.ndarray
    short: float = 0.0

    @property
    def sign(self) -> int:
        """Which way a rise drives: 1 in, -1 out."""
        return -1 if self.through.draws else 1


class Openings:
    """What is drawn in through openings of a flow.

    What comes back in through faces of a patch that as a whole lets the flow out was at rest outside, at the pressure that is given:
    on these faces it is p − m²/(2 ρ |S|²). With the given one there itself whatever comes in would bring as much energy along as it
    likes, and an eddy that reaches an outlet runs away with the flow.

    Where a patch says so the pressure is p − ζ_in m²/(2 ρ |S|²) where fluid comes in, p + ζ_out m²/(2 ρ |S|²) where it leaves, and more by
    Δp(Q) of the flow Q that comes in through the patch, or less by Δp(Q) + ρ (Q/A)²/2 of the one that is drawn out.
    """

    def __init__(self, stencil: Stencil, open_faces: np.ndarray, conditions: BoundaryConditions):
        self._open, self._stencil = open_faces, stencil
        self._drawn, self._back = np.zeros((2, stencil.boundary_count))
        self._most, self._was, self._at_once = 0.0, False, False
        self._step = 1.0  # what a state that is taken over draws in is drawn at once
        self._volume = float(stencil.mesh.volume.sum())
        self._patches = [
            _Patch(p.name, stencil.boundary_faces(p), stencil.mesh.face_areas(p.faces), conditions.through[p.name], np.zeros(p.count), np.zeros(1))
            for p in stencil.patches if p.name in conditions.through and not stencil.is_agglomerated
        ]  # fmt: skip

    @property
    def depends(self) -> bool:
        """Whether a pressure depends on what flows through."""
        return bool(self._patches)

    @property
    def entering(self) -> np.ndarray:
        """Which of the open faces (n,) are meant to let fluid in."""
        found = np.zeros(self._stencil.boundary_count, bool)
        for patch in self._patches:
            found[patch.here] = patch.through.lets_in
        return found[self._open]

    def at_rest(self, conditions: BoundaryConditions) -> np.ndarray:
        """In Pa on boundaries (B,), where it is given, before anything flows."""
        found = conditions.pressure.copy()
        for patch in self._patches:
            found[patch.here] += patch.sign * _rise(patch, 0.0)
        return found

    def fastest(self, speed: float) -> float:
        """A speed in m/s that the flow begins with, no more than one at which a curve has come down to half of what it gives at rest."""
        for patch in self._patches:
            rest, flow = _rise(patch, 0.0), 1e-6 * float(patch.size.sum())
            while rest > 0 and flow < speed * patch.size.sum() and _rise(patch, flow) > rest / 2:
                flow *= 1.2
            speed = min(speed, flow / float(patch.size.sum())) if patch.through.rise is not None else speed
        return speed

    def pressure(self, conditions: BoundaryConditions) -> np.ndarray:
        """In Pa on boundaries (B,), where it is given: what is given now, less what is drawn."""
        return conditions.pressure - self._drawn if self._drawn.any() else conditions.pressure

    def take_over(self) -> None:
        """Of a state that is taken over: what flows through there holds at once."""
        self._at_once = True

    def mixed(self) -> list[np.ndarray]:
        """What belongs to the state of a flow."""
        return [values for patch in self._patches for values in (patch.lost, patch.risen)]

    def notes(self, flux: np.ndarray, rho: np.ndarray, steady: bool = True) -> list[str]:
        """Of a flow with mass fluxes (B,) in kg/s out through boundaries, and densities (B,) there: patches through which it goes
        the other way than it is meant to, curves that have ended before, and pressures that are still on their way."""
        found = self._brought_along(flux) if steady else []  # what swings to and fro comes in anywhere
        for patch in self._patches:
            flow, said = -patch.sign * float((flux[patch.here] / rho[patch.here]).sum()), patch.through
            if (said.lets_in or said.draws) and flow < 0:
                does, is_to = ("leaves", "come in") if said.lets_in else ("comes in", "leave")
                found.append(
                    f"fluid {does} through {patch.name}, where it is to {is_to}: what is outside elsewhere, or blows elsewhere, is stronger"
                )
            elif said.rise is not None and said.is_beyond(flow):
                found.append(
                    f"the curve at {patch.name} ends before {show(flow, DIMENSIONS['volume_flow'])}, and is taken as level beyond"
                )
            if patch.short > SHORT:
                found.append(
                    f"the pressure at {patch.name} was still {patch.short:.1%} off what flows through asks for: run on"
                )
        return found

    def _brought_along(self, flux: np.ndarray) -> list[str]:
        """Patches with nothing but a static pressure through which fluid comes in all the same."""
        s, found, said = self._stencil, [], {patch.name for patch in self._patches}
        is_open = np.zeros(s.boundary_count, bool)
        is_open[self._open] = True
        for patch in s.patches:
            here = s.boundary_faces(patch)
            if (
                patch.name not in said
                and patch.count
                and is_open[here].all()
                and float(flux[here].sum()) < -MOSTLY * float(np.abs(flux[here]).sum())
            ):
                found.append(
                    f"fluid comes in through {patch.name}, of which only a static pressure is said, and brings along whatever speed it gets there: say that it enters "
                    "from rest, where it comes from a room"
                )
        return found

    def change(self, conditions: BoundaryConditions) -> None:
        """Takes over other values of what is said of patches."""
        for patch in self._patches:
            patch.through = conditions.through[patch.name]

    def follow(self, flow: FlowSolver) -> None:
        """Looks at what flows through now; the pressure gradient follows it."""
        s = self._stencil
        if not len(self._open) or s.is_agglomerated or (flow.medium.eddy is None and not self._patches):
            return
        through, rho = flow.flux[s.inner :], flow.medium.on_boundary
        if flow.medium.eddy is not None:
            self._back += self._step * (self._comes_back(through, rho) - self._back)
            self._most = max(self._most, float(self._back.max()))
            self._back[self._back <= GONE * self._most] = 0.0
            self._step = STEP
        self._drawn = self._back.copy()
        answer = float(s.mesh.volume @ flow.momentum.simplec_coefficient) / self._volume if self._patches else 0.0
        for patch in self._patches:
            self._drawn[patch.here] += self._said(patch, through[patch.here], rho[patch.here], answer)
        self._at_once = False
        if self._drawn.any() or self._was:
            gauss_gradient(s, flow.pressure_fit, flow.pressure, self.pressure(flow.conditions), flow.pressure_gradient)
        self._was = bool(self._drawn.any())

    def _comes_back(self, through: np.ndarray, rho: np.ndarray) -> np.ndarray:
        """What is to be drawn (B,) in Pa where fluid comes back through patches that let it out and say nothing else."""
        s, drawn = self._stencil, np.zeros(self._stencil.boundary_count)
        said = {patch.name for patch in self._patches if patch.through.lets_in or patch.through.draws}
        for patch in s.patches:
            here = s.boundary_faces(patch)
            if patch.name not in said and through[here].sum() > 0:
                drawn[here] = np.minimum(through[here], 0.0) ** 2
        size = np.linalg.norm(s.area[s.inner + self._open], axis=1)
        drawn[self._open] /= 2 * rho[self._open] * size**2
        return drawn

    def _said(self, patch: _Patch, mass: np.ndarray, rho: np.ndarray, answer: float) -> np.ndarray:
        """What a patch draws (n,) in Pa by what it says. A pressure gradient in Pa/m moves the flow by `answer` m/s in an iteration: along a
        curve that is steep for that the rise goes a part of the way only."""
        said = patch.through
        factor = np.where(mass < 0, said.entering, -said.leaving)
        # a cell beside answers to what is drawn by as much again
        slower = 1.0 if self._at_once else 1 + np.abs(factor)
        wanted = factor * mass**2 / (2 * rho * patch.size**2)
        patch.short = _over(np.abs(wanted - patch.lost).max(), np.abs(wanted).max())
        patch.lost += (wanted - patch.lost) / slower
        drawn = patch.lost.copy()
        if said.rise is not None:
            area, dense = float(patch.size.sum()), float(rho.mean())
            flow = max(-patch.sign * float((mass / rho).sum()), 0.0)
            more = flow + NEAR * max(flow, area * answer * abs(float(patch.risen[0])) * area / self._volume)
            # a fan that draws also brings what is dynamic before it to the outside: in the mean, as it would pull jets to itself otherwise
            here, beyond = (_rise(patch, q) + said.draws * dense * (q / area) ** 2 / 2 for q in (flow, more))
            falls = max(here - beyond, 0.0) / (more - flow) if more > flow else 0.0
            beside = area**2 / (dense * more) if more > 0 else 0.0
            slower = 1.0 if self._at_once else 1 + falls * (answer * area**2 / self._volume + beside)
            patch.short = max(
                patch.short, _over(abs(here - float(patch.risen[0])), max(abs(here), abs(_rise(patch, 0.0))))
            )
            patch.risen += (here - patch.risen) / slower
            drawn -= patch.sign * patch.risen
        return drawn


def _over(part: float, whole: float) -> float:
    return float(part / whole) if whole > 0 else 0.0


def _rise(patch: _Patch, flow: float) -> float:
    """The rise in Pa of an opening at a flow in m³/s, nothing where none is said. Raises `ValueError` where its curve has no value."""
    if patch.through.rise is None:
        return 0.0
    return at_flow(patch.through.rise, flow, f"the rise of pressure at {patch.name}")
