"""What a mesh of boxes would cost, before any is made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brook.core.mesh.boxes.build import Region, Sizes
from brook.core.mesh.boxes.layers import Layers
from brook.core.mesh.boxes.zones import Box, Near, Rod

# At the peak of a run, and seconds of making the mesh, measured on meshes of the demo.
BYTES_PER_CELL = 2600
CELLS_PER_SECOND = 15_000
INWARD = 0.9  # boxes of the smallest size that stand inside of those which meet a wall, besides the buffer


@dataclass(frozen=True)
class SpaceEstimate:
    """Cells in all, those (by patch name) that the size at a patch adds to what the bulk alone would make, those in
    each zone, and those in layers. What bends and gaps ask for is not among them."""

    cells: int
    at_patches: dict[str, int]
    in_zones: tuple[int, ...] = ()
    in_layers: int = 0

    @property
    def memory(self) -> float:
        """Bytes that the mesh and a run on it take."""
        return self.cells * BYTES_PER_CELL

    @property
    def mesh_seconds(self) -> float:
        """Seconds that the mesh takes."""
        return self.cells / CELLS_PER_SECOND


def estimate(volume: float, areas: dict[str, float], sizes: Sizes, layers: Sequence[Layers] = ()) -> SpaceEstimate:
    """For a body of a volume in m³ with patches of some areas in m²: within a quarter on pipes and tees with sizes of
    two or four to one, up to two times off where fine patches lie close together or far within the body.

    Near a patch stand layers of boxes of each size from its own up to the bulk's: those that meet it and the buffer.
    """
    added = {}
    for name, area in areas.items():
        level = _halvings(sizes, name)
        cells = 0.0
        for k in range(level, 0, -1):
            side = sizes.bulk / 2**k
            deep = (2 * sizes.buffer + 2 * INWARD) * side
            cells += area * deep * (1 / side**3 - 1 / (2 * side) ** 3)
        added[name] = cells
    bulk = volume / sizes.bulk**3
    finest = min((s for s in sizes.patches.values()), default=sizes.bulk)
    level = max(0, int(np.ceil(np.log2(sizes.bulk / finest) - 1e-9)))
    most = volume / (sizes.bulk / 2**level) ** 3
    total = min(bulk + sum(added.values()), most)
    zones = tuple(_in_zone(size, zone, volume, areas) for size, zone in sizes.zones)
    total += sum(zones)
    in_layers = 0.0
    for group in layers:
        along = {name: areas.get(name, 0.0) for name in group.patches}
        in_layers += group.count * sum(
            area / (sizes.bulk / 2 ** _halvings(sizes, name)) ** 2 for name, area in along.items()
        )
    return SpaceEstimate(
        round(total + in_layers), {name: round(cells) for name, cells in added.items()}, zones, round(in_layers)
    )


def estimate_plane(
    area: float, lengths: dict[str, float], sizes: Sizes, layers: Sequence[Layers] = ()
) -> SpaceEstimate:
    """For a plane shape of an area in m² whose patches have some lengths in m, as above."""
    added = {}
    for name, length in lengths.items():
        cells = 0.0
        for k in range(_halvings(sizes, name), 0, -1):
            side = sizes.bulk / 2**k
            cells += length * (2 * sizes.buffer + 2 * INWARD) * side * (1 / side**2 - 1 / (2 * side) ** 2)
        added[name] = cells
    finest = sizes.bulk / 2 ** max((_halvings(sizes, name) for name in lengths), default=0)
    total = min(area / sizes.bulk**2 + sum(added.values()), area / finest**2)
    in_layers = 0.0
    for group in layers:
        in_layers += group.count * sum(
            lengths.get(p, 0.0) * 2 ** _halvings(sizes, p) / sizes.bulk for p in group.patches
        )
    return SpaceEstimate(
        round(total + in_layers), {name: round(cells) for name, cells in added.items()}, (), round(in_layers)
    )


def _halvings(sizes: Sizes, patch: str) -> int:
    return max(0, int(np.ceil(np.log2(sizes.bulk / sizes.patches.get(patch, sizes.bulk)) - 1e-9)))


def _in_zone(size: float, zone: Region, volume: float, areas: dict[str, float]) -> int:
    """Cells that a zone would have if it lay wholly in the body, at most the whole body's."""
    if isinstance(zone, Box):
        inside = float(np.prod(np.array(zone.high) - np.array(zone.low)))
    elif isinstance(zone, Rod):
        length = float(np.linalg.norm(np.array(zone.end) - np.array(zone.start)))
        inside = np.pi * zone.radius**2 * length if length else 4 / 3 * np.pi * zone.radius**3
    elif isinstance(zone, Near):
        inside = areas.get(zone.patch, 0.0) * zone.distance
    else:
        inside = volume
    return round(min(inside, volume) / size**3)
