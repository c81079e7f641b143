"""What goes into a flow and out of it, by body and patch: mass, momentum and heat, and how far each account closes.

Mass: Σ ṁ = 0. Momentum: Σ (ṁ u + p A + τ A) over all patches is what stands or acts within, and nothing where nothing does. Heat: what comes in through
patches, with what is set free, is what leaves; what flows is counted from the lowest temperature there is.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import KDTree

from brook.core.mesh import PLANE_SIDES
from brook.core.mesh.opening import BEHIND
from brook.core.results.forces import patch_forces
from brook.core.solve import Fields
from brook.core.solve.put import Put

SMALL = 1e-9  # of all that passes: entries under it are nothing


@dataclass(frozen=True)
class Entry:
    """So much goes into a body through a patch or from something within it, in kg/s, N or W; less than nothing leaves it."""

    body: str
    what: str
    value: float
    within: bool = False


@dataclass(frozen=True)
class Passing:
    """So much goes from one body to another through a wall, in W."""

    source: str
    target: str
    wall: str
    value: float


@dataclass(frozen=True)
class Ledger:
    """`left` is what all entries add up to; `closes` is that over what passes, None where it says nothing: of a flow in time, in
    which it is `stored`, and where an entry is what is left of all others, which is `balanced` by that. What passes is at least
    `over`: of momentum that along any axis."""

    entries: tuple[Entry, ...]
    passing: tuple[Passing, ...]
    left: float
    stored: bool = False
    balanced: bool = False
    over: float = 0.0

    @property
    def moved(self) -> float:
        """What comes in, or leaves where that is more."""
        values = [e.value for e in self.entries]
        return max(sum(v for v in values if v > 0), -sum(v for v in values if v < 0), 0.0)

    @property
    def size(self) -> float:
        """What `closes` is over."""
        return max(self.moved, self.over)

    @property
    def closes(self) -> float | None:
        """What is left over what passes."""
        return None if self.stored or self.balanced else abs(self.left) / self.size if self.size else 0.0


def mass_ledger(fields: Fields) -> Ledger:
    """Of what flows through each patch, by body, in kg/s."""
    inflow = -fields.flux[fields.stencil.inner :]
    return _made(_by_patch(fields, inflow), [], stored=False)


def heat_ledger(fields: Fields, put: list[Put], in_time: bool) -> Ledger | None:
    """Of heat in W, with what sources and heat exchangers `put` in; None for a run without heat."""
    if "heat" not in fields.more:
        return None
    stencil, leaving = fields.stencil, fields.more["heat"][1]
    lowest = float(fields.more["temperature"][0].min())
    carried = fields.flux[stencil.inner :] * fields.flowing_capacity[stencil.face_cell] * lowest
    entries = _by_patch(fields, carried - leaving)
    passing = []
    names = {patch.name for patch in fields.mesh.patches}
    for name in sorted(n.removesuffix(BEHIND) for n in names if n.endswith(BEHIND) and n.removesuffix(BEHIND) in names):
        passing += _walls(fields, name, carried - leaving)
    walls = {p.wall for p in passing}
    entries = [e for e in entries if e.what.removesuffix(BEHIND) not in walls]
    entries += [Entry(p.body, p.what, p.value, within=True) for p in put]
    return _made(entries, passing, stored=in_time)


def momentum_ledger(fields: Fields, axis: int, in_time: bool, acts: bool) -> Ledger:
    """Along an axis in N: what comes in with the flow, and what patches push. Where something `acts` within, that is what is left, and so are weights."""
    entries = []
    for force in patch_forces(fields):
        if force.patch == PLANE_SIDES:
            continue
        body = _bodies_of(fields, force.patch)[0]
        for what, value in (
            ("carried in at", -force.momentum),
            ("pressure on", -force.pressure),
            ("friction on", -force.friction),
        ):
            if abs(value[axis]) > 0:
                entries.append(Entry(body, f"{what} {force.patch}", float(value[axis])))
    made = _made(entries, [], stored=in_time)
    if not acts or in_time:
        return made
    within = Entry(_flowing(fields), "what stands or acts within, and weight", -made.left, within=True)
    return replace(_made([*made.entries, within], [], stored=False), balanced=True)


def _made(entries: list[Entry], passing: list[Passing], stored: bool) -> Ledger:
    moved = max((abs(e.value) for e in entries), default=0.0)
    kept = tuple(e for e in entries if abs(e.value) > SMALL * moved)
    return Ledger(kept, tuple(passing), float(sum(e.value for e in entries)), stored)


def _by_patch(fields: Fields, into: np.ndarray) -> list[Entry]:
    """What goes in through each patch (B,), body by body."""
    stencil, mesh = fields.stencil, fields.mesh
    found = []
    for patch in stencil.patches:
        here = stencil.boundary_faces(patch)
        body = mesh.body[stencil.face_cell[here]]
        if patch.name != PLANE_SIDES:
            found += [
                Entry(mesh.bodies[k], patch.name, float(into[here][body == k].sum())) for k in np.unique(body).tolist()
            ]
    return found


def _walls(fields: Fields, name: str, into: np.ndarray) -> list[Passing]:
    """What goes through a wall from the bodies on one side of it to those on the other."""
    stencil, mesh = fields.stencil, fields.mesh
    one, other = (stencil.boundary_faces(mesh.patch(n)) for n in (name, name + BEHIND))
    first, second = (mesh.body[stencil.face_cell[here]] for here in (one, other))
    if not len(second):
        return []
    if len(np.unique(second)) == 1:
        second = np.full(len(first), second[0])
    else:  # each face lies on one of the other side
        mine, theirs = (mesh.face_centres(mesh.patch(n).faces) for n in (name, name + BEHIND))
        second = second[KDTree(theirs).query(mine)[1]]
    pairs = np.unique(np.stack([first, second], axis=1), axis=0).tolist()
    found = []
    for a, b in pairs:
        here = (first == a) & (second == b)
        value = float(into[one][here].sum())  # into a
        source, target = (b, a) if value > 0 else (a, b)
        found.append(Passing(mesh.bodies[source], mesh.bodies[target], name, abs(value)))
    return found


def _bodies_of(fields: Fields, patch: str) -> list[str]:
    """Bodies that a patch bounds, the one with most of its faces first."""
    stencil, mesh = fields.stencil, fields.mesh
    body = mesh.body[stencil.face_cell[stencil.boundary_faces(mesh.patch(patch))]]
    counts = np.bincount(body, minlength=len(mesh.bodies))
    return [mesh.bodies[k] for k in np.argsort(-counts, kind="stable").tolist()]


def _flowing(fields: Fields) -> str:
    """The body in which most flows."""
    mesh = fields.mesh
    held = np.bincount(mesh.body, mesh.volume * fields.speed, len(mesh.bodies))
    return mesh.bodies[int(np.argmax(held))]
