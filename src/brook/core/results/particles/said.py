"""The flight of particles that a study speaks of, through the fields of a variant, and what of it can be read and drawn on walls."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from brook.core.formulas import Scope
from brook.core.mesh.pairs import Pair
from brook.core.results.particles.cloud import Cloud, rosin_rammler
from brook.core.results.particles.flight import Flight, Flying, Wall, fly
from brook.core.results.quantities import OwnQuantity, QuantityKind, View
from brook.core.results.quantities.base import Values
from brook.core.results.space import Locator
from brook.core.solve import Fields
from brook.core.study import Problem, Resolved, resolve
from brook.core.study.particles import Particles
from brook.core.study.placed import at_places
from brook.core.study.resolve import plain
from brook.core.units import DIMENSIONS, dimension_of

GIGA = 1e9
SEED = 1
FLUX = dimension_of("kg/(m^2 s)")
INTO = 1e-3  # of the way to the middle of its cell: where a particle begins behind a face


KEPT = 4  # flights through the same fields that stay in memory
Flown = tuple[Resolved, Cloud, Flight]
_FLOWN: WeakKeyDictionary[Fields, dict[str, Flown]] = WeakKeyDictionary()


@dataclass(frozen=True, eq=False)
class Statement:
    """What a study says of particles, with the values of its names, the patches at which a symmetric flow was cut, and its periodic pairs."""

    said: Particles
    scope: Scope
    mirrors: tuple[str, ...] = ()
    pairs: tuple[Pair, ...] = ()

    def resolved(self) -> Resolved:
        """The same with numbers for formulas. Raises `ValueError`."""
        problems: list[Problem] = []
        found = resolve(self.said, self.scope, "", problems)
        if problems:
            raise ValueError(problems[0].message)
        return found

    def fly(self, view: View, locator: Locator | None = None) -> Flown:
        """What is said with numbers, the cloud that is set free, and its flight, flown once for the same fields and numbers. Raises `ValueError` in words for what cannot be."""
        kept = _FLOWN.setdefault(view.fields, {})
        key = repr((plain(self.resolved()), self.mirrors, [pair.patch for pair in self.pairs]))
        if key not in kept:
            while len(kept) >= KEPT:
                del kept[next(iter(kept))]
            kept[key] = flight_of(self, view, locator or Locator(view.fields.mesh))
        return kept[key]


def quantities_of(statements: list[Statement]) -> dict[str, tuple[OwnQuantity, Statement]]:
    """What each makes known on walls, by name: what meets them, `grit_hits`, and of grains that wear them the depth worn off in a time and
    the mass, `grit_wear` and `grit_worn`."""
    found: dict[str, tuple[OwnQuantity, Statement]] = {}
    for statement in statements:
        said = statement.said
        if said.kind != "grains":
            continue
        of = said.title[:1].lower() + said.title[1:]
        kinds = [
            QuantityKind(
                f"{said.name}_hits",
                FLUX,
                f"mass of {of} that meets walls",
                _of_faces(statement, _hits),
                positive=True,
                on=("patch",),
            )
        ]
        if said.wear != "none":
            kinds += [
                QuantityKind(
                    f"{said.name}_wear", DIMENSIONS["speed"], f"depth worn off by {of}", _of_faces(statement, _depth), positive=True, on=("patch",)
                ),
                QuantityKind(
                    f"{said.name}_worn", DIMENSIONS["mass_flow"], f"mass worn off by {of}", _of_faces(statement, _mass), positive=True, drawn=False, on=("patch",), summed="on",
                ),
            ]  # fmt: skip
        found |= {kind.name: (OwnQuantity(kind.name, "", kind), statement) for kind in kinds}
    return found


def _of_faces(statement: Statement, of: Callable[[Flown, np.ndarray], np.ndarray]) -> Callable[[View], Values]:
    def values(view: View) -> Values:
        stencil = view.fields.stencil
        areas = view.fields.mesh.face_areas(slice(stencil.inner, stencil.active))
        return np.zeros(stencil.cells), of(statement.fly(view), areas)

    return values


def _hits(flown: Flown, areas: np.ndarray) -> np.ndarray:
    return np.asarray(flown[2].hits[:, 0] / areas)


def _depth(flown: Flown, areas: np.ndarray) -> np.ndarray:
    return np.asarray(flown[2].hits[:, 1] / areas)


def _mass(flown: Flown, areas: np.ndarray) -> np.ndarray:
    return np.asarray(flown[2].hits[:, 1] * flown[0].wall_density)


def flight_of(statement: Statement, view: View, locator: Locator) -> Flown:
    """What is said with numbers for formulas, the cloud that is set free, and its flight. Raises `ValueError` in words for what cannot be."""
    resolved = statement.resolved()
    fields = view.fields
    if not fields.speed.any():
        raise ValueError("nothing flows here")
    places = _places(resolved, view, locator)
    cloud = _cloud(resolved, places, view, locator)
    gravity = (resolved.gravity_x, resolved.gravity_y, 0.0 if fields.mesh.is_plane else resolved.gravity_z)
    mirrors = {patch: Wall("mirrors", 1.0, 1.0) for patch in statement.mirrors}
    walls = mirrors | {w.patch: Wall(w.does, _share(w.across), _share(w.along)) for w in resolved.walls}
    known = {p.name for p in fields.mesh.patches}
    if missing := next((w.patch for w in resolved.walls if w.patch not in known), None):
        raise ValueError(f"there is no patch '{missing}' here")
    hardness = resolved.flow_stress if resolved.wear == "finnie" else resolved.hardness / GIGA
    flying = Flying(
        gravity, resolved.seconds, resolved.lift, resolved.eddies if resolved.swings else 0.0, walls, Wall(resolved.does, _share(resolved.across), _share(resolved.along)),
        resolved.wear if resolved.kind == "grains" else "none", hardness, SEED, statement.pairs,
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
