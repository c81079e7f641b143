"""Heat conditions of every face, and what bodies are made of, from the statements of the set-up."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from brook.core.materials import ConstantFluid
from brook.core.materials.solid import Solid
from brook.core.mesh.opening import BEHIND
from brook.core.numerics import Stencil
from brook.core.solve.heat import Filling, Substance
from brook.core.solve.returning import Returned
from brook.core.solve.scalar import Contacts, ScalarConditions
from brook.core.study import Resolved
from brook.core.study.boundaries import INFLOWS, OUTFLOWS


def substance_of(stencil: Stencil, materials: dict[str, ConstantFluid | Solid]) -> Substance:
    """The material of every cell. Raises `ValueError` for a body of which nobody said what it is."""
    mesh = stencil.mesh
    for name in mesh.bodies:
        if name not in materials:
            raise ValueError(f"say what {name} is made of")
        if not (materials[name].conductivity > 0 and materials[name].heat_capacity > 0):
            raise ValueError(f"the conductivity and heat capacity of {name} have to be more than nothing")
    every = [materials[name] for name in mesh.bodies]
    conductivity, capacity, density = (
        np.array([getattr(m, name) for m in every])[mesh.body] for name in ("conductivity", "heat_capacity", "density")
    )
    return Substance(conductivity, capacity, density)


def fillings_of(stencil: Stencil, materials: dict[str, ConstantFluid | Solid], varying: bool) -> tuple[Filling, ...]:
    """What fills each body."""
    mesh = stencil.mesh
    return tuple(
        Filling(name, materials[name], np.nonzero(mesh.body == k)[0], varying) for k, name in enumerate(mesh.bodies)
    )


def heat_conditions(stencil: Stencil, heat: Resolved, boundaries: list[Resolved]) -> ScalarConditions:
    """Conditions on every boundary face; patches of which nothing is said let no heat through.

    Raises `ValueError` where something enters of which no temperature is said.
    """
    count, mesh = stencil.boundary_count, stencil.mesh
    coefficient, surroundings, flux = np.zeros(count), np.full(count, heat.start), np.zeros(count)
    entering = np.full(count, heat.start)
    said = {p.patch: p for p in heat.patches}
    for boundary in boundaries:
        if boundary.kind in INFLOWS and getattr(said.get(boundary.patch), "kind", "") != "temperature":
            raise ValueError(f"say the temperature of what enters through {boundary.patch}")
    for patch in stencil.patches:
        statement = said.get(patch.name)
        if statement is None:
            continue
        here = stencil.boundary_faces(patch)
        if statement.kind == "temperature":
            coefficient[here], surroundings[here] = np.inf, statement.temperature
            entering[here] = statement.temperature
        elif statement.kind == "film":
            coefficient[here], surroundings[here] = statement.coefficient, statement.surroundings
        elif statement.kind == "flux":
            flux[here] = statement.flux
        elif statement.kind == "returning":
            raise ValueError(f"{patch.name} is no patch of a periodic pair; nothing comes in again through it")
        else:
            flux[here] = statement.power / mesh.face_areas(patch.faces).sum()
    for boundary in boundaries:
        if boundary.kind in OUTFLOWS and boundary.patch in said:
            # an outlet is at no temperature of its own: what is said there is that of what flows back
            coefficient[stencil.boundary_faces(mesh.patch(boundary.patch))] = 0.0
    return ScalarConditions(coefficient, surroundings, flux, entering)


def returned_of(stencil: Stencil, heat: Resolved) -> tuple[Returned, ...]:
    """How heat comes in again through periodic pairs. Raises `ValueError` for what has no place on a pair."""
    joints = {j.patch: j for j in stencil.halo.joints}
    partners = {j.other: j.patch for j in stencil.halo.joints}
    found = []
    for said in heat.patches:
        if said.patch in partners or (said.patch in joints and said.kind != "returning"):
            joint = partners.get(said.patch, said.patch)
            raise ValueError(
                f"{said.patch} is one of a periodic pair: say only of {joint} at what temperature heat comes in again"
            )
        if said.patch in joints:
            if said.way == "scale" and said.about == said.temperature:
                raise ValueError(
                    f"what comes in again through {said.patch} is as warm as the walls it is scaled about; choose another temperature"
                )
            found.append(Returned(joints[said.patch], said.way, said.temperature, said.about))
    if found and (heat.buoyancy != "none" or heat.varying):
        raise ValueError(
            "where heat is brought back to a temperature at a periodic pair, weight and properties may not depend on it: they would "
            "not be periodic; take out buoyancy and varying properties, or what is said of the pair"
        )
    return tuple(found)


def contacts_of(stencil: Stencil, heat: Resolved) -> Contacts:
    """Which boundary faces lie on each other, and what resists between them. Raises `ValueError` for a contact elsewhere."""
    inner, mesh = stencil.inner, stencil.mesh
    centre = mesh.face_centres(slice(inner, stencil.active))
    reach = 1e-6 * np.sqrt(mesh.face_areas(slice(inner, stencil.active)))
    pairs = cKDTree(centre).query_pairs(float(reach.max(initial=0.0)), output_type="ndarray") if len(centre) else []
    if not len(pairs):
        if heat.contacts:
            raise ValueError(f"{heat.contacts[0].patch} is no wall between two bodies; there are none here")
        return Contacts.none()
    one, other = np.asarray(pairs).T
    near = np.linalg.norm(centre[one] - centre[other], axis=1) <= np.minimum(reach[one], reach[other])
    turned = np.einsum("ij,ij->i", stencil.area[inner:][one], stencil.area[inner:][other]) < 0
    one, other = one[near & turned], other[near & turned]
    resistance = np.zeros(stencil.boundary_count)
    paired = np.zeros(stencil.boundary_count, bool)
    paired[one] = paired[other] = True
    walls = [p.name for p in stencil.patches if paired[stencil.boundary_faces(p)].any()]
    for contact in heat.contacts:
        if contact.patch not in walls:
            known = ", ".join(sorted({w.removesuffix(BEHIND) for w in walls})) or "none here"
            raise ValueError(f"{contact.patch} is no wall between two bodies; such walls are {known}")
        for patch in stencil.patches:
            if patch.name in (contact.patch, contact.patch + BEHIND):
                resistance[stencil.boundary_faces(patch)] = contact.resistance
    return Contacts(one, other, np.maximum(resistance[one], resistance[other]))


def sources_of(stencil: Stencil, heat: Resolved) -> np.ndarray:
    """Heat set free in each cell (C,) in W. Raises `ValueError` for a body that is not there."""
    mesh, found = stencil.mesh, np.zeros(stencil.cells)
    for source in heat.sources:
        if source.body not in mesh.bodies:
            raise ValueError(f"there is no body {source.body} to heat; bodies are {', '.join(mesh.bodies)}")
        here = mesh.body == mesh.bodies.index(source.body)
        found[here] += source.power * mesh.volume[here] / mesh.volume[here].sum()
    return found
