"""What a mesh of boxes would cost, before any is made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from brook.core.mesh.boxes.build import Sizes

# At the peak of a run, and seconds of making the mesh, measured on meshes of the demo.
BYTES_PER_CELL = 2600
CELLS_PER_SECOND = 15_000
INWARD = 0.9  # boxes of the smallest size that stand inside of those which meet a wall, besides the buffer


@dataclass(frozen=True)
class SpaceEstimate:
    """Cells in all, and those (by patch name) that the size at a patch adds to what the bulk alone would make."""

    cells: int
    at_patches: dict[str, int]

    @property
    def memory(self) -> float:
        return self.cells * BYTES_PER_CELL

    @property
    def mesh_seconds(self) -> float:
        return self.cells / CELLS_PER_SECOND


def estimate(volume: float, areas: dict[str, float], sizes: Sizes) -> SpaceEstimate:
    """For a body of a volume in m³ with patches of some areas in m²: within a quarter on pipes and tees with sizes of
    two or four to one, up to two times off where fine patches lie close together or far within the body.

    Near a patch stand layers of boxes of each size from its own up to the bulk's: those that meet it and the buffer.
    """
    added = {}
    for name, area in areas.items():
        level = max(0, int(np.ceil(np.log2(sizes.bulk / sizes.patches.get(name, sizes.bulk)) - 1e-9)))
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
    return SpaceEstimate(round(total), {name: round(cells) for name, cells in added.items()})
