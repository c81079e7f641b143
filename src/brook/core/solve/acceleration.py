"""Fewer iterations: the next state is mixed from the last few, so that what they leave is least.

Anderson (1965) with the least-squares form of Walker & Ni (2011). Fields of cells and fluxes of faces are mixed with the
same weights, which keeps mass as well as the states did that go into it, as continuity is linear.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from brook.core.numerics import mixing
from brook.core.numerics.chunks import chunks_of, over
from brook.core.solve.growing import Growth

if TYPE_CHECKING:
    from brook.core.solve.flow import FlowSolver

DEPTH = 5  # states that are mixed at most
FIRST = 5  # iterations before the first mixture
SOON = (3e-2, 40)  # residual, or iterations, from which states are mixed
LATE = (1e-3, 400)  # the same where heat moves the flow
TURBULENT = (3e-3, 100)  # the same where eddies do most of what friction does: mixed sooner, ω runs away
WORSE = 4.0  # times the least residual so far: from there on the past is forgotten
FAR = 30.0  # sum of weights from which a mixture is not to be trusted
FAR_MOVED = 3000.0  # the same where heat moves the flow: near the onset of convection it creeps home
RANKS = (1e-10, 1e-7, 1e-4, 1e-2)  # of the largest: differences that tell less than this are left out


class Acceleration:
    """Mixes the states of a flow. `begin` comes before an iteration, `end` after it, with its residual.

    A flow that is `near` its answer, as one that comes from coarser meshes, is mixed almost from the start: after `first`
    iterations.
    """

    def __init__(self, flow: FlowSolver, near: bool = False, first: int = FIRST):
        self._flow, self._first = flow, first
        self._parts = [_Part(values, judged) for values, judged in flow.mixed()]
        self._gram = np.zeros((DEPTH, DEPTH))
        self._kept, self._next, self._done = 0, 0, 0
        self._least = np.inf
        # a layer at rest that is warm below is a solution too, which plain iterations leave as nature does, mixtures not
        self._from: tuple[float, float] = LATE if flow.is_driven else (np.inf, 0) if near else SOON
        if flow.medium.eddy is not None and not flow.is_driven:
            self._from = TURBULENT
        self._growth = Growth() if flow.is_driven else None
        self._far = FAR_MOVED if flow.is_driven else FAR

    def forget(self) -> None:
        """Begins anew, as for another step in time."""
        self._kept, self._next, self._done, self._least = 0, 0, 0, np.inf

    def begin(self) -> None:
        """Keeps where the state stands before an iteration."""
        for part, (values, _) in zip(self._parts, self._flow.mixed(), strict=True):
            over(part.chunks, mixing.kept, values, part.start)

    def end(self, residual: float) -> None:
        """Puts the mixture in the place of the state."""
        self._done += 1
        if self._growth is not None and self._kept == 0 and self._grows(self._growth):
            return
        if self._done <= self._first or (residual > self._from[0] and self._done <= self._from[1]):
            return
        self._from = (np.inf, 0)
        if residual > WORSE * self._least:
            self._kept, self._next, self._least = 0, 0, residual
        self._least = min(self._least, residual)
        states = [values for values, _ in self._flow.mixed()]
        if self._kept == 0:
            for part, values in zip(self._parts, states, strict=True):
                part.first(values)
        slot = self._next
        used = min(self._kept, DEPTH)
        products, against = np.zeros(DEPTH), np.zeros(DEPTH)
        for part, values in zip(self._parts, states, strict=True):
            one, two = part.compared(values, slot, used)
            products += one
            against += two
        weights = np.zeros(DEPTH)
        if used:
            self._gram[slot, :], self._gram[:, slot] = products, products
            weights[:used] = _least_squares(self._gram[:used, :used], against[:used], self._far)
            self._next = (slot + 1) % DEPTH
        self._kept += 1
        for part, values in zip(self._parts, states, strict=True):
            part.mix(values, weights, used, self._next)
        self._flow.take_mixture()

    def _grows(self, growth: Growth) -> bool:
        """Whether the flow still leaves the state it began in; makes it leave faster."""
        parts = list(zip(self._parts, [values for values, _ in self._flow.mixed()], strict=True))
        growth.record(*np.sum([part.walked(values) for part, values in parts if part.judged], axis=0))
        leap = growth.leap()
        if leap:
            for part, values in parts:
                values += leap * (values - part.start)
            self._flow.take_mixture()
        return growth.goes_on


def _least_squares(gram: np.ndarray, right: np.ndarray, far: float) -> np.ndarray:
    """What solves the normal equations, without the directions that they hardly tell, and without more of these as long as
    the sum of weights would lead too `far`."""
    size = np.sqrt(np.maximum(np.diag(gram), 1e-300))
    values, vectors = np.linalg.eigh(gram / np.outer(size, size))
    along = vectors.T @ (right / size)
    for rank in RANKS:
        sound = values > rank * values[-1]
        found = (vectors[:, sound] @ (along[sound] / values[sound])) / size
        if np.abs(found).sum() <= far:
            return found
    return np.zeros_like(right)


class _Part:
    """One array of the state, flat (n,): differences of its last values and, where these are judged, of its steps."""

    def __init__(self, values: np.ndarray, judged: bool):
        count = len(values)
        self.judged, self.scale = judged, 1.0
        self.start = np.zeros(count)
        self.step = np.zeros(count, np.float32)  # the last one that an iteration took
        self.moves = np.zeros((DEPTH, count), np.float32)
        self.turns = np.zeros((DEPTH if judged else 0, count), np.float32)
        self.chunks = chunks_of(count)
        self._sums = np.zeros((len(self.chunks) - 1, 2, DEPTH))

    def first(self, values: np.ndarray) -> None:
        """Sets the scale at which this array counts: by how much its values differ."""
        size = float(np.std(values)) if self.judged else 1.0
        self.scale = 1.0 / size if size > 0 else 0.0

    def walked(self, values: np.ndarray) -> tuple[float, float, float]:
        """Takes in the step just taken; gives the square of the one before, the product of both and its own square, to the
        scale of the values."""
        step, size = (values - self.start).astype(np.float32), float(np.std(values))
        scale = 1.0 / size**2 if size > 0 else 0.0
        before, self.step = self.step, step
        return tuple(scale * float(np.dot(a, b)) for a, b in ((before, before), (before, step), (step, step)))  # type: ignore[return-value]

    def compared(self, values: np.ndarray, slot: int, used: int) -> tuple[np.ndarray, np.ndarray]:
        """Brings in the step just taken; gives products of its change with all changes, and of them with the step."""
        over(
            self.chunks,
            mixing.compared,
            values,
            self.start,
            self.step,
            self.moves,
            self.turns,
            slot,
            used,
            self._sums,
        )
        one, two = self.scale**2 * self._sums.sum(axis=0) if used and self.judged else np.zeros((2, DEPTH))
        return one, two

    def mix(self, values: np.ndarray, weights: np.ndarray, used: int, slot: int) -> None:
        over(self.chunks, mixing.mixed, values, self.start, self.moves, weights, used, slot)
