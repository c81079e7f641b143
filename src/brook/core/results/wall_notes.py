"""What a turbulent run says of its walls: where the first cells lie, what the walls feel, and which first layer would suit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brook.core.physics.plate import LAW_ENDS
from brook.core.results.quantities import View
from brook.core.units import DIMENSIONS, round_text, show

RESOLVED, BRIDGED = (
    2.0,
    30.0,
)  # y⁺ of first centres to which cells see the layer at the wall, and from which its law bridges it
NEAR, SUBLAYER = 1.5, 5.0  # times a wanted y⁺ that are as good as it, and the y⁺ up to which lower ones are too
COARSE = 0.5  # share of a wall over that from which it is told
TWO_LAYER_SHARE = 0.3  # of a wall in between, from which it is told for models with two layers


@dataclass(frozen=True)
class WallNote:
    """A wall `patch`: the least, median and largest y⁺ of its first centres, mean shear in Pa and friction coefficient, the height in m
    of a first layer whose middle would lie at a y⁺ of 1, what to mind, and the y⁺ under which so many per cent of the wall lie."""

    patch: str
    y_plus: tuple[float, float, float]
    shear: float
    coefficient: float
    unit_height: float
    words: str
    percentiles: tuple[float, ...] = ()


def share_at(percentiles: Sequence[float], wanted: float) -> float:
    """The share of a wall whose first centres lie at a y⁺ that is wanted, at most NEAR times as high; where that is past the sublayer
    not lower than by NEAR either."""
    share = np.linspace(0.0, 1.0, len(percentiles))
    under = float(np.interp(NEAR * wanted, percentiles, share, left=0.0))
    lower = float(np.interp(wanted / NEAR, percentiles, share, left=0.0)) if wanted > SUBLAYER else 0.0
    return under - lower


def wall_notes(view: View, two_layer: bool = False) -> list[WallNote]:
    """Of each wall of a turbulent run, medians and means by area; nothing of a laminar one. `two_layer` for models that hold ε at walls."""
    fields, s = view.fields, view.fields.stencil
    if "y_plus" not in fields.more:
        return []
    found = []
    for patch in s.patches:
        here = s.boundary_faces(patch)
        height, friction = fields.more["y_plus"][1][here], fields.more["friction_velocity"][1][here]
        moves = friction > 0
        if not moves.any():
            continue
        size = fields.mesh.face_areas(patch.faces)
        cell = s.face_cell[here]
        unit = 2 * fields.viscosity[cell] / (fields.density[cell] * np.maximum(friction, 1e-300))
        height, unit, weight = height[moves], unit[moves], size[moves]
        coarse = float(weight[height > LAW_ENDS].sum() / weight.sum())
        between = float(weight[(height > RESOLVED) & (height < BRIDGED)].sum() / weight.sum())
        typical = weighted_median(unit, weight)
        shear, coefficient = (
            float(view.values(n)[1][here] @ size / size.sum()) for n in ("wall_shear", "friction_coefficient")
        )
        found.append(
            WallNote(
                patch.name, (float(height.min()), weighted_median(height, weight), float(height.max())), shear, coefficient, typical,
                _words(coarse, between if two_layer else 0.0, typical), tuple(_percentiles(height, weight)),
            )
        )  # fmt: skip
    return found


def _percentiles(values: np.ndarray, weight: np.ndarray) -> list[float]:
    """The values (101,) under which so many per cent of the weight (n,) lie."""
    order = np.argsort(values)
    reached = np.cumsum(weight[order])
    found: list[float] = np.interp(
        np.linspace(0.0, reached[-1], 101), np.append(0.0, reached), np.append(values[order[0]], values[order])
    ).tolist()
    return found


def weighted_median(values: np.ndarray, weight: np.ndarray) -> float:
    """The value (n,) under which half of the weight (n,) lies."""
    order = np.argsort(values)
    reached = np.cumsum(weight[order])
    return float(values[order][np.searchsorted(reached, 0.5 * reached[-1])])


def _words(coarse: float, between: float, unit: float) -> str:
    """What to mind of a wall, '' for nothing."""
    if coarse > COARSE:
        return (
            f"{round_text(100 * coarse, 2)} % of it has first cells over y⁺ {LAW_ENDS:g}, where the law of the wall ends: "
            f"a first layer of {show(100 * unit, DIMENSIONS['length'])} would lie near 100"
        )
    if between > TWO_LAYER_SHARE:
        return (
            f"{round_text(100 * between, 2)} % of it has first cells between y⁺ {RESOLVED:g} and {BRIDGED:g}, where this model takes 5 to 14 % "
            f"more friction than on finer ones: k-ω SST does not, or a first layer of {show(unit, DIMENSIONS['length'])}"
        )
    return ""
