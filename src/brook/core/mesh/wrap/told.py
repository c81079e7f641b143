"""What a wrap kept of the shape, and triangles of it that cross: parted as far as can be, the rest told."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.geometry.findings.shapes import crossing_pairs
from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface
from brook.core.mesh.boxes.links import links_of
from brook.core.mesh.wrap.narrow import WITHIN_PART, Narrow
from brook.core.units import DIMENSIONS, round_text, show

LENGTH = DIMENSIONS["length"]
FAR = 0.5  # of the size of triangles, beyond which a place counts as lost
THIN = 2.0  # sizes, under which a part or a gap explains a loss
SAID = 0.02  # of a patch: a smaller loss is not worth a sentence
ROUNDS = 12  # of drawing crossing triangles to their neighbours


@dataclass(frozen=True)
class Away:
    """A patch of which a wrap keeps off a share: at a place (3,) in m there is a `gap` or a `part` of a width in m that triangles of
    this size do not follow."""

    patch: str
    share: float
    what: str
    width: float
    size: float
    at: tuple[float, float, float]

    @property
    def words(self) -> str:
        """A sentence, with what would keep it."""
        share = f"the wrap lost {round_text(100 * self.share, 2)} % of {self.patch}"
        width, size = show(self.width, LENGTH, digits=2), show(self.size, LENGTH, digits=2)
        there = f"a part {width} thick" if self.what == "part" else f"a gap of {width}"
        if self.what == "part":
            wish = show(WITHIN_PART * self.width, LENGTH, digits=2)
            more = f"{wish} at {self.patch} keep it" if self.width > 0 else "let thin parts be thickened"
        else:
            more = f"let gaps over {show(0.9 * self.width, LENGTH, digits=2)} stay open"
        return f"{share}: {there} against triangles of {size}; {more}"


def away(surface: Surface, narrow: Narrow, sizes: np.ndarray, made: Surface) -> tuple[Away, ...]:
    """What is lost of a surface in a wrap made of boxes of these sizes (n,) at its pieces. What water does not reach, as it lies within
    others, is no loss: only what is thin or narrow there is."""
    middle = narrow.parts.mean(axis=1)
    place, _ = Nearest.of(made.points[made.triangles], np.zeros(made.count, np.int64)).find(middle)
    far = np.linalg.norm(place - middle, axis=1) > FAR * sizes
    part, gap = narrow.thick < THIN * sizes, narrow.gap < THIN * sizes
    lost = far & (part | gap)
    vector = np.cross(narrow.parts[:, 1] - narrow.parts[:, 0], narrow.parts[:, 2] - narrow.parts[:, 0])
    area = np.linalg.norm(vector, axis=1) / 2
    patch = surface.patch[narrow.of]
    total = np.bincount(patch, area, len(surface.patches))
    gone = np.bincount(patch[lost], area[lost], len(surface.patches))
    found = []
    for k in np.nonzero(gone > SAID * total)[0]:
        mine = np.nonzero(lost & (patch == k))[0]
        worst = mine[int(np.argmax(area[mine]))]
        what = "part" if narrow.thick[worst] <= narrow.gap[worst] else "gap"
        width = float(min(narrow.thick[worst], narrow.gap[worst]))
        x, y, z = middle[worst].tolist()
        found.append(
            Away(
                surface.patches[k],
                float(gone[k] / total[k]),
                what,
                width,
                float(sizes[worst]),
                (x, y, z),
            )
        )
    return tuple(sorted(found, key=lambda one: -one.share))


def uncrossed(surface: Surface) -> tuple[Surface, np.ndarray]:
    """A wrap whose triangles that cross others are drawn towards their neighbours until they no longer do, and the places (n, 3)
    of those that still do."""
    pairs = crossing_pairs(surface)
    for _ in range(ROUNDS):
        if not len(pairs):
            break
        near = _around(surface, np.unique(pairs), 3)
        part = surface.only(near)
        for _ in range(4):
            crossing = crossing_pairs(part)
            if not len(crossing):
                break
            part = part.placed(_drawn(part, np.unique(part.triangles[np.unique(crossing)])))
        points = surface.points.copy()
        points[np.unique(surface.triangles[near])] = part.points  # both in the order of the points' numbers
        surface = surface.placed(points)
        pairs = crossing_pairs(surface)
    return surface, surface.points[surface.triangles[np.unique(pairs)]].mean(axis=1)


def _around(surface: Surface, triangles: np.ndarray, rings: int) -> np.ndarray:
    """Numbers of triangles within some rings of a few."""
    found = np.zeros(surface.count, bool)
    found[triangles] = True
    for _ in range(rings):
        at = np.zeros(len(surface.points), bool)
        at[surface.triangles[found]] = True
        found |= at[surface.triangles].any(axis=1)
    return np.nonzero(found)[0]


def _drawn(surface: Surface, points: np.ndarray) -> np.ndarray:
    """Points (P, 3) where some stand half way to the mean of their neighbours. Those at the rim of a part of a wrap stay."""
    rim = np.zeros(len(surface.points), bool)
    rim[surface.edges.ends[surface.edges.uses == 1]] = True
    moved = points[~rim[points]]
    links = links_of(surface.triangles.ravel(), np.arange(0, 3 * surface.count + 1, 3), len(surface.points))[moved]
    total = np.asarray(links.sum(axis=1)).ravel()[:, None]
    at = surface.points.copy()
    at[moved] = 0.5 * at[moved] + 0.5 * (links @ surface.points) / np.maximum(total, 1)
    return at
