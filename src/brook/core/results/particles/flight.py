"""Particles on their way through a flow: where they end, how long that takes, and what they do to walls."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from brook.core.mesh import WEDGE_SIDES, Mesh
from brook.core.mesh.pairs import Pair, match
from brook.core.numerics.chunks import over
from brook.core.results.particles import kernels
from brook.core.results.particles.cloud import Cloud
from brook.core.results.quantities import View
from brook.core.results.space.locator import Locator
from brook.core.solve import Fields

CHUNKS = 16  # shares of the particles; each counts what hits walls for itself
KEPT, PLACES = 300, 400  # ways that are kept, and places of each
C_MU = 0.09
MODELS = {"none": 0, "finnie": 1, "oka": 2}
WAYS = {
    kernels.ON_ITS_WAY: "still on their way", kernels.LEFT: "left through", kernels.STUCK: "stuck to", kernels.PASSED: "passed into", kernels.HELD: "come to rest at",
}  # fmt: skip


@dataclass(frozen=True)
class Wall:
    """What a wall does: particles stick, bounce with shares of their velocity across and along it kept, bounce as sand on metal does, or pass. What mirrors is no
    wall but where a symmetric flow was cut."""

    does: Literal["sticks", "bounces", "sand", "passes", "mirrors"] = "sticks"
    across: float = 1.0
    along: float = 1.0


@dataclass(frozen=True)
class Flying:
    """How particles fly, going on beyond periodic `pairs`: under an acceleration in m/s² (3,), for so many seconds at most, with lift, with turbulence whose eddies last `eddies` k/ε, with walls by patch (all
    others as `wall`); grit wears walls by a model of a `hardness`, in Pa Finnie's flow stress, in GPa Oka's Vickers hardness. `seed` is that of chance."""

    gravity: tuple[float, float, float] = (0.0, 0.0, 0.0)
    seconds: float = 1e3
    lift: bool = False
    eddies: float = 0.0
    walls: Mapping[str, Wall] = field(default_factory=dict)
    wall: Wall = field(default_factory=Wall)
    wear: Literal["none", "finnie", "oka"] = "none"
    hardness: float = 1.0
    seed: int = 1
    pairs: Sequence[Pair] = ()


@dataclass(frozen=True, eq=False)
class Flight:
    """Of each particle of a cloud that was set free in the fluid (n,): its number in the cloud, how it ended and at which face (-1 for none), after how many seconds, where (n, 3) and
    how fast (n, 3). `hits` (B, 3) is what met each boundary face: kg/s, m³/s worn off, W. `ways` are some of their ways as places (k, 3) in m and times (k,) in s; nan stands where one
    went on elsewhere, beyond a periodic pair."""

    numbers: np.ndarray
    how: np.ndarray
    face: np.ndarray
    seconds: np.ndarray
    places: np.ndarray
    velocities: np.ndarray
    hits: np.ndarray
    ways: list[tuple[np.ndarray, np.ndarray]]
    outside: int

    def ends(self, fields: Fields) -> dict[tuple[str, str], np.ndarray]:
        """Which of these particles (k,) ended in which way at which patch, '' for none."""
        mesh = fields.mesh
        starts = np.array([p.start for p in mesh.patches] + [mesh.face_count])
        at = np.where(self.face >= 0, np.searchsorted(starts, self.face, side="right") - 1, -1)
        found = {}
        for how, patch in sorted({(int(h), int(p)) for h, p in zip(self.how, at, strict=True)}):
            name = mesh.patches[patch].name if patch >= 0 else ""
            words = WAYS[how] if name or how != kernels.HELD else "rest where nothing moves"
            found[words, name] = np.nonzero((self.how == how) & (at == patch))[0]
        return found


def fly(view: View, locator: Locator, cloud: Cloud, how: Flying) -> Flight:
    """Follows all of a cloud from where it is set free, in any order with the same outcome. Raises `ValueError` where turbulence is asked of a laminar run."""
    fields, mesh, stencil = view.fields, view.fields.mesh, view.fields.stencil
    inside_of = locator.cells(cloud.places)
    numbers = np.nonzero((inside_of >= 0) & (fields.viscosity[np.maximum(inside_of, 0)] > 0))[0]
    count = len(numbers)
    sigma, slope, time = _eddies(view, how.eddies)
    actions, across, along = _walls(fields, how)
    onward, motion, moves = _beyond(mesh, how.pairs)
    onward, motion = onward[: stencil.boundary_count], motion[: stencil.boundary_count]
    solid = (fields.flux[stencil.inner :] == 0) & (actions != kernels.MIRRORS) & (onward < 0)
    kept = min(count, KEPT)
    # those whose ways are kept come first; all others after them
    order = (
        np.concatenate([numbers[_spread(count, kept)], np.delete(numbers, _spread(count, kept))]) if count else numbers
    )
    places, speeds = (np.ascontiguousarray(v[order], float) for v in (cloud.places, cloud.velocities))
    ways, times, counts = np.zeros((kept, PLACES, 3)), np.zeros((kept, PLACES)), np.zeros(kept, np.int64)
    seconds, ends = np.zeros(count), np.zeros((count, 2), np.int64)
    chunks = np.linspace(0, count, min(CHUNKS, max(count, 1)) + 1).astype(np.int64)
    hits = np.zeros((len(chunks) - 1, stencil.boundary_count, 3))
    flags = np.array([cloud.density is not None, how.lift, how.eddies > 0, MODELS[how.wear], mesh.is_plane], np.int64)
    over(
        chunks, kernels.flown, places, speeds, np.ascontiguousarray(inside_of[order]), np.ascontiguousarray(cloud.sizes[order], float),
        np.ascontiguousarray(cloud.mass[order], float), _rows(order, how.seed), np.zeros((count, 3)), np.ascontiguousarray(fields.velocity, float), view.velocity_slope,
        np.ascontiguousarray(fields.density, float), np.ascontiguousarray(fields.viscosity, float), sigma, slope, time, mesh.centre, mesh.volume, mesh.face_vector, locator.plane,
        mesh.owner, mesh.neighbour, *mesh.cell_faces, np.ascontiguousarray(fields.flux, float), solid, actions, across, along, onward, motion, moves, float(cloud.density or 1.0),
        np.array([*how.gravity, how.hardness]), flags, float(how.seconds), _stride(view), ways, times, counts, seconds, ends, hits,
    )  # fmt: skip
    back = np.argsort(order, kind="stable")
    return Flight(
        order[back], ends[back, 0], ends[back, 1], seconds[back], places[back], speeds[back], hits.sum(axis=0),
        [(ways[k, : counts[k]].copy(), times[k, : counts[k]].copy()) for k in range(kept)], cloud.count - count,
    )  # fmt: skip


def _spread(count: int, kept: int) -> np.ndarray:
    """Numbers (kept,) that are spread evenly over all."""
    return np.unique((np.arange(kept) + 0.5) / max(kept, 1) * count).astype(np.int64)


def _stride(view: View) -> int:
    """Every how manieth step is kept: a way crosses a mesh in some times as many steps as that has cells along it."""
    return max(1, round(6 * view.fields.mesh.cell_count ** (1 / 3) / PLACES))


def _rows(order: np.ndarray, seed: int) -> np.ndarray:
    """Where the row of chance of each particle begins (n,): its own, whoever follows it (splitmix64)."""
    with np.errstate(over="ignore"):
        z = (order.astype(np.uint64) + np.uint64(1)) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(seed) * np.uint64(
            0xD1B54A32D192ED03
        )
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        found: np.ndarray = (z ^ (z >> np.uint64(31))) | np.uint64(1)
    return found


def _beyond(mesh: Mesh, pairs: Sequence[Pair]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The face that each boundary face (B,) goes on at, -1 for none, after which row of the motions (m, 12). Raises `ValueError` where a pair does not match."""
    first = mesh.inner_count
    onward, motion = (np.full(mesh.face_count - first, -1, np.int64) for _ in range(2))
    moves = np.zeros((max(1, 2 * len(pairs)), 12))
    for k, pair in enumerate(pairs):
        found = match(mesh, pair.patch, pair.motion)
        if found.problem:
            raise ValueError(f"{pair.patch} has no partner: {found.problem}")
        origin = np.zeros((1, 3))
        there, back = pair.motion.places(origin)[0], pair.motion.places_back(origin)[0]
        moves[2 * k], moves[2 * k + 1] = np.append(pair.motion.turn, there), np.append(pair.motion.turn.T, back)
        onward[found.faces - first], motion[found.faces - first] = found.partners, 2 * k
        onward[found.partners - first], motion[found.partners - first] = found.faces, 2 * k + 1
    return onward, motion, moves


def _eddies(view: View, eddies: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """σ = √(2k/3) in m/s (C,), its gradient (C, 3), and how long eddies last in s (C,)."""
    cells = view.fields.mesh.cell_count
    if eddies <= 0:
        return np.zeros(cells), np.zeros((cells, 3)), np.ones(cells)
    if "turbulent_energy" not in view.fields.more:
        raise ValueError(
            "this run has no model of turbulence, so nothing is known of eddies that could carry particles astray"
        )
    energy, rate = (view.values(name)[0] for name in ("turbulent_energy", "dissipation_rate"))
    sigma = np.sqrt(2 / 3 * np.maximum(energy, 0.0))
    slope = view.slope("turbulent_energy") / (3 * np.maximum(sigma, 1e-9 * float(sigma.max(initial=1e-300))))[:, None]
    return sigma, np.ascontiguousarray(slope), eddies / (C_MU * np.maximum(rate, 1e-300))


def _walls(fields: Fields, how: Flying) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What each boundary face (B,) does, and the shares of the velocity across and along it that are kept."""
    does = {
        "sticks": kernels.STICKS,
        "bounces": kernels.BOUNCES,
        "sand": kernels.SAND,
        "passes": kernels.PASSES,
        "mirrors": kernels.MIRRORS,
    }
    stencil = fields.stencil
    actions, across, along = (
        np.zeros(stencil.boundary_count, np.int64),
        np.ones(stencil.boundary_count),
        np.ones(stencil.boundary_count),
    )
    for patch in stencil.patches:
        mirror = Wall("mirrors") if patch.name == WEDGE_SIDES else how.wall
        wall, here = how.walls.get(patch.name, mirror), stencil.boundary_faces(patch)
        actions[here], across[here], along[here] = does[wall.does], wall.across, wall.along
    return actions, across, along
