"""What stands or acts within the fluid of a variant, on its mesh."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.formulas import FormulaError
from brook.core.mesh import Mesh
from brook.core.numerics import Stencil
from brook.core.physics.boundaries.fan import curve_of, end_of
from brook.core.physics.within.porous import AXES, by_direction, coefficients
from brook.core.physics.within.screen import loss_of
from brook.core.solve.put import Put
from brook.core.solve.scalars import TransportedScalar
from brook.core.solve.within import Act, Acting, Blower, Exchanger, PressureSteps, Screens
from brook.core.solve.within.regions import inside, shares, told
from brook.core.study import Resolved, Study, named_scope
from brook.core.study.moving import moving_values
from brook.core.study.within import CALLED


@dataclass
class Within:
    """What resists a flow or pushes it, acts by the time, and what is to be told of them."""

    steps: PressureSteps | None = None
    acts: list[Acting] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def title_of(prepared: Prepared, k: int) -> str:
    """A statement as messages name it."""
    said = prepared.within[k]
    several = sum(other.kind == said.kind for other in prepared.within) > 1
    return CALLED[said.kind] + (f" number {k + 1}" if several else "")


def within_flow(
    study: Study, prepared: Prepared, stencil: Stencil, fluids: Any, scalars: list[TransportedScalar]
) -> Within:
    """What resists and pushes what flows, and what is set free of substances. Raises `ValueError` for what does not fit the mesh."""
    found = Within()
    mesh = stencil.mesh
    pushes = _acts(study, prepared, mesh, "push", found.notes)
    push = np.zeros((mesh.cell_count, 3)) if pushes else None
    if push is not None:
        found.acts.append(Acting(push, [act for _, act in pushes]))
    pushed = np.sum([act.share > 0 for _, act in pushes], axis=0) > 0 if pushes else None
    found.steps = _steps(study, prepared, stencil, fluids, found.notes, (push, pushed))
    released = _acts(study, prepared, mesh, "release", found.notes)
    _pools(prepared, mesh, fluids.constant("density"), scalars, found.notes)
    for scalar in scalars:
        mine = [act for said, act in released if said.substance == scalar.name]
        if mine:
            found.acts.append(Acting(scalar.equation.source, mine))
    return found


def _pools(
    prepared: Prepared, mesh: Mesh, density: np.ndarray, scalars: list[TransportedScalar], notes: list[str]
) -> None:
    """Fills pieces of the fluid with what they hold of substances at the start."""
    for said, scalar in zip(prepared.scalars, scalars, strict=True):
        for begin in getattr(said, "begins", ()):
            title = f"what holds {begin.concentration:.4g} kg/m³ of {said.name} at the start"
            share = shares(begin.where, mesh, title)
            notes += told(begin.where, mesh, share, title)
            scalar.equation.fill(share, begin.concentration / density)


def exchangers_of(prepared: Prepared, mesh: Mesh) -> tuple[tuple[Exchanger, ...], list[str]]:
    """The heat exchangers on a mesh of what flows, and what is to be told of them. Raises `ValueError` for what does not fit it."""
    found, notes = [], []
    for k, said in enumerate(prepared.within):
        if said.kind == "exchanger":
            title = title_of(prepared, k)
            share, axis = shares(said.where, mesh, title), AXES.index(said.axis)
            notes += told(said.where, mesh, share, title)
            found.append(Exchanger(title, share, axis, said.deep, curve_of(said.takes), end_of(said.takes), said.other))
    return tuple(found), notes


def heat_put(study: Study, prepared: Prepared, mesh: Mesh, time: float) -> list[Put]:
    """Heat that is set free in bodies and in pieces of them, by what is said of it, at a time in s."""
    if prepared.heat is None:
        return []
    found = [Put(f"what {s.body} sets free", s.body, s.power) for s in prepared.heat.sources]
    acts = _acts(study, prepared, mesh, "heating", [])
    titles = (title_of(prepared, k) for k, said in enumerate(prepared.within) if said.kind == "heating")
    for title, (_, act) in zip(titles, acts, strict=True):
        body = mesh.bodies[int(np.argmax(np.bincount(mesh.body, act.share)))]
        found.append(Put(title, body, float(np.asarray(act.value(time)))))
    return found


def heat_within(study: Study, prepared: Prepared, mesh: Mesh, flowing: list[int], source: np.ndarray) -> Within:
    """Heat that is set free, added to a `source` (C,) in W of all bodies, of which `flowing` are fluids."""
    found = Within()
    heats = _acts(study, prepared, mesh, "heating", found.notes, flowing)
    if heats:
        found.acts.append(Acting(source, [act for _, act in heats]))
    return found


def _steps(
    study: Study, prepared: Prepared, stencil: Stencil, fluids: Any, notes: list[str],
    push: tuple[np.ndarray | None, np.ndarray | None],
) -> PressureSteps | None:  # fmt: skip
    kinds = {said.kind for said in prepared.within}
    if not kinds & {"porous", "screen", "push", "blower"}:
        return None
    mesh = stencil.mesh
    linear, square = np.zeros((2, mesh.cell_count, 3))
    screens, blowers = [], []
    for k, said in enumerate(prepared.within):
        title = title_of(prepared, k)
        if said.kind == "porous":
            share = shares(said.where, mesh, title)
            notes += told(said.where, mesh, share, title)
            table = study.tables[said.measured].known() if said.measured else None
            for b, fluid in enumerate(fluids.fluids):
                d, f = coefficients(said, fluid.viscosity, fluid.density, table)
                here = (share * (mesh.body == b))[:, None]
                linear += here * np.diag(by_direction(said, d / fluid.viscosity))
                square += here * np.diag(by_direction(said, f / fluid.density))
        elif said.kind == "screen":
            faces, sign = _crossed(said, stencil, title)
            axis, ones = np.full(len(faces), AXES.index(said.axis)), np.ones(len(faces))
            screens.append(Screens(faces, axis, sign, loss_of(said) * ones))
        elif said.kind == "blower":
            faces, sign = _crossed(said, stencil, title)
            way = sign if said.along == "up" else -sign
            area = np.linalg.norm(stencil.area[faces], axis=1)
            blowers.append(Blower(title, faces, way, area, curve_of(said.rise), end_of(said.rise)))
    parts = ("faces", "axis", "sign", "loss")
    every = Screens(*(np.concatenate([getattr(s, p) for s in screens]) for p in parts)) if screens else Screens.none()
    return PressureSteps(stencil, linear, square, every, *push, blowers)


def _crossed(said: Resolved, stencil: Stencil, title: str) -> tuple[np.ndarray, np.ndarray]:
    """The faces (n,) whose cells lie on both sides, and +1 or -1 for those that look along the axis (n,). Raises `ValueError` where there are none."""
    s, axis = stencil, AXES.index(said.axis)
    owner = s.owner[: s.inner]
    one, other = s.centre[owner, axis] - said.at, s.centre[s.neighbour, axis] - said.at
    crossed = (one < 0) != (other < 0)
    region = said.where
    if region.kind == "body" and region.body not in s.mesh.bodies:
        raise ValueError(f"there is no body {region.body} here for {title}; bodies are {', '.join(s.mesh.bodies)}")
    if region.kind == "body":
        crossed &= s.mesh.body[owner] == s.mesh.bodies.index(region.body)
    faces = np.nonzero(crossed)[0]
    if region.kind not in ("everywhere", "body"):
        share = one[faces] / (one[faces] - other[faces])
        line = s.centre[s.neighbour[faces]] - s.centre[owner[faces]]
        faces = faces[inside(region, s.centre[owner[faces]] + share[:, None] * line, s.mesh.is_plane)]
    if not len(faces):
        raise ValueError(
            f"{title} at {said.axis} = {said.at:g} m stands across nothing that flows; move it, or look at where it is to end"
        )
    return faces, np.where(one[faces] < 0, 1.0, -1.0)


def _acts(
    study: Study, prepared: Prepared, mesh: Mesh, kind: str, notes: list[str], flowing: list[int] | None = None
) -> list[tuple[Resolved, Act]]:
    """The acts of a kind; where nothing else is said they are in all that is `flowing`."""
    found = []
    for k, said in enumerate(prepared.within):
        if said.kind != kind:
            continue
        title = title_of(prepared, k)
        share = shares(said.where, mesh, title)
        if said.where.kind == "everywhere" and flowing:
            share = np.isin(mesh.body, flowing).astype(float)
        notes += told(said.where, mesh, share, title)
        held = share * mesh.volume
        value, changes = _value(study, prepared, k)
        found.append((said, Act(held / held.sum(), value, changes)))
    return found


FIELDS = {"push": ("force_x", "force_y", "force_z"), "heating": ("power",), "release": ("rate",)}


def _value(study: Study, prepared: Prepared, k: int) -> tuple[Callable[[float], Any], bool]:
    """The value of an act by time, and whether it changes."""
    said, statement = prepared.within[k], study.set_up.within[k]
    fields, moving = FIELDS[said.kind], {}
    if prepared.timing.kind == "in_time":
        moving = {m.field: m for m in moving_values(study, prepared.variant, statement)}

    def at(time: float) -> Any:
        scope = named_scope(study, prepared.variant, time)
        try:
            values = [moving[f].at(scope) if f in moving else getattr(said, f) for f in fields]
        except FormulaError as error:
            raise ValueError(f"at {time:.4g} s: {title_of(prepared, k)}: {error.message}") from None
        return np.array(values) if len(values) > 1 else values[0]

    return at, bool(moving)
