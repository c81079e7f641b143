"""How sure a reading is: its value on the finest mesh that there is, with the band in which it lies and what that is made of."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from brook.core.results.bands import Band, mesh_band
from brook.core.results.readings import show_swing
from brook.core.units import Dimension

TOLD = 1e-3  # of a band: parts of it that are smaller are not told


@dataclass(frozen=True)
class Certainty:
    """Half of what a reading may be off in all (None where there is no band), and of that what comes of cells, of where iterations stopped
    and of the window of a mean; `sizes` of cells in those of the mesh plan with the `values` there, from the finest on."""

    half: float | None
    mesh: Band
    stopped: float | None
    window: float | None
    sizes: tuple[float, ...]
    values: tuple[float, ...]
    unsteady: bool = False

    @property
    def words(self) -> str:
        """Where the band comes from, or why there is none."""
        if self.half is None:
            return f"no band: {self.mesh.words}"
        return f"of {len(self.sizes)} meshes: {self.mesh.words}"

    def made_of(self, dimension: Dimension, unit: str | None) -> list[tuple[str, str]]:
        """What the band is made of, each with its share in words."""
        if self.half is None or self.mesh.half is None:
            return []
        cells = "cells and steps in time" if self.unsteady else "cells"
        parts = [
            (cells, self.mesh.half),
            ("iterations that stopped", self.stopped),
            ("a window that ends", self.window),
        ]
        return [(name, show_swing(self.values[0], half, dimension, unit).partition(" ± ")[2]) for name, half in parts if half and half >= TOLD * self.half]  # fmt: skip


def in_series(
    kept: dict[str, Any], name: str, swings: Mapping[str, Sequence[float]] | None, left: Mapping[str, float] | None
) -> dict[str, Any]:
    """What a series takes of a reading of that name: of a run that stands without converging, whose monitors swing by so much about these means, the mean,
    with half the swing as what iterations leave open; of one that was over too soon what is `left` of it."""
    known = (swings or {}).get(name)
    if known is not None:
        return {**kept, "value": known[0], "stopped": known[1]}
    return {**kept, "stopped": left[name]} if left and name in left else kept


def certainty(series: Sequence[tuple[float, dict[str, Any]]], unsteady: bool) -> Certainty:
    """Of a reading by (size of cells, what is kept of it there), from the finest one on; every one has a value."""
    sizes, values = tuple(size for size, _ in series), tuple(float(kept["value"]) for _, kept in series)
    left = [kept.get("stopped") for _, kept in series[:2]]  # of both between which the step is that decides
    stopped = None if left[0] is None else sum(value or 0.0 for value in left)
    band = mesh_band(sizes, values, stopped or 0.0)
    window = series[0][1].get("window")
    half = None if band.half is None else band.half + (stopped or 0.0) + (window or 0.0)
    return Certainty(half, band, stopped, window, sizes, values, unsteady)
