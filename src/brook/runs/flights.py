"""Questions to the result reader about particles: where they end, what they wear, their ways, and all of it as sheets."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.checks.pairs import pairs_in
from brook.core.results.exports import Column, Sheet
from brook.core.results.particles.said import Flown, Statement, ends_told, worn_told
from brook.core.study.particles import Particles
from brook.runs.readout import Source, loaded, prepared_of, view_of
from brook.runs.sheets import write

MOST_WAYS, MOST_PLACES = 120, 150  # that are drawn


def _flight(source: Source, said: Particles) -> Flown:
    """Raises `ValueError`."""
    prepared = prepared_of(source)
    mirrors = tuple(b.patch for b in prepared.boundaries if b.kind == "symmetry")
    pairs = tuple(pairs_in(prepared.plan, prepared.patches or ()))
    return Statement(said, prepared.scope, mirrors, pairs).fly(view_of(source), loaded(source).locator)


def flights(source: Source, said: Particles) -> dict[str, Any]:
    """What is to be said of a flight."""
    resolved, cloud, flight = _flight(source, said)
    view = view_of(source)
    return {
        "number": len(flight.how), "outside": flight.outside, "ends": ends_told(flight, view, cloud), "walls": worn_told(resolved, flight, view),
        "sizes": [float(cloud.sizes.min()), float(cloud.sizes.max())],
    }  # fmt: skip


def ways(source: Source, said: Particles) -> list[list[float]]:
    """Some of their ways as x, y (and z) … in m."""
    _, _, flight = _flight(source, said)
    axes = 2 if loaded(source).fields.mesh.is_plane else 3
    found = []
    for places, _ in flight.ways[:: max(1, -(-len(flight.ways) // MOST_WAYS))]:
        # a way that went on elsewhere is drawn in pieces
        breaks = np.nonzero(np.isnan(places[:, 0]))[0]
        step = max(1, -(-len(places) // MOST_PLACES))
        for piece in np.split(places, breaks):
            piece = piece[np.isfinite(piece[:, 0])]
            if len(piece) > 1:
                thin = np.vstack([piece[::step], piece[-1:]])
                found.append(np.round(thin[:, :axes], 7).ravel().tolist())
    return found


def export_flight(suffix: str, source: Source, said: Particles) -> bytes:
    """Each particle with where it ended, and each face that was hit with what it lost, as a file of sheets."""
    resolved, cloud, flight = _flight(source, said)
    fields = loaded(source).fields
    mesh, stencil = fields.mesh, fields.stencil
    ended = [("", "")] * len(flight.how)
    for end, which in flight.ends(fields).items():
        for k in which.tolist():
            ended[k] = end
    sizes = cloud.sizes[flight.numbers]
    each = Sheet(said.title, (
        Column("size", "m", sizes.tolist()), Column("time", "s", flight.seconds.tolist()), Column("end", "", [f"{how} {patch}".strip() for how, patch in ended]),
        *(Column(f"{name} at the end", "m", flight.places[:, k].tolist()) for k, name in enumerate("xyz")),
        *(Column(f"velocity {name} at the end", "m/s", flight.velocities[:, k].tolist()) for k, name in enumerate("xyz")),
    ))  # fmt: skip
    hit = np.nonzero(flight.hits[:, 0] > 0)[0]
    at, area = (
        mesh.face_centres(slice(stencil.inner, stencil.active))[hit],
        mesh.face_areas(slice(stencil.inner, stencil.active))[hit],
    )
    patch = [next(p.name for p in mesh.patches if p.start <= f < p.end) for f in (hit + stencil.inner).tolist()]
    worn = Sheet(f"{said.title}, walls", (
        Column("patch", "", patch), *(Column(name, "m", at[:, k].tolist()) for k, name in enumerate("xyz")), Column("area", "m^2", area.tolist()),
        Column("mass that meets it", "kg/s", flight.hits[hit, 0].tolist()), Column("mass worn off", "kg/s", (flight.hits[hit, 1] * resolved.wall_density).tolist()),
        Column("depth worn off", "m/s", (flight.hits[hit, 1] / area).tolist()),
    ))  # fmt: skip
    return write(suffix, [each, worn])
