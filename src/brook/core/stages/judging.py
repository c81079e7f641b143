"""What is said of a mesh: how good it is, what it kept of the shape, and what to change."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from brook.core.checks import Prepared
from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.surface import Surface
from brook.core.mesh import Mesh, measure
from brook.core.mesh.account import Account, KeptBody, KeptPatch, KeptWall, account, plane_account
from brook.core.mesh.advice import advice
from brook.core.mesh.quality import LIMITS, Quality, layer_coverage, worst_places
from brook.core.stages.assembly import flow_mesh
from brook.core.stages.losses import MOST_SAID
from brook.core.stages.meshing import bent_symmetries, space_layers, told_pairs, touching_of
from brook.core.study.space import has_own_mesh
from brook.core.units import DIMENSIONS, counted, round_text, show

HISTOGRAM_BINS = 24
COVERED = 0.9  # of a patch: where layers stand on less, the mesh says so
SHARES = (50.0, 95.0, 99.0, 99.9)  # percentiles of measures that are told
SAID = 0.002  # of a patch or a volume: a smaller loss is not worth a sentence
WALL = 0.05  # of the area over which two bodies touch: bent walls in flat sides differ by less
LENGTH, AREA = DIMENSIONS["length"], DIMENSIONS["area"]


def judged(prepared: Prepared, mesh: Mesh, surface: Surface | None) -> dict[str, Any]:
    """All that is said of a mesh, ready for JSON, in SI units; `surface` is what a shape in space was meshed from, None where the cells
    came with it or the shape is plane. How much of it may be lost is judged by `losses`."""
    quality = measure(mesh)
    state, sentence = quality.verdict()
    if state != "good" and not has_own_mesh(prepared.geometry) and (said := advice(mesh, quality)):
        sentence += f" {said}"
    low, high = mesh.cell_box
    sides = (high - low)[:, :2] if mesh.is_plane else high - low
    closes = 0.0 if _along_lines(prepared) else prepared.plan.per_gap * prepared.plan.smallest
    kept = _account(prepared, mesh, surface, closes)
    if kept and (gone := [p.patch for p in kept.patches if p.meshed == 0.0]):
        state = "poor" if state == "good" else state
        sentence += f" It has no side at {', '.join(dict.fromkeys(gone[:MOST_SAID]))}: choose smaller cells there."
    coverage = _coverage(prepared, mesh)
    if bare := [f"{100 * share:.0f} % of {name}" for name, share in coverage.items() if share < COVERED]:
        state = "poor" if state == "good" else state
        sentence += f" Layers stand on only {', '.join(bare[:MOST_SAID])}: make them thinner, or cells there smaller."
    pairs = told_pairs(prepared, mesh)
    if wrong := [t for t in pairs if t["problem"]]:
        state, sentence = "bad", f"{sentence} {wrong[0]['patch']} has no periodic partner: {wrong[0]['words']}."
    if askew := bent_symmetries(prepared, mesh):
        state = "poor" if state == "good" else state
        sentence += f" {', '.join(askew)} should be flat to be a plane of symmetry."
    return {
        "cells": mesh.cell_count, "faces": mesh.face_count, "points": len(mesh.points), "verdict": state,
        "sentence": sentence, "worst": quality.worst(),
        "histograms": {name: _histogram(getattr(quality, name), name) for name in LIMITS}, "percentiles": _percentiles(quality),
        "smallest": float(sides.min()), "largest": float(sides.max()),
        "box": [mesh.points.min(axis=0).tolist(), mesh.points.max(axis=0).tolist()],
        "worst_cells": [asdict(p) for p in worst_places(mesh, quality)] if not mesh.is_plane else [],
        "coverage": coverage, "pairs": pairs, "account": told_account(kept, closes) if kept else None,
        "bodies": dict(zip(mesh.bodies, np.bincount(mesh.body).tolist(), strict=True)) if len(mesh.bodies) > 1 else {},
    }  # fmt: skip


def _along_lines(prepared: Prepared) -> bool:
    return prepared.space is None and prepared.plan.way == "lines"


def _account(prepared: Prepared, mesh: Mesh, surface: Surface | None, closes: float) -> Account | None:
    """What a mesh kept of the shape that it was made for, None of one that came with its cells."""
    if surface is not None:
        return account(_solids(prepared, surface), mesh, touching_of(prepared), closes)
    return None if prepared.shape is None else plane_account(prepared.shape, mesh, closes)


def _solids(prepared: Prepared, surface: Surface) -> list[tuple[str, Surface]]:
    bodies = bodies_of(surface, prepared.geometry.bodies, prepared.geometry.sheets)[0]
    return [(b.name, b.surface) for b in bodies if b.surface is not None]


def told_account(kept: Account, closes: float = 0.0) -> dict[str, Any]:
    """An account ready for JSON, the largest losses first, each with its sentence."""
    several = len(kept.bodies) > 1
    patches = [
        {
            **asdict(p), "share": p.meshed / p.drawn,
            "words": loss_words(p, several) if p.lost > SAID else "", "shut": closed_words(p, closes, several) if p.closed > SAID else "", "wish": p.wish if p.lost > SAID else None,
        }
        for p in sorted(kept.patches, key=lambda p: -p.lost)
    ]  # fmt: skip
    return {"patches": patches, "bodies": [{**asdict(b), "words": volume_words(b)} for b in kept.bodies],
            "walls": [{**asdict(w), "words": wall_words(w)} for w in kept.walls]}  # fmt: skip


def loss_words(kept: KeptPatch, several: bool = False) -> str:
    """What a mesh lost of a patch, why, and what would keep it."""
    name = f"{kept.patch} of {kept.body}" if several else kept.patch
    first = kept.places[0]
    share, size = f"{round_text(100 * kept.lost, 2)} %", show(first.size, LENGTH, digits=2)
    there = {"gap": "a gap of {}", "part": "a part {} thick"}.get(first.what, "").format(
        show(first.width, LENGTH, digits=2)
    )
    wish, more = show(kept.wish, LENGTH, digits=2), counted(float(f"{kept.more_cells:.2g}"))
    if kept.wedge:
        return (
            f"The mesh lost {share} of {name}: a wedge that ends in nothing, against cells of {size}; {wish} there would be about {more} "
            "cells more, and what is narrower is no loss once the plan says cells across gaps and a smallest size"
        )
    if not there:
        return f"The mesh lost {share} of {name}, where cells are {size}; {wish} there would be about {more} cells more"
    return f"The mesh lost {share} of {name}: {there} against cells of {size}; two cells across ask for {wish} there, about {more} cells more"


def closed_words(kept: KeptPatch, closes: float, several: bool = False) -> str:
    """What lies in gaps that are closed because the plan says so."""
    name = f"{kept.patch} of {kept.body}" if several else kept.patch
    return f"{round_text(100 * kept.closed, 2)} % of {name} lies in gaps under {show(closes, LENGTH, digits=2)}, closed as the plan says"


def volume_words(body: KeptBody) -> str:
    """By how much the volume of a body differs, empty where that is next to nothing."""
    share = body.meshed / body.drawn - 1.0
    if abs(share) <= SAID:
        return ""
    return f"{body.body} has {round_text(100 * abs(share), 2)} % {'more' if share > 0 else 'less'} volume than drawn"


def wall_words(wall: KeptWall) -> str:
    """Where two bodies touch over another area than drawn, empty where that is next to nothing."""
    if abs(wall.meshed - wall.drawn) <= WALL * wall.drawn:
        return ""
    areas = f"{show(wall.meshed, AREA)} in the mesh, {show(wall.drawn, AREA)} as drawn"
    if wall.meshed > wall.drawn:
        return f"{wall.one} and {wall.other} touch over {areas}: what is drawn between them is thinner than a cell"
    return f"{wall.one} and {wall.other} touch over {areas}: nothing passes between them over the rest; smaller cells keep it"


def _coverage(prepared: Prepared, mesh: Mesh) -> dict[str, float]:
    """The share of each patch along which the layers stand that are wanted there."""
    if _along_lines(prepared) or prepared.patches is None or has_own_mesh(prepared.geometry):
        return {}
    flow = flow_mesh(prepared, mesh)
    wanted = space_layers(prepared, tuple(p.name for p in flow.patches))
    return layer_coverage(flow, [name for group in wanted for name in group.patches])


def _histogram(values: np.ndarray, name: str) -> dict[str, list[float]]:
    """From the best possible value to the worst there is, at least a tenth of the way to the limit."""
    best = 1.0 if name in ("aspect_ratio", "growth") else 0.0
    most = max(float(values.max(initial=best)), best + 0.1 * (LIMITS[name][0] - best))
    counts, edges = np.histogram(values, bins=HISTOGRAM_BINS, range=(best, most))
    return {"counts": counts.tolist(), "edges": edges.tolist()}


def _percentiles(quality: Quality) -> dict[str, list[float]]:
    """Of each measure the values under which such shares (`SHARES`, in per cent) of its faces or cells lie."""
    return {n: np.percentile(getattr(quality, n), SHARES).tolist() if len(getattr(quality, n)) else [] for n in LIMITS}
