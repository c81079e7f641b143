"""The flight of particles that a study speaks of, through the fields of a variant."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.results.particles import Cloud, Flight, Flying, Wall, fly, rosin_rammler
from brook.core.results.quantities import View
from brook.core.results.space import Locator
from brook.core.study import Problem, Resolved, resolve
from brook.core.study.particles import Particles
from brook.core.study.placed import at_places

GIGA = 1e9
SEED = 1
INTO = 1e-3  # of the way to the middle of its cell: where a particle begins behind a face


def flight_of(said: Particles, prepared: Prepared, view: View, locator: Locator) -> tuple[Resolved, Cloud, Flight]:
    """What is said with numbers for formulas, the cloud that is set free, and its flight. Raises `ValueError` in words for what cannot be."""
    problems: list[Problem] = []
    resolved = resolve(said, prepared.scope, "", problems)
    if problems:
        raise ValueError(problems[0].message)
    fields = view.fields
    if not fields.speed.any():
        raise ValueError("nothing flows here")
    places = _places(resolved, view, locator)
    cloud = _cloud(resolved, places, view, locator)
    gravity = (resolved.gravity_x, resolved.gravity_y, 0.0 if fields.mesh.is_plane else resolved.gravity_z)
    mirrors = {b.patch: Wall("mirrors", 1.0, 1.0) for b in prepared.boundaries if b.kind == "symmetry"}
    walls = mirrors | {w.patch: Wall(w.does, _share(w.across), _share(w.along)) for w in resolved.walls}
    known = {p.name for p in fields.mesh.patches}
    if missing := next((w.patch for w in resolved.walls if w.patch not in known), None):
        raise ValueError(f"there is no patch '{missing}' here")
    hardness = resolved.flow_stress if resolved.wear == "finnie" else resolved.hardness / GIGA
    flying = Flying(
        gravity, resolved.seconds, resolved.lift, resolved.eddies if resolved.swings else 0.0, walls, Wall(resolved.does, _share(resolved.across), _share(resolved.along)),
        resolved.wear if resolved.kind == "grains" else "none", hardness, SEED,
    )  # fmt: skip
    return resolved, cloud, fly(view, locator, cloud, flying)


def _share(value: float) -> float:
    if value > 1:
        raise ValueError(f"what bounces keeps a share of its velocity, from 0 to 1; {value:g} is none")
    return value


def _places(said: Resolved, view: View, locator: Locator) -> np.ndarray:
    """Where they begin (n, 3) in m. Raises `ValueError`."""
    mesh, source = view.fields.mesh, said.source
    if source.kind == "patch":
        return _over_patch(view, source.patch, said.number)
    rng = np.random.default_rng(SEED)
    axes = 2 if mesh.is_plane else 3
    away = rng.normal(size=(said.number, axes))
    away *= (rng.random(said.number) ** (1 / axes) / np.linalg.norm(away, axis=1))[:, None] * source.diameter / 2
    places = np.tile([source.x, source.y, source.z], (said.number, 1)).astype(float)
    places[:, :axes] += away
    if mesh.is_plane:
        places[:, 2] = mesh.points[:, 2].mean()
    if not (locator.cells(places) >= 0).any():
        raise ValueError("nothing of the place where they begin lies in the fluid; move it")
    return places


def _over_patch(view: View, name: str, count: int) -> np.ndarray:
    """Places (n, 3) in m just inside a patch, as many wherever as much flows through, by chance within each face. Raises `ValueError`."""
    mesh = view.fields.mesh
    if name not in {p.name for p in mesh.patches}:
        raise ValueError(f"there is no patch '{name}' here")
    faces = mesh.patch(name).faces
    passing = np.cumsum(np.abs(view.fields.flux[faces]))
    if len(passing) == 0 or passing[-1] <= 0.0:
        raise ValueError(f"nothing passes {name}; particles have to begin elsewhere")
    rng = np.random.default_rng(SEED)
    which = faces.start + np.searchsorted(passing, (np.arange(count) + rng.random(count)) / count * passing[-1])
    middle, offsets = mesh.face_centres(slice(0, mesh.face_count)), mesh.face_offsets
    sides = offsets[which + 1] - offsets[which]
    longest = int(sides.max())
    # triangles between the middle of a face and its sides, those beyond its last side empty
    side = np.minimum(np.arange(longest), sides[:, None] - 1)
    first, second = (
        mesh.points[mesh.face_points[offsets[which][:, None] + (side + k) % sides[:, None]]] - middle[which][:, None]
        for k in (0, 1)
    )
    size = np.linalg.norm(np.cross(first, second), axis=2) * (np.arange(longest) < sides[:, None])
    share = np.cumsum(size, axis=1) / size.sum(axis=1)[:, None]
    chosen = np.minimum((share < rng.random(count)[:, None]).sum(axis=1), longest - 1)
    a, b = rng.random((2, count))
    a, b = np.where(a + b > 1, 1 - a, a), np.where(a + b > 1, 1 - b, b)
    n = np.arange(count)
    places = middle[which] + a[:, None] * first[n, chosen] + b[:, None] * second[n, chosen]
    if mesh.is_plane:
        places[:, 2] = mesh.points[:, 2].mean()
    inside: np.ndarray = places + INTO * (mesh.centre[mesh.owner[which]] - places)
    return inside


def _cloud(said: Resolved, places: np.ndarray, view: View, locator: Locator) -> Cloud:
    count = len(places)
    cells = np.maximum(locator.cells(places), 0)
    velocities = view.fields.velocity[cells].astype(float)
    if said.begins == "own":
        velocities = np.stack([at_places(getattr(said, f"velocity_{axis}"), places) for axis in "xyz"], axis=1)
    sizes = np.full(count, said.size)
    if said.sizes == "spread":
        if not said.smallest < said.largest:
            raise ValueError("the smallest grain has to be smaller than the largest")
        sizes = rosin_rammler(count, said.size, said.spread, said.smallest, said.largest)
        sizes = np.random.default_rng(SEED).permutation(sizes)
    return Cloud(
        places, velocities, sizes, np.full(count, said.rate / count), said.density if said.kind == "grains" else None
    )


def ends_told(flight: Flight, view: View, cloud: Cloud) -> list[dict[str, Any]]:
    """How they end, the most first: words, patch, how many, their share of all and of the mass, and the least, middle and longest time in s."""
    mass = cloud.mass[flight.numbers]
    whole = max(float(mass.sum()), 1e-300)
    found = []
    for (how, patch), which in flight.ends(view.fields).items():
        taken = flight.seconds[which]
        found.append({
            "how": how, "patch": patch, "number": len(which), "share": len(which) / max(1, len(flight.how)), "mass": float(mass[which].sum()) / whole,
            "seconds": [float(taken.min()), float(np.median(taken)), float(taken.max())], "size": float(np.median(cloud.sizes[flight.numbers][which])),
        })  # fmt: skip
    return sorted(found, key=lambda row: -row["number"])


def worn_told(said: Resolved, flight: Flight, view: View) -> list[dict[str, Any]]:
    """What walls are hit by and lose, by patch: kg/s and W that meet it, kg/s worn off, how deep that goes at most in m/s and where (3,) in m."""
    stencil, mesh = view.fields.stencil, view.fields.mesh
    found = []
    for patch in stencil.patches:
        here = stencil.boundary_faces(patch)
        hit, worn, brought = flight.hits[here].T
        if hit.sum() > 0:
            depth = worn / mesh.face_areas(patch.faces)
            deepest = int(np.argmax(depth))
            found.append({
                "patch": patch.name, "hit": float(hit.sum()), "power": float(brought.sum()), "worn": float(worn.sum()) * said.wall_density,
                "deepest": float(depth[deepest]), "at": mesh.face_centres(patch.faces)[deepest].tolist(),
            })  # fmt: skip
    return sorted(found, key=lambda row: (-row["worn"], -row["hit"]))
