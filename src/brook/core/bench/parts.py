"""What the parts of an iteration take, loop by loop."""

from __future__ import annotations

import time

from brook.core.bench.flows import cube_flow
from brook.core.bench.measure import Figure, bandwidth, threads
from brook.core.numerics import chunks

# The loops of each part, by module and name; what is left of an iteration is boundaries and whatever NumPy does.
PARTS = {
    "gradient": ("gradients.slopes",),
    "momentum": ("moving.transfers", "moving.momentum"),
    "sweeps": ("sweeping.first_sweep", "sweeping.forward", "sweeping.backward", "sweeping.moved"),
    "fluxes": ("keeping.fluxes", "keeping.continuity"),
    "multigrid": ("kernels.",),
    "correction": ("keeping.answer", "gradients.slope", "keeping.corrected"),
}
ITERATIONS = 7


def bench_parts() -> list[Figure]:
    """The parts of one steady laminar iteration of the cube with 512 000 cells, each the median of some iterations."""
    flow = cube_flow(80)
    for _ in range(3):
        flow.iterate()
    taken: dict[str, list[float]] = {part: [] for part in (*PARTS, "rest")}
    for _ in range(ITERATIONS):
        begun = time.perf_counter()
        with chunks.clocked() as seconds:
            flow.iterate()
        whole = time.perf_counter() - begun
        for part, loops in PARTS.items():
            taken[part].append(sum(s for loop, s in seconds.items() if loop.startswith(loops)))
        taken["rest"].append(whole - sum(seconds.values()))
    cells, width = flow.stencil.cells, bandwidth()
    return [
        Figure(f"parts, {part}", "per cell and iteration of the cube", 1e6 * sorted(found)[ITERATIONS // 2] / cells, "µs", cells, width, threads())
        for part, found in taken.items()
    ]  # fmt: skip
