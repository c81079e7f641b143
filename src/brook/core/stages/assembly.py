"""The solver of a variant: its equations on its mesh, with what the set-up says of them."""

from __future__ import annotations

import numpy as np

from brook.core.checks import Prepared
from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.mesh import WEDGE_SIDES, Mesh
from brook.core.mesh.opening import opened
from brook.core.mesh.pairs import paired_first
from brook.core.numerics import Stencil
from brook.core.numerics.halo import Halo
from brook.core.numerics.operators import Convection
from brook.core.solve import (
    FlowModel,
    FlowSolver,
    Settings,
    boundary_conditions,
)  # fmt: skip
from brook.core.solve.drive import Drive
from brook.core.solve.energy import EnergyEquation, FlowPart, Fluids
from brook.core.solve.frame import TurningFrame
from brook.core.solve.heat import Heat
from brook.core.solve.heating import (
    contacts_of,
    fillings_of,
    heat_conditions,
    returned_of,
    sources_of,
    substance_of,
)
from brook.core.solve.medium import Medium, ShearLaws
from brook.core.solve.scalars import TransportedScalar, scalar_of
from brook.core.solve.setup import BoundaryConditions
from brook.core.solve.still import SolidSolver
from brook.core.solve.turbulence import CLOSURES, Incoming, Lifted, Turbulence, Walls
from brook.core.solve.within import Acts
from brook.core.stages.meshing import pairs_of
from brook.core.stages.within import exchangers_of, heat_within, title_of, within_flow
from brook.core.study import Resolved, Study
from brook.core.study.boundaries import INFLOWS, STICKING


def flow_mesh(prepared: Prepared, mesh: Mesh) -> Mesh:
    """That part of a mesh in which something flows, walls between its bodies opened, periodic pairs first."""
    fluids = _fluid_names(prepared, mesh)
    if fluids != set(mesh.bodies):
        mesh = mesh.part([k for k, name in enumerate(mesh.bodies) if name in fluids])
    mesh = opened(mesh, fluids).mesh
    return paired_first(mesh, pairs_of(prepared, mesh))


def run_mesh(prepared: Prepared, mesh: Mesh) -> Mesh:
    """The mesh on which the fields of a run stand: with heat all bodies, walls between them opened; else what flows."""
    if prepared.heat is None:
        return flow_mesh(prepared, mesh)
    mesh = opened(mesh, _fluid_names(prepared, mesh)).mesh
    return paired_first(mesh, pairs_of(prepared, mesh))


def _stencil(prepared: Prepared, mesh: Mesh) -> Stencil:
    """What the equations of a variant stand on, with its periodic pairs."""
    return Stencil(mesh, Halo.of(mesh, pairs_of(prepared, mesh)))


def _fluid_names(prepared: Prepared, mesh: Mesh) -> set[str]:
    geometry = prepared.geometry
    solid = {b.name for b in geometry.bodies if b.holds == "solid"} if geometry.kind == "space" else set()
    return {n for n in mesh.bodies if n not in solid and not isinstance(prepared.materials.get(n), Solid)}


def _scheme(study: Study) -> Convection:
    """How flow and heat are carried: where eddies stir, the limited scheme with the gentler limit, under which k and ω come
    to rest."""
    said = study.set_up
    return "eased" if said.turbulence is not None and said.convection == "limited" else said.convection


def flow_of(study: Study, prepared: Prepared, mesh: Mesh) -> tuple[FlowSolver | SolidSolver, Stencil]:
    """The flow of a variant at its start, with the heat it carries, and the stencil it is computed on.

    Raises `ValueError` where the set-up does not fit the mesh.
    """
    assert prepared.fluid is not None
    scheme, said = _scheme(study), prepared.heat
    if said is None:
        stencil = _stencil(prepared, flow_mesh(prepared, mesh))
        fluids = _fluids(stencil.mesh, prepared)
        conditions = boundary_conditions(stencil, prepared.boundaries, stirred(prepared, stencil.mesh))
        scalars = _scalars(prepared, stencil, fluids, scheme)
        within = within_flow(study, prepared, stencil, fluids, scalars)
        model = FlowModel.of(
            _laws(fluids), *scalars, _drive(stencil, conditions), within.steps, _frame(prepared, stencil, fluids), _turbulence(prepared, stencil, scheme),
            told=within.notes, acts=Acts(tuple(within.acts)),
        )  # fmt: skip
        return FlowSolver(stencil, _medium(stencil, fluids), conditions, model, Settings(scheme)), stencil
    whole = _stencil(prepared, run_mesh(prepared, mesh))
    materials = {name: prepared.materials.get(name, prepared.fluid) for name in whole.mesh.bodies}
    flowing = [k for k, name in enumerate(whole.mesh.bodies) if not isinstance(materials[name], Solid)]
    inflows = [b for b in prepared.boundaries if flowing]
    source = sources_of(whole, said)
    heated = heat_within(study, prepared, whole.mesh, flowing, source)
    heat = Heat(
        whole, substance_of(whole, materials), heat_conditions(whole, said, inflows), _beginning(whole.mesh, said),
        source, contacts_of(whole, said), scheme, fillings_of(whole, materials, said.varying),
    )  # fmt: skip
    heat.returned = returned_of(whole, said)
    if heat.returned and any(f.changes for f in heat.fillings):
        raise ValueError(
            "where heat is brought back to a temperature at a periodic pair, properties may not depend on it; give constant ones"
        )
    if not flowing:
        if prepared.scalars:
            raise ValueError(
                f"nothing flows here that could carry {prepared.scalars[0].name}; take it out of the set-up"
            )
        idle = [title_of(prepared, k) for k, w in enumerate(prepared.within) if w.kind in ("blower", "exchanger")]
        if idle:
            raise ValueError(f"nothing flows here that could go through {idle[0]}; take it out of the set-up")
        still = SolidSolver(heat)
        still.acts, heat.told = Acts(tuple(heated.acts)), heated.notes
        return still, whole
    stencil = whole if len(flowing) == len(whole.mesh.bodies) else _stencil(prepared, whole.mesh.part(flowing))
    fluids = _fluids(stencil.mesh, prepared)
    gravity = np.array([said.gravity_x, said.gravity_y, said.gravity_z])
    energy = EnergyEquation(
        heat, FlowPart.of(whole, flowing), fluids, gravity, said.start, said.buoyancy, said.varying, said.friction
    )
    energy.exchangers, exchanged = exchangers_of(prepared, stencil.mesh)
    conditions = boundary_conditions(stencil, prepared.boundaries, stirred(prepared, stencil.mesh))
    scalars = _scalars(prepared, stencil, fluids, scheme)
    within = within_flow(study, prepared, stencil, fluids, scalars)
    model = FlowModel.of(
        energy, _laws(fluids), *scalars, _drive(stencil, conditions), within.steps, _frame(prepared, stencil, fluids),
        _turbulence(prepared, stencil, scheme, energy), told=[*heated.notes, *within.notes, *exchanged], acts=Acts((*heated.acts, *within.acts)),
    )  # fmt: skip
    return FlowSolver(stencil, _medium(stencil, fluids), conditions, model, Settings(scheme)), stencil


def _beginning(mesh: Mesh, said: Resolved) -> np.ndarray:
    """The temperature in K that each cell (C,) begins with."""
    found = np.full(mesh.cell_count, said.start)
    for begin in said.begins:
        if begin.body in mesh.bodies:
            found[mesh.body == mesh.bodies.index(begin.body)] = begin.temperature
    return found


def stirred(prepared: Prepared, mesh: Mesh) -> dict[str, float]:
    """Kinematic viscosity in m²/s of each body of a mesh in which the flow is turbulent."""
    said, fluids = prepared.turbulence, _fluids(mesh, prepared).fluids
    if said is None:
        return {}
    return {name: f.kinematic_viscosity for name, f in zip(mesh.bodies, fluids, strict=True) if name not in said.still}


def _scalars(prepared: Prepared, stencil: Stencil, fluids: Fluids, scheme: Convection) -> list[TransportedScalar]:
    """What the flow carries besides, never over what lies around it."""
    entering = {b.patch for b in prepared.boundaries if b.kind in INFLOWS}
    density, kind = fluids.constant("density"), "upwind" if scheme == "upwind" else "bounded"
    return [scalar_of(said, stencil, density, entering, kind) for said in prepared.scalars]


def _frame(prepared: Prepared, stencil: Stencil, fluids: Fluids) -> TurningFrame | None:
    """The frame that the flow is looked at from, None where it stands."""
    said = prepared.frame
    if said is None or not said.rate:
        return None
    turning = said.rate * np.eye(3)["xyz".index(said.axis)]
    return TurningFrame(stencil, turning, np.array([said.x, said.y, said.z]), fluids.constant("density"))


def _drive(stencil: Stencil, conditions: BoundaryConditions) -> Drive | None:
    return Drive(stencil, conditions.driven) if len(stencil.halo) else None


def _turbulence(
    prepared: Prepared, stencil: Stencil, scheme: Convection, energy: EnergyEquation | None = None
) -> Turbulence | None:
    """The model of the set-up on all walls, None for a laminar flow."""
    said = prepared.turbulence
    if said is None:
        return None
    kinds, grains = {b.patch: b.kind for b in prepared.boundaries}, {r.patch: r.height for r in said.rough}
    still = np.isin(stencil.mesh.body, [k for k, name in enumerate(stencil.mesh.bodies) if name in said.still])
    faces, grain = [], []
    for patch in stencil.patches:
        if kinds.get(patch.name, "wall") in STICKING and patch.name != WEDGE_SIDES:
            here = stencil.boundary_faces(patch)
            every = np.arange(here.start, here.stop)
            faces.append(every[~still[stencil.face_cell[every]]])
            grain.append(np.full(len(faces[-1]), grains.get(patch.name, 0.0)))
    walls = Walls(stencil, np.concatenate([np.zeros(0, np.int64), *faces]), np.concatenate([np.zeros(0), *grain]))
    walls.prandtl = said.prandtl
    own = {i.patch: i.incoming for i in said.inflows}
    incoming = {
        p.name: _incoming(own.get(p.name, said.incoming))
        for p in stencil.patches if kinds.get(p.name, "wall") not in (*STICKING, "slip", "symmetry")
    }  # fmt: skip
    return Turbulence(
        stencil,
        walls,
        incoming,
        "upwind" if scheme == "upwind" else "tapered",
        CLOSURES[said.kind],
        still if still.any() else None,
        Lifted(energy) if energy is not None and said.buoyancy else None,
        said.curvature,
    )


def _incoming(said: Resolved) -> Incoming:
    if said.kind == "duct":
        return Incoming(0.0, diameter=said.diameter)
    return Incoming(said.intensity, getattr(said, "length", None), getattr(said, "ratio", None))


def _fluids(mesh: Mesh, prepared: Prepared) -> Fluids:
    assert prepared.fluid is not None
    made = [prepared.materials.get(name, prepared.fluid) for name in mesh.bodies]
    return Fluids(tuple(m if isinstance(m, ConstantFluid) else prepared.fluid for m in made), mesh.body)


def _laws(fluids: Fluids) -> ShearLaws | None:
    return ShearLaws(fluids.fluids, fluids.of) if any(f.law is not None for f in fluids.fluids) else None


def _medium(stencil: Stencil, fluids: Fluids) -> Medium:
    density = fluids.constant("density")
    return Medium(stencil, density, fluids.constant("viscosity"), density[stencil.face_cell])
