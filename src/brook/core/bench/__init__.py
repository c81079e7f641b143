"""Speed figures, each taken beside the memory bandwidth of the same moment on the same machine; a new one is a line here."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from brook.core.bench import flows, looking, parts, ready, shapes
from brook.core.bench.measure import Figure

BENCHES: dict[str, Callable[[], Figure | list[Figure]]] = {
    "memory": flows.bench_memory,
    "memory-kept": flows.bench_memory_kept,
    "iteration": flows.bench_iteration,
    "cube": flows.bench_cube,
    "stirred": flows.bench_stirred,
    "held": flows.bench_held,
    "parts": parts.bench_parts,
    **{f"iterations-{n}": partial(flows.iterations, n) for n in (64, 100, 128)},
    "multigrid": flows.bench_multigrid,
    "multigrid-alone": flows.bench_multigrid_alone,
    "pressure": flows.bench_pressure,
    "pressure-own": flows.bench_own_pressure,
    "mesh": shapes.bench_mesh,
    "boxes": shapes.bench_boxes,
    "layers": shapes.bench_layers,
    "mesh-memory": shapes.bench_mesh_memory,
    "wrap": shapes.bench_wrap,
    "picture": flows.bench_picture,
    "cut": looking.bench_cut,
    "iso-surface": looking.bench_iso_surface,
    "streamlines": looking.bench_streamlines,
    "particles": looking.bench_particles,
    "movie": looking.bench_movie,
    "curve": looking.bench_curve,
    "map": looking.bench_map,
    "findings": shapes.bench_findings,
    "survey": shapes.bench_survey,
    "stl": shapes.bench_stl,
    "ready": ready.bench_ready,
}


def run_benches(names: list[str], say: Callable[[str], None]) -> list[Figure]:
    """Figures of some benches, or of all; `say` is told each as it comes."""
    figures: list[Figure] = []
    for name in names:
        say(f"{name} …")
        found = BENCHES[name]()
        figures += [found] if isinstance(found, Figure) else found
    return figures
