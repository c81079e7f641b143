"""Everything a page says and draws of a surface, as plain values and arrays."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np

from brook.core.geometry.bodies import Body
from brook.core.geometry.enclosing import on_patches
from brook.core.geometry.findings import FINDERS, Finding
from brook.core.geometry.findings.edges import free_loops, is_slit, measures
from brook.core.geometry.parts import looks
from brook.core.geometry.spots import beside, loop_words
from brook.core.geometry.surface import Surface

MOST_PLACES, MOST_EDGES, MOST_TRIANGLES = 300, 400, 400
ROUND = 0.98  # of the largest extent of a patch, squared, that across it
FEATURE_ANGLE = np.radians(30.0)
Tell = Callable[[str], None]


def measured(surface: Surface) -> dict[str, Any]:
    """Counts, size, and what is to be said of each patch."""
    low, high = surface.box
    counts = np.bincount(surface.patch, minlength=len(surface.patches))
    known = {look.patch: look for look in looks(surface)}
    around = rims(surface)
    patches = []
    for k, name in enumerate(surface.patches):
        look = known.get(name)
        patches.append({
            "name": name, "triangles": int(counts[k]), "area": look.area if look else 0.0, "rim": float(around[k]), "spans": spans(surface, k),
            "look": look.kind if look else "", "diameter": look.diameter if look else None,
            "suggestion": look.suggestion if look else "", "at": _label_place(surface, k) if look else None,
        })  # fmt: skip
    return {
        "triangles": surface.count, "points": len(surface.points), "closed": surface.is_closed,
        "area": surface.area, "volume": surface.volume, "box": [low.tolist(), high.tolist()],
        "shells": int(surface.shells.max(initial=-1)) + 1, "patches": patches,
    }  # fmt: skip


def rims(surface: Surface) -> np.ndarray:
    """How long the outline of each patch is, in m: edges where it ends or another patch begins."""
    edges, patch = surface.edges, surface.patch
    along = surface.points[edges.ends]
    length = np.linalg.norm(along[:, 1] - along[:, 0], axis=1)
    count = len(surface.patches)
    free = edges.uses[edges.of] == 1
    found = np.zeros(count) + np.bincount(patch[np.nonzero(free)[0]], length[edges.of[free]], count)
    sides, between = patch[edges.pairs], length[edges.uses == 2]
    ends = sides[:, 0] != sides[:, 1]
    for side in (0, 1):
        found += np.bincount(sides[ends, side], between[ends], count)
    return found


def spans(surface: Surface, patch: int) -> list[list[list[float]]]:
    """Both ends in m of the straight lines through the middle of a patch along which it is longest, and across that; fewer where it has no such extent."""
    mine = surface.patch == patch
    areas = surface.areas[mine]
    if not areas.sum() > 0:
        return []
    corners = surface.points[surface.triangles[mine]]
    centre = np.average(corners.mean(axis=1), axis=0, weights=areas)
    away = corners - centre
    spread = np.einsum("t,tci,tcj->ij", areas, away, away)
    sizes, found = np.linalg.eigh(spread)
    axes = found.T[::-1]  # the longest first
    if sizes[1] > ROUND * sizes[2]:  # as long everywhere: along the axis that lies in it best, and across that
        axes[0] = np.eye(3)[int(np.argmin(np.abs(axes[2])))]
        axes[0] -= (axes[0] @ axes[2]) * axes[2]
        axes[0] /= np.linalg.norm(axes[0])
        axes[1] = np.cross(axes[2], axes[0])
    reach = away.reshape(-1, 3) @ axes[:2].T
    low, high = reach.min(axis=0), reach.max(axis=0)
    largest = float((high - low).max())
    lines = [
        [centre + low[k] * axes[k], centre + high[k] * axes[k]] for k in (0, 1) if high[k] - low[k] > 1e-6 * largest
    ]
    return [[end.tolist() for end in line] for line in lines]


def _label_place(surface: Surface, patch: int) -> list[float]:
    """The middle of the triangle of a patch that is nearest to the patch's middle."""
    mine = np.nonzero(surface.patch == patch)[0]
    middles = surface.points[surface.triangles[mine]].mean(axis=1)
    weights = np.maximum(surface.areas[mine], 1e-300)
    centre = np.average(middles, axis=0, weights=weights)
    nearest = mine[int(np.argmin(((middles - centre) ** 2).sum(axis=1)))]
    return surface.points[surface.triangles[nearest]].mean(axis=0).tolist()


def found(surface: Surface, tell: Tell, sheets: Iterable[str] = ()) -> list[dict[str, Any]]:
    """Every kind of defect with its places, the largest first; of very many only the first are listed. Patches named in `sheets` are to end
    as they do, and are not looked at."""
    everything = []
    kept = np.nonzero(~on_patches(surface, sheets))[0]
    surface = _without(surface, sheets)
    for finder in FINDERS:
        tell(f"looking for {finder.words}")
        places = sorted(finder.find(surface), key=lambda p: -p.size)
        if places:
            everything.append(_told(surface, Finding(finder.kind, finder.words, finder.advice, tuple(places)), kept))
    return everything


def _without(surface: Surface, names: Iterable[str]) -> Surface:
    """The same without patches of some names."""
    taken = on_patches(surface, names)
    if not taken.any():
        return surface
    left = [k for k, name in enumerate(surface.patches) if name not in set(names)]
    number = np.full(len(surface.patches), -1)
    number[left] = np.arange(len(left))
    rest = surface.only(np.nonzero(~taken)[0])
    return Surface(rest.points, rest.triangles, number[rest.patch], tuple(surface.patches[k] for k in left))


def _told(surface: Surface, finding: Finding, number: np.ndarray) -> dict[str, Any]:
    places = [
        {
            "words": place.words, "centre": place.centre.tolist(), "size": place.size,
            "edges": np.round(surface.points[place.edges[:MOST_EDGES]], 9).reshape(-1, 6).tolist(),
            "triangles": number[place.triangles[:MOST_TRIANGLES]].tolist(),
        }
        for place in finding.places[:MOST_PLACES]
    ]  # fmt: skip
    return {"kind": finding.kind, "words": finding.words, "advice": finding.advice, "count": finding.count,
            "places": places}  # fmt: skip


def openings(surface: Surface, sheets: Iterable[str] = ()) -> list[dict[str, Any]]:
    """Closed lines of free edges, the longest first: each may be a hole to fill or an opening to name, or where a patch ends that is
    none of the `sheets` named. One that is `alone` is all that its shell ends in, as a sheet does."""
    told = []
    surface = _without(surface, sheets)
    loops = free_loops(surface)
    ends = [int(surface.shells[loop.triangles[0]]) for loop in loops]
    of_shell = Counter(ends)
    for loop, shell in zip(loops, ends, strict=True):
        if not loop.is_closed:
            continue
        at = surface.points[loop.points]
        length, area = measures(surface, loop)
        told.append({
            "patch": beside(surface, loop), "centre": at.mean(axis=0).tolist(), "rim": at[0].tolist(), "mm": [f"{1000 * v:.3f} mm" for v in at[0]],
            "words": loop_words(surface, loop), "length": length, "across": 2 * float(np.sqrt(area / np.pi)),
            "slit": is_slit(surface, loop), "alone": of_shell[shell] == 1, "line": np.round(at[:MOST_EDGES], 9).tolist(), "edges": len(at),
        })  # fmt: skip
    return sorted(told, key=lambda one: -one["length"])


def told_body(body: Body) -> dict[str, Any]:
    """What is to be said of a body."""
    said: dict[str, Any] = {"name": body.name, "holds": body.holds, "problem": body.problem, "place": body.place}
    if body.surface is None:
        return said
    s = body.surface
    counts = np.bincount(s.patch, minlength=len(s.patches))
    areas = np.bincount(s.patch, s.areas, len(s.patches))
    patches = [{"name": n, "area": float(a)} for n, c, a in zip(s.patches, counts, areas, strict=True) if c]
    return {**said, "volume": s.volume, "area": s.area, "triangles": s.count, "patches": patches,
            "shells": int(s.shells.max()) + 1, "touches": body.touches or {}, "within": body.within}  # fmt: skip


def drawn(surface: Surface) -> dict[str, np.ndarray]:
    """Arrays for the canvas: points from the middle of the box, triangles in the order of their patches, lines.

    points (P, 3) float32; triangles (T, 3) and number (T,) uint32, the latter as counted in the surface;
    starts (patches + 1,) uint32; features (n, 2) uint32: edges where the surface bends, ends or changes its patch.
    """
    middle = (surface.box[0] + surface.box[1]) / 2
    order = np.argsort(surface.patch, kind="stable")
    starts = np.concatenate([[0], np.cumsum(np.bincount(surface.patch, minlength=len(surface.patches)))])
    return {
        "points": (surface.points - middle).astype("<f4"), "triangles": surface.triangles[order].astype("<u4"),
        "number": order.astype("<u4"), "starts": starts.astype("<u4"),
        "features": surface.edges.ends[_features(surface)].astype("<u4"),
    }  # fmt: skip


def _features(surface: Surface) -> np.ndarray:
    edges = surface.edges
    marked = edges.uses != 2
    pairs = edges.pairs
    normal = surface.vectors / np.maximum(surface.areas, 1e-300)[:, None]
    alike = np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]])
    # where neighbours go round against each other their normals point to opposite sides
    alike = np.where(edges.turns[edges.uses == 2] == 0, alike, -alike)
    bent = alike < np.cos(FEATURE_ANGLE)
    marked[edges.uses == 2] = bent | (surface.patch[pairs[:, 0]] != surface.patch[pairs[:, 1]])
    return marked
