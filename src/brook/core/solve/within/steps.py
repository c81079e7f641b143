"""What stands in a flow and takes of its pressure, or adds to it: porous bodies, screens between cells, and pushes.

Fans between cells are screens that give. All are told as steps of pressure from cell to cell: over a face, s = ∫ (D + F |u|) u·dr from one middle to the next, and ζ ρ u²/2 more where a screen
stands between, and less by ∫ f·dr of a push f. A cell feels p + s, what is left of the pressure when the steps are taken off it, by Gauss: half of a step, Σ_f (1 − w) (Δp + s) S, where both sides
hold alike. Where one side holds far more, the pressure on the face is that of the softer side, carried on by its own gradient as towards a wall, and the harder
side feels the rest; beside a screen both sides carry on their own. The fluxes of Rhie & Chow look at p + s too. Where a flow is the same
everywhere but for what stands in it, the pressure falls by just these steps and nothing else moves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from brook.core.numerics import Stencil
from brook.core.solve.within.blowers import Blower

if TYPE_CHECKING:
    from brook.core.solve.coarse import Agglomerates
    from brook.core.solve.flow import FlowSolver
    from brook.core.solve.momentum import Momentum

HARDER = 2.0  # times as much as the other side
SINGULAR = 1e-9
DEEP = 3  # how many sides may follow each other, each harder than the one before


@dataclass(frozen=True, eq=False)
class _Split:
    """Of faces (n,): whether the `first` and the `second` cell carry their pressure on to it, which faces have such a cell."""

    first: np.ndarray
    second: np.ndarray
    carried: np.ndarray

    def alike(self, other: _Split) -> bool:
        """Whether the same faces are carried on to from the same sides."""
        return (
            np.array_equal(self.first, other.first)
            and np.array_equal(self.carried, other.carried)
            and np.array_equal(self.second, other.second)
        )

    def of_first(self, half: np.ndarray) -> np.ndarray:
        """What part of a step the first cell feels, where `half` of it is usual."""
        return np.where(self.carried, np.where(self.first, 0.0, 1.0), half)

    def of_second(self, half: np.ndarray) -> np.ndarray:
        """The same of the second one."""
        return np.where(self.carried, np.where(self.second, 0.0, 1.0), half)


@dataclass(frozen=True, eq=False)
class _End:
    """Of faces (n,): the `cell` on one side, the `line` (n, 3) from its middle to the face, the area vectors (n, 3) `out` of it, and whether it carries its
    pressure on."""

    cell: np.ndarray
    line: np.ndarray
    out: np.ndarray
    soft: np.ndarray


@dataclass(frozen=True, eq=False)
class _Carried:
    """Faces (n,) to which pressures are carried on, their two ends, the `cells` (k,) there, the `place` (C,) of each among them, and what makes a gradient of
    what else they feel, `inverse` (k, 3, 3)."""

    faces: np.ndarray
    ends: tuple[_End, _End]
    cells: np.ndarray
    place: np.ndarray
    inverse: np.ndarray


@dataclass(frozen=True, eq=False)
class Screens:
    """Inner `faces` (n,) between whose cells a screen stands, which `axis` (n,) it stands across, +1 or -1 for faces that look along it,
    and ζ (n,)."""

    faces: np.ndarray
    axis: np.ndarray
    sign: np.ndarray
    loss: np.ndarray

    @classmethod
    def none(cls) -> Screens:
        """No screen anywhere."""
        return cls(np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0), np.zeros(0))


class PressureSteps:
    """`linear` (C, 3) in 1/m² and `square` (C, 3) in 1/m, along each axis: D = linear μ, F = square ρ. After `force`: `steps` (n,) in Pa over the inner
    faces `faces` (n,) of all cells that feel anything."""

    def __init__(
        self, stencil: Stencil, linear: np.ndarray, square: np.ndarray, screens: Screens, push: np.ndarray | None = None,
        pushed: np.ndarray | None = None, blowers: Sequence[Blower] = (),
    ):  # fmt: skip
        """`push` (C, 3) in N, which may change, acts on the cells that are `pushed` (C,)."""
        self.blowers = tuple(blowers)
        s = self.stencil = stencil
        self.linear, self.square, self.screens, self.push = linear, square, screens, push
        count, inner = s.cells, s.inner
        feels: np.ndarray = (linear + square > 0).any(axis=1)
        if pushed is not None:
            feels = feels | pushed
        behind = np.concatenate([np.arange(count), s.halo.source]) if len(s.halo) else np.arange(count)
        self._behind = behind
        at_screen = np.zeros(inner, bool)
        for faces in (screens.faces, *(b.faces for b in self.blowers)):
            at_screen[faces] = True
        owner, neighbour = s.owner[:inner], behind[s.neighbour]
        drags = feels[owner] | feels[neighbour] | at_screen
        touched = feels.copy()
        touched[owner[drags]] = touched[neighbour[drags]] = True
        beside = (
            touched[owner] | touched[neighbour]
        )  # where one cell is held and the next is not, its fluxes move that one too
        touched[owner[beside]] = touched[neighbour[beside]] = True
        self.faces = np.nonzero(touched[owner] | touched[neighbour])[0]
        self._place = np.zeros(inner, np.int64)
        self._place[self.faces] = np.arange(len(self.faces))
        self._rim = np.nonzero(touched[s.face_cell])[0]  # boundary faces
        self._line = s.centre[s.neighbour[self.faces]] - s.centre[s.owner[self.faces]]
        self._skew = s.skew[self.faces].astype(float) if len(s.skew) else None
        self.cells = np.nonzero(touched)[0]
        self.steps, self._rim_steps = np.zeros(len(self.faces)), np.zeros(len(self._rim))
        self._steeper, self._before = np.zeros(len(self.faces)), np.zeros(len(self.faces))
        self._own = s.neighbour[self.faces] < s.cells
        self._w, self._area = s.weight[self.faces], s.area[self.faces]
        self._size, self._reach = np.linalg.norm(self._area, axis=1), np.abs(self._line * self._area)
        self._p, self._beyond = owner[self.faces], s.neighbour[self.faces]
        self._n = behind[self._beyond]
        self._held: tuple[_Split, _Carried] | None = None
        self._at_screen = at_screen[self.faces] & self._own
        self._pull = np.zeros((count, 3))  # the force on each cell, in N
        self._spread = self._spreads()

    def force(self, flow: FlowSolver) -> tuple[np.ndarray, np.ndarray]:
        """On each cell (C, 3): a force in N and what of it grows with the velocity."""
        s, w, density = self.stencil, self._w, flow.medium.density
        v = 1 - w
        linear, square = self.linear * flow.medium.molecular[:, None], self.square * density[:, None]
        p, n, beyond, own, area = self._p, self._n, self._beyond, self._own, self._area
        seen = s.across(flow.velocity)
        rho = w * density[p] + v * density[n]
        velocity = _passing(w[:, None] * seen[p] + v[:, None] * seen[beyond], flow.flux[self.faces] / rho, area)
        speed = np.linalg.norm(velocity, axis=1)[:, None]
        held_p, held_n = (linear[c] + square[c] * speed for c in (p, n))
        here, there = held_p * velocity, held_n * velocity
        if self.push is not None:
            pushes = self.push / s.mesh.volume[:, None]
            here, there = here - pushes[p], there - pushes[n]
        self.steps[:] = np.einsum("ij,ij->i", self._line, v[:, None] * here + w[:, None] * there)
        self._add_screens(velocity, rho)
        self._add_blowers(flow.flux, rho)
        # by the speed that boundaries suggest: a side that is harder stays so
        size = (linear + square * flow.reference_speed).sum(axis=1)
        hard_p, hard_n = ((one > HARDER * other) & own for one, other in ((size[p], size[n]), (size[n], size[p])))
        split = _Split(~hard_p | self._at_screen, ~hard_n | self._at_screen, hard_p | hard_n | self._at_screen)
        bent: np.ndarray | float = 0.0
        if self._skew is not None:
            bent = np.einsum("ij,ij->i", self._skew, w[:, None] * here + v[:, None] * there)
        stiff = v[:, None] * (linear[p] + 2 * square[p] * speed) + w[:, None] * (linear[n] + 2 * square[n] * speed)
        stiff *= self._reach
        sink = np.zeros_like(flow.velocity)
        _gather(sink, p, split.of_first(v)[:, None] * stiff)
        _gather(sink, n[own], (split.of_second(w)[:, None] * stiff)[own])
        self._before[:] = flow.flux[self.faces]
        self._feel(flow, split, bent)
        self._feel_rim(flow, linear, square, sink)
        self._hold_cells(flow, linear, square, sink)
        # the pressure moves all components alike: so has what holds them
        sink[:] = sink.max(axis=1)[:, None]
        return self._pull + sink * flow.velocity, sink

    def _feel(self, flow: FlowSolver, split: _Split, bent: np.ndarray | float) -> None:
        """The force on cells by the steps over their faces, and what they carry on of their pressure instead of half a step of it."""
        s, w, pull, p, n, own, area = self.stencil, self._w, self._pull, self._p, self._n, self._own, self._area
        step = s.across(flow.pressure)[self._beyond] - flow.pressure[p]
        pull[:] = 0.0
        plain = ~split.carried
        _gather(pull, p, -np.where(plain, (1 - w) * self.steps + bent, -(1 - w) * step)[:, None] * area)
        _gather(pull, n[own], -(np.where(plain, w * self.steps - bent, -w * step)[:, None] * area)[own])
        if not split.carried.any():
            return
        carried = self._carried(split)
        cells, place, volume = carried.cells, carried.place, s.mesh.volume[carried.cells][:, None]
        base = flow.pressure_gradient[cells] - pull[cells] / volume
        whole, slope = (step + self.steps)[carried.faces], np.zeros((len(cells), 3))
        one, two = carried.ends
        for _ in range(DEEP):  # what is harder than one side may be softer than the next
            right = base.copy()
            for end, other, sign in ((one, two, 1.0), (two, one, -1.0)):
                hard = ~end.soft
                rest = sign * whole[hard] + np.einsum("ij,ij->i", slope[place[other.cell[hard]]], other.line[hard])
                at = place[end.cell[hard]]
                _gather(right, at, rest[:, None] * end.out[hard] / volume[at])
            slope = np.einsum("cij,cj->ci", carried.inverse, right)
        pull[cells] = (flow.pressure_gradient[cells] - slope) * volume

    def _carried(self, split: _Split) -> _Carried:
        """What carries its pressure on to which faces: found once, as long as the same sides are the harder ones."""
        if self._held is not None and self._held[0].alike(split):
            return self._held[1]
        f = np.nonzero(split.carried)[0]
        w, line, area, volume = self._w[f][:, None], self._line[f], self._area[f], self.stencil.mesh.volume
        ends = (
            _End(self._p[f], (1 - w) * line, area, split.first[f]),
            _End(self._n[f], -w * line, -area, split.second[f]),
        )
        cells = np.unique(np.concatenate([end.cell for end in ends]))
        place = np.zeros(self.stencil.cells, np.int64)
        place[cells] = np.arange(len(cells))
        matrix = np.broadcast_to(np.eye(3), (len(cells), 3, 3)).copy()
        for end in ends:
            part = -end.out[:, :, None] * end.line[:, None, :] / volume[end.cell][:, None, None]
            np.add.at(matrix, place[end.cell[end.soft]], part[end.soft])
        self._held = split, _Carried(f, ends, cells, place, np.linalg.pinv(matrix, rcond=SINGULAR))
        return self._held[1]

    def _add_screens(self, velocity: np.ndarray, rho: np.ndarray) -> None:
        """ζ ρ |u| u/2 of each screen, u being the velocity along its axis, and how much more that is for each kg/s more."""
        s, screens = self.stencil, self.screens
        at = self._place[screens.faces]
        through, area = velocity[at, screens.axis], s.area[screens.faces]
        self.steps[at] += screens.sign * screens.loss * rho[at] * np.abs(through) * through / 2
        across = np.abs(area[np.arange(len(at)), screens.axis])
        self._steeper[:] = 0.0
        self._steeper[at] = screens.loss * np.abs(through) * across / np.einsum("ij,ij->i", area, area)

    def _add_blowers(self, flux: np.ndarray, rho: np.ndarray) -> None:
        """What fans add."""
        for blower in self.blowers:
            at = self._place[blower.faces]
            steps, steeper = blower.steps(flux[blower.faces], rho[at])
            self.steps[at] += steps
            self._steeper[at] += steeper

    def notes(self, flow: FlowSolver) -> list[str]:
        """What is to be said of fans, of a flow."""
        found = []
        for blower in self.blowers:
            at = self._place[blower.faces]
            rho = self._w[at] * flow.medium.density[self._p[at]] + (1 - self._w[at]) * flow.medium.density[self._n[at]]
            found += blower.notes(flow.flux[blower.faces], rho)
        return found

    def _feel_rim(self, flow: FlowSolver, linear: np.ndarray, square: np.ndarray, sink: np.ndarray) -> None:
        """What the way to boundary faces takes."""
        s, cell = self.stencil, self.stencil.face_cell[self._rim]
        area = s.area[s.inner + self._rim]
        rho = flow.medium.on_boundary[self._rim]
        velocity = _passing(flow.velocity[cell], flow.flux[s.inner + self._rim] / rho, area)
        speed = np.linalg.norm(velocity, axis=1)[:, None]
        here = (linear[cell] + square[cell] * speed) * velocity
        if self.push is not None:
            here -= self.push[cell] / s.mesh.volume[cell][:, None]
        self._rim_steps[:] = np.einsum("ij,ij->i", s.boundary_line[self._rim], here)
        _gather(self._pull, cell, -self._rim_steps[:, None] * area)
        stiff = np.abs(s.boundary_line[self._rim] * area) * (linear[cell] + 2 * square[cell] * speed)
        _gather(sink, cell, stiff)

    def add_fluxes(self, flow: FlowSolver, momentum: Momentum, link: np.ndarray, entries: np.ndarray) -> None:
        """Puts steps into fluxes of Rhie & Chow: ρ d |S|²/(S·r) ((∇p + g)_f·r − (p_N − p_P) − s), with the mean g of steps in cells as it is
        of pressures. One half of the way may let through far more than the other: d and the `link` (inner,) of a flux to the pressure are those
        of both halves in a row, in the `entries` too."""
        s, faces, medium = self.stencil, self.faces, flow.medium
        alpha = flow.settings.relaxation
        per_time = 0.0 if flow.time_scheme is None else flow.time_scheme.now
        mean = -self._pull / s.mesh.volume[:, None]
        w, p, n, beyond = self._w, self._p, self._n, self._beyond
        rho, geometric = w * medium.density[p] + (1 - w) * medium.density[n], s.geometric_diffusion[faces]

        def along(slope: np.ndarray) -> np.ndarray:
            between = w[:, None] * slope[p] + (1 - w)[:, None] * s.across(slope)[beyond]
            return np.asarray(np.einsum("ij,ij->i", between, self._line))

        def gives(both: np.ndarray) -> np.ndarray:
            found = alpha * both
            return np.asarray(found / (1 + found * rho * per_time))

        d, wide = momentum.pressure_coefficient, momentum.simplec_coefficient
        plain, narrow = gives(w * d[p] + (1 - w) * d[n]), gives(1 / ((1 - w) / d[p] + w / d[n]))
        step = s.across(flow.pressure)[beyond] - flow.pressure[p]
        each = (alpha * d / (1 + alpha * d * medium.density * per_time))[:, None]
        flow.flux[faces] += rho * geometric * (
            along(each * (flow.pressure_gradient + mean)) - narrow * (step + self.steps) - plain * (along(flow.pressure_gradient) - step)
        )  # fmt: skip
        if flow.time_scheme is not None:
            flow.flux[faces] -= (narrow - plain) * rho * flow.time_scheme.old_flux[faces]
        # a screen takes more as more goes through: F = F* − b s'(F) (F − F°)
        steeper = rho * geometric * narrow * self._steeper
        flow.flux[faces] = (flow.flux[faces] + steeper * self._before) / (1 + steeper)
        link[faces] = rho * geometric / ((1 - w) / wide[p] + w / wide[n])
        link[faces] /= 1 + link[faces] * self._steeper
        entries[s.rows.upper[faces]] = entries[s.rows.lower[faces]] = -link[faces]
        self._add_at_openings(flow, momentum, mean)

    def _add_at_openings(self, flow: FlowSolver, momentum: Momentum, mean: np.ndarray) -> None:
        s, medium, is_open = self.stencil, flow.medium, np.zeros(self.stencil.boundary_count, bool)
        is_open[flow.open] = True
        at = np.nonzero(is_open[self._rim])[0]
        rim = self._rim[at]
        face, cell = s.inner + rim, s.face_cell[rim]
        gives = flow.settings.relaxation * momentum.pressure_coefficient[cell]
        if flow.time_scheme is not None:
            gives /= 1 + gives * medium.density[cell] * flow.time_scheme.now
        along = np.einsum("ij,ij->i", mean[cell], s.boundary_line[rim])
        flow.flux[face] += medium.on_boundary[rim] * gives * s.geometric_diffusion[face] * (along - self._rim_steps[at])

    def _hold_cells(self, flow: FlowSolver, linear: np.ndarray, square: np.ndarray, sink: np.ndarray) -> None:
        """Steps are made by what goes through faces: a cell that moves otherwise than its faces is held to them by what it would feel itself."""
        s, here = self.stencil, self.cells
        through = np.concatenate([flow.flux[self.faces], flow.flux[s.inner + self._rim]])
        speed = np.linalg.norm(flow.velocity[here], axis=1)[:, None]
        holds = s.mesh.volume[here][:, None] * (linear[here] + square[here] * speed)
        self._pull[here] -= holds * (flow.velocity[here] - self._gathered(flow, through))
        sink[here] = np.maximum(sink[here], holds)

    def _gathered(self, flow: FlowSolver, through: np.ndarray) -> np.ndarray:
        """Velocities (n, 3) of `cells` that carry mass fluxes (n,) through their faces, first inner ones, then those at boundaries."""
        s, medium, w, p, n, count = self.stencil, flow.medium, self._w, self._p, self._n, len(self.faces)
        found = np.zeros((s.cells, 3))
        rho = w * medium.density[p] + (1 - w) * medium.density[n]
        rim = s.area[s.inner + self._rim]
        part = (through[:count] / rho / self._size)[:, None] * self._area
        _gather(found, p, part)
        _gather(found, n[self._own], part[self._own])
        at_rim = (through[count:] / medium.on_boundary[self._rim] / np.linalg.norm(rim, axis=1))[:, None] * rim
        _gather(found, s.face_cell[self._rim], at_rim)
        return np.asarray(np.einsum("cij,cj->ci", self._spread, found[self.cells]))

    def corrected(self, flow: FlowSolver, before: np.ndarray, flux: np.ndarray) -> None:
        """Moves cells from velocities `before` (n, 3) as their fluxes moved since `flux` (n,): a gradient of the correction would mix what
        falls steeply on one side of a cell with what hardly falls on the other."""
        _, now = self.kept(flow)
        flow.velocity[self.cells] = before + self._gathered(flow, now - flux)

    def kept(self, flow: FlowSolver) -> tuple[np.ndarray, np.ndarray]:
        """What `corrected` has to know of before."""
        s = self.stencil
        return flow.velocity[self.cells], np.concatenate([flow.flux[self.faces], flow.flux[s.inner + self._rim]])

    def _spreads(self) -> np.ndarray:
        """(n, 3, 3): what makes a velocity of Σ_f S m/(ρ |S|), the inverse of Σ_f S S/|S|."""
        s = self.stencil
        sums = np.zeros((s.cells, 3, 3))
        own = s.neighbour[self.faces] < s.cells
        for faces, cells in (
            (self.faces, s.owner[self.faces]), (self.faces[own], s.neighbour[self.faces[own]]), (s.inner + self._rim, s.face_cell[self._rim]),
        ):  # fmt: skip
            area = s.area[faces]
            part = area[:, :, None] * area[:, None, :] / np.linalg.norm(area, axis=1)[:, None, None]
            np.add.at(sums, cells, part)
        return np.asarray(np.linalg.pinv(sums[self.cells], rcond=1e-9, hermitian=True))

    def coarse(self, agglomerates: Agglomerates) -> CellDrag:
        """About the same on agglomerates of cells."""
        s, screens = self.stencil, self.screens
        volume = s.mesh.volume[:, None]
        linear, square = volume * self.linear, volume * self.square
        w, across = s.weight[screens.faces], np.abs(s.area[screens.faces, screens.axis])
        p, n = s.owner[screens.faces], self._behind[s.neighbour[screens.faces]]
        np.add.at(square, (p, screens.axis), screens.loss / 2 * (1 - w) * across)
        np.add.at(square, (n, screens.axis), screens.loss / 2 * w * across)
        push = None if self.push is None else agglomerates.summed(self.push)
        return CellDrag(agglomerates.summed(linear), agglomerates.summed(square), push)


@dataclass(frozen=True, eq=False)
class CellDrag:
    """(linear μ + square ρ |u|) u on each cell, along each axis (C, 3): in m and m²; and a push (C, 3) in N."""

    linear: np.ndarray
    square: np.ndarray
    push: np.ndarray | None = None

    def force(self, flow: FlowSolver) -> tuple[np.ndarray, np.ndarray]:
        """On each cell (C, 3): a force in N and what of it grows with the velocity."""
        speed = np.linalg.norm(flow.velocity, axis=1)[:, None]
        size = self.linear * flow.medium.molecular[:, None]
        carried = self.square * (flow.medium.density[:, None] * speed)
        force = carried * flow.velocity
        return force if self.push is None else force + self.push, size + 2 * carried

    def coarse(self, agglomerates: Agglomerates) -> Any:
        """The same on lumps of lumps."""
        push = None if self.push is None else agglomerates.summed(self.push)
        return CellDrag(agglomerates.summed(self.linear), agglomerates.summed(self.square), push)


def _passing(velocity: np.ndarray, through: np.ndarray, area: np.ndarray) -> np.ndarray:
    """Velocities (n, 3) at faces that carry a volume flow (n,) through area vectors (n, 3)."""
    squared = np.einsum("ij,ij->i", area, area)
    lacks = (through - np.einsum("ij,ij->i", velocity, area)) / squared
    found: np.ndarray = velocity + lacks[:, None] * area
    return found


def _gather(into: np.ndarray, cells: np.ndarray, values: np.ndarray) -> None:
    """Adds values (n, 3) to those (C, 3) of cells (n,), as often as they come."""
    for k in range(3):
        into[:, k] += np.bincount(cells, values[:, k], len(into))
