"""What drives a flow through periodic pairs: a mean gradient of pressure, given or found for a mass flow.

p = p' − g·x, where p' is periodic and g·d the drop over a shift d. Patankar, Liu & Sparrow (1977, J. Heat Transfer 99).
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from brook.core.numerics import Stencil, face_mean
from brook.core.solve.continuity import Answer, project
from brook.core.solve.fields import Fields
from brook.core.solve.model import GivenForce
from brook.core.solve.states import State
from brook.core.solve.time_levels import TimeLevel

if TYPE_CHECKING:
    from brook.core.numerics.multigrid import Levels
    from brook.core.physics.conditions import Driven
    from brook.core.solve.flow import FlowSolver

ASKEW = 1e-9  # of its length: by how much a gradient may change when it is turned
STILL = 1e-300
OTHER_STEP = 0.1  # of the last: by how much a step in time may differ without an answer of its own
CLOSED = 1e-6  # of the largest flux that a drop makes: less through the pair is none
FASTER, SLOWER = 4.0, 0.5  # by which a flow may be made faster or slower at once
QUICKENED = 0.7  # of what a friction in proportion to the speed would ask for: it may grow by the square


class Drive:
    """`drops` (n,) in Pa over each pair, from its patch to its partner."""

    name, version = "drive", 1
    acts_on_flow = True
    drives_flow = changes_density = False

    def __init__(self, stencil: Stencil, driven: dict[str, Driven]):
        """Raises `ValueError` for a pair that is turned and driven, or turned out of the direction of another drive."""
        self._joints = stencil.halo.joints
        self.drops = np.zeros(len(self._joints))
        shifts = np.array([np.zeros(3) if j.turn is not None else j.shift for j in self._joints]).reshape(-1, 3)
        self._along = np.linalg.pinv(shifts)  # (3, n): what a drop over each makes of the mean gradient
        for k, joint in enumerate(self._joints):
            if joint.patch not in driven or driven[joint.patch].kind == "none":
                continue
            if joint.turn is not None:
                raise ValueError(
                    f"{joint.patch} is turned onto {joint.other}, and no drop of pressure drives a flow round: drive it by a "
                    "wall, or a pair that is shifted"
                )
            for other in self._joints:
                along = self._along[:, k]
                if other.turn is not None and np.linalg.norm(other.turn @ along - along) > ASKEW * np.linalg.norm(
                    along
                ):
                    raise ValueError(
                        f"what drives through {joint.patch} has to go along the axis that {other.patch} turns about"
                    )
        self._answers: dict[int, Answer] = {}  # of the flow to a drop of 1 Pa over a pair
        self._done, self._next = 0, 1  # iterations, and the one in which these are found anew
        self._rate, self._fresh = (
            0.0,
            True,
        )  # of the step in time for which they were found, in 1/s, and whether they are anew
        self._weight = GivenForce(None)
        self.effects: tuple[Any, ...] = (self._weight,)
        middles = stencil.mesh.face_centres(slice(stencil.inner - len(stencil.halo), stencil.inner))
        moved = [k for k in range(len(self._joints)) if shifts[k].any()]
        self._end = middles[self._joints[moved[0]].far].mean(axis=0) if moved else np.zeros(3)

    @property
    def gradient(self) -> np.ndarray:
        """The mean gradient g (3,) in Pa/m: the force on each m³ that drives."""
        return self._along @ self.drops

    def share(self, workspace: np.ndarray, levels: Levels | None, flow: FlowSolver) -> None:
        """Needs no room."""

    def follow(self, flow: FlowSolver, left: float) -> float | None:
        """Brings the mass flow through each pair for which one is given to that; gives how far it was off, None where nothing
        is to be found."""
        off = None
        self._done += 1
        rate = 0.0 if flow.time_scheme is None else flow.time_scheme.now
        self._fresh = self._done >= self._next or abs(rate - self._rate) > OTHER_STEP * self._rate
        for k, joint in enumerate(self._joints):
            said = flow.conditions.driven.get(joint.patch)
            if said is not None and said.kind == "mass_flow":
                off = max(off or 0.0, self._towards(flow, k, said.value))
        if self._fresh:
            self._rate, self._next = rate, max(self._next, 2 * self._done)
        if off is None:
            self._quicken(flow)
        self.act(flow)
        return off

    def _quicken(self, flow: FlowSolver) -> None:
        """Of a flow that only a given drop moves, all is made faster or slower by what friction lacks of the force that drives:
        iterations alone creep there, as nothing else holds the mean flow."""
        g, s = self.gradient, flow.stencil
        size = float(np.linalg.norm(g))
        if (
            not size > 0
            or flow.time_scheme is not None
            or flow.conditions.velocity.any()
            or not flow.conditions.is_closed
        ):
            return
        force = size * float(s.mesh.volume.sum())
        lacks = float(flow.momentum.still_unbalanced(flow) @ g) / size
        friction = max(force - lacks, force / (1 + FASTER))
        more = QUICKENED * max(lacks / friction, -SLOWER)
        flow.velocity *= 1 + more
        flow.flux *= 1 + more

    def _towards(self, flow: FlowSolver, k: int, wanted: float) -> float:
        s, along = flow.stencil, self._along[:, k]
        faces = s.mesh.inner_count + self._joints[k].near
        if self._fresh:
            gives = face_mean(s, flow.medium.density * flow.momentum.simplec_coefficient)
            self._answers[k] = flow.mass.answers(flow, gives * (s.area[: s.inner] @ along), along)
        here = -float(flow.flux[faces].sum())
        size = max(abs(wanted), float(np.abs(flow.flux[faces]).sum()))
        answer = -float(self._answers[k].flux[faces].sum())
        if not abs(answer) > CLOSED * float(np.abs(self._answers[k].flux).max()):
            from brook.core.solve.flow import Diverged

            place = s.mesh.face_centres(slice(faces[0], faces[0] + 1))[0]
            raise Diverged("mass flow", place, f"walls close the way from {self._joints[k].patch} to its partner")
        change = (wanted - here) / answer
        self.drops[k] += change
        self._answers[k].add(flow, change)
        return abs(wanted - here) / max(size, STILL)

    def begin(self, flow: FlowSolver) -> None:
        """No drop; from rest to potential flow with the mass that is to pass each pair, so that nothing begins with the friction of
        what stands."""
        self.drops[:], self._done, self._next = 0.0, 0, 1
        for k, joint in enumerate(self._joints):
            said = flow.conditions.driven.get(joint.patch)
            if said is not None and said.kind == "mass_flow" and said.value:
                self._set_going(flow, k, said.value)

    def set_going(self, flow: FlowSolver, speed: float) -> None:
        """From rest to potential flow of about a speed in m/s through each pair that a given drop drives: as a start that eddies do not
        have to hold back first."""
        for k, joint in enumerate(self._joints):
            said = flow.conditions.driven.get(joint.patch)
            if said is not None and said.kind == "drop" and said.value:
                faces = flow.stencil.mesh.inner_count + joint.near
                size = np.linalg.norm(flow.stencil.area[faces], axis=1)
                self._set_going(
                    flow, k, float(np.sign(said.value) * speed * size @ flow.medium.density_of_faces()[faces])
                )

    def _set_going(self, flow: FlowSolver, k: int, mass: float) -> None:
        """To potential flow of a mass in kg/s through the k-th pair."""
        s = flow.stencil
        faces, along = s.mesh.inner_count + self._joints[k].near, self._along[:, k]
        before, flow.flux = flow.flux, np.zeros(s.active)
        flow.flux[: s.inner] = flow.medium.density_of_faces() * (s.area[: s.inner] @ along)
        velocity = along + project(flow, 1e-6)
        through = -float(flow.flux[faces].sum())
        if abs(through) > CLOSED * float(np.abs(flow.flux).max()):
            before = before + mass / through * flow.flux
            flow.velocity += mass / through * velocity
        flow.flux = before

    def act(self, flow: FlowSolver) -> None:
        """Gives the flow the force of the mean gradient as it is now."""
        for k, joint in enumerate(self._joints):
            said = flow.conditions.driven.get(joint.patch)
            if said is not None and said.kind == "drop":
                self.drops[k] = said.value
        self._weight.value = flow.stencil.mesh.volume[:, None] * self.gradient

    def settle(self, flow: FlowSolver) -> list[str]:
        """Nothing: it stands with the flow."""
        return []

    def state(self) -> State:
        """The drops."""
        return {"drops": self.drops.copy()}

    def restore(self, state: State, flow: FlowSolver) -> None:
        """Takes over a state. Raises `ValueError` for one of other pairs."""
        if state:
            if state["drops"].shape != self.drops.shape:
                raise ValueError("what drives the start state goes through other periodic pairs")
            self.drops[:] = state["drops"]
        self.act(flow)

    def mixed(self) -> list[tuple[np.ndarray, bool]]:
        """The drops, which go with the flow."""
        return [(self.drops, False)]

    def time_level(self, flow: FlowSolver) -> State:
        """Nothing: a drop has no past."""
        return {}

    def extrapolate(self, now: TimeLevel, before: TimeLevel, ratio: float) -> None:
        """A step begins with the drop of the last one."""

    def onto(self, fields: Fields) -> Fields:
        """The fields with the pressure as a whole: that which is periodic falls along the way, to nothing at its end."""
        s, g = fields.stencil, self.gradient
        at = s.mesh.face_centres(slice(s.inner, s.active))
        cells, faces = ((places - self._end) @ g for places in (s.mesh.centre, at))
        return replace(fields, pressure=fields.pressure - cells, boundary_pressure=fields.boundary_pressure - faces)

    def notes(self) -> list[str]:
        """Nothing is ever held at a limit."""
        return []
