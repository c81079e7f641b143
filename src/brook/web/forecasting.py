"""What a run will likely take, from those of the same study that have ended."""

from __future__ import annotations

from brook.core.mesh.lines import SECONDS_PER_CELL
from brook.core.stages.expected import cells_of
from brook.core.study import sized_name, steps_coarser
from brook.web.state import StudyState, VariantState

STEEPER = 1.2  # power of the number of cells: larger meshes need more iterations too
BEGINS = 1.5  # s for which a run reads, meshes and writes whatever it computes


class Costs:
    """Seconds of computing by case and cells."""

    def __init__(self, state: StudyState):
        self.state = state
        every = [v for base in state.variants for v in base.every_size if v.run.summary]
        known = [(v.run.summary["cells"], v.run.summary["seconds"]) for v in every if v.run.summary]
        rates = sorted(seconds / cells**STEEPER for cells, seconds in known if cells and seconds)
        self.rate = rates[len(rates) // 2] if rates else None

    def seconds(self, name: str, coarser: int) -> float:
        """Of a case on cells coarser by so many steps."""
        base = self.state.variant(name)
        across = 2 if base.variant.geometry.kind == "plane" else 3
        for v in sorted(base.every_size, key=lambda v: abs(steps_coarser(v.variant) - coarser)):
            if v.run.summary and v.run.summary["seconds"]:
                by = 2 ** (across * (steps_coarser(v.variant) - coarser) / 2)
                return BEGINS + float(v.run.summary["seconds"] * by**STEEPER)
        cells = self._cells(name, coarser)
        if cells is None:
            return BEGINS
        return BEGINS + (cells**STEEPER * self.rate if self.rate else cells * SECONDS_PER_CELL)

    def _cells(self, name: str, coarser: int) -> float | None:
        return float(expected_cells(self.state.variant(sized_name(name, coarser)))) or None


def expected_cells(v: VariantState) -> int:
    """How many cells the mesh of a case has or will have, 0 where that is not known before it is made."""
    if v.mesh.summary and v.mesh.fresh:
        return int(v.mesh.summary["cells"])
    return int(cells_of(v.prepared, []) or 0)


def told_time(seconds: float) -> str:
    """Seconds, minutes or hours, as one would say it."""
    if seconds < 90:
        return f"{max(seconds, 1):.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"
