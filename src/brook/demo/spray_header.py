"""The shapes of the Spray header study, as a drawing office would send them: open ends, named parts, a few defects.

A 63 mm header feeds the degassing column through six branches. The first file has what such files have: a hole where
a boss was left out, a slit along a seam, triangles turned over, one twice, points that miss each other by a hair.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from brook.core.geometry.booleans import combined
from brook.core.geometry.files import write_file
from brook.core.geometry.parts import without_empty
from brook.core.geometry.solids.swept import frame, swept
from brook.core.geometry.surface import Surface
from brook.core.geometry.surface.triangles import surface_of
from brook.core.study import Study
from brook.core.study.document import study_from

BORE, BRANCH, LENGTH, DROP = 0.063, 0.020, 0.72, 0.075
RING, AROUND = 0.008, 60
THICK = 0.006  # of the vane


@dataclass(frozen=True)
class Header:
    """One design: where its branches stand along x in m, its bore at the far end, whether a flat vane divides it half way up."""

    places: tuple[float, ...]
    end_bore: float = BORE
    vane: bool = False
    length: float = LENGTH


EVEN = tuple(0.11 + 0.10 * k for k in range(6))
DESIGNS = {
    "even": Header(EVEN),
    "tapered": Header(EVEN, end_bore=0.032),
    "vane": Header(EVEN, vane=True),
}


def tube(start: np.ndarray, end: np.ndarray, bores: tuple[float, float], names: tuple[str, str, str]) -> Surface:
    """A closed round tube, in rings about 8 mm apart; names of its start, end and side."""
    axis = end - start
    length = float(np.linalg.norm(axis))
    axis = axis / length
    one, other = frame(axis)
    count = max(2, round(length / RING))
    around = AROUND if bores[0] > 0.03 else 36
    turn = 2 * np.pi * np.arange(around) / around
    circle = np.cos(turn)[:, None] * one + np.sin(turn)[:, None] * other
    share = np.linspace(0.0, 1.0, count + 1)
    radii = (bores[0] + share * (bores[1] - bores[0])) / 2
    rings = start + (share * length)[:, None, None] * axis + radii[:, None, None] * circle
    return swept(rings, [names[2]] * around, names[0], names[1])


def closed_header(header: Header) -> Surface:
    """The water in the header as a closed surface, ends and all."""
    far = np.array([header.length, 0.0, 0.0])
    made = tube(np.zeros(3), far, (BORE, header.end_bore), ("inlet", "end", "header"))
    for k, x in enumerate(header.places, 1):
        at = np.array([x, 0.0, 0.0])
        branch = tube(at, at - [0, 0, DROP], (BRANCH, BRANCH), ("inside", f"outlet_{k}", f"branch_{k}"))
        made = combined(made, branch, "add")
    if header.vane:
        low, size = np.array([0.16, -0.040, -THICK / 2]), np.array([0.30, 0.080, THICK])
        ring = np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * size[:2]
        rings = np.stack([np.concatenate([ring, np.full((4, 1), z)], axis=1) + low for z in (0.0, size[2])])
        made = combined(made, swept(rings, ["vane"] * 4, "vane", "vane"), "take")
    return without_empty(made)


def drawn_header(header: Header) -> Surface:
    """The same as it is drawn: without the flat ends that water passes."""
    whole = closed_header(header)
    ends = [k for k, name in enumerate(whole.patches) if name == "inlet" or name.startswith("outlet")]
    return without_empty(whole.only(~np.isin(whole.patch, ends)))


def with_defects(surface: Surface) -> Surface:
    """One hole on top, one slit along the top seam, nine triangles turned, one double, one point off by a hair."""
    length = float(surface.box[1][0])
    middle = surface.points[surface.triangles].mean(axis=1)
    header = surface.patches.index("header")
    on_top = (surface.patch == header) & (middle[:, 2] > 0.7 * BORE / 2)
    boss = on_top & (np.abs(middle[:, 0] - 0.5 * length) < 1.1 * RING) & (np.abs(middle[:, 1]) < 0.007)
    made = surface.only(~boss)
    corners = made.points[made.triangles].copy()
    middle = corners.mean(axis=1)
    # one side of the seam stands off over a few rings
    seam = (np.abs(corners[:, :, 1]) < 1e-9) & (corners[:, :, 2] > 0.5 * BORE / 2)
    seam &= (np.abs(corners[:, :, 0] - 0.8 * length) < 3.1 * RING) & (middle[:, 1] < 0)[:, None]
    corners[seam] -= [0.0, 0.00012, 0.0]
    side = (
        (made.patch == header) & (middle[:, 0] > 0.4 * length) & (middle[:, 0] < 0.6 * length) & (middle[:, 1] > 0.02)
    )
    turned = np.nonzero(side)[0][:9]
    corners[turned] = corners[turned, ::-1]
    one, other = (_half_way_down(made, middle, f"branch_{k}") for k in (1, 2))
    corners[other, 0] += [2e-7, -1e-7, 1e-7]
    corners = np.concatenate([corners, corners[[one]]])
    patch = np.concatenate([made.patch, made.patch[[one]]])
    count = len(corners)
    return surface_of(corners.reshape(-1, 3), np.arange(3 * count).reshape(-1, 3), patch, made.patches)


def _half_way_down(surface: Surface, middle: np.ndarray, patch: str) -> int:
    """A triangle of a branch that lies between its ends."""
    mine = np.nonzero(surface.patch == surface.patches.index(patch))[0]
    return int(mine[np.argmin(np.abs(middle[mine, 2] + (DROP + BORE / 2) / 2))])


def files() -> dict[str, tuple[str, bytes]]:
    """File name and bytes of each design, in mm; the first one with its defects."""
    made = {}
    for name, header in DESIGNS.items():
        surface = drawn_header(header)
        if name == "even":
            surface = with_defects(surface)
        millimetres = surface.placed(surface.points * 1000)
        made[name] = (f"spray-header-{name}.stl", write_file("a.stl", millimetres))
    return made


def _geometry(file: str, content: str) -> dict[str, Any]:
    """A closed header: the file, its mending, its seven openings named, the water in it."""
    openings = [("inlet", "header", 0.0, BORE / 2, 0.0)]
    openings += [(f"outlet_{k}", f"branch_{k}", x, BRANCH / 2, -DROP) for k, x in enumerate(EVEN, 1)]
    closings = [
        {"patch": name, "at": {"patch": beside, "x": f"{1000 * x:g} mm", "y": f"{1000 * y:g} mm", "z": f"{1000 * z:g} mm"}}
        for name, beside, x, y, z in openings
    ]  # fmt: skip
    return {
        "kind": "space", "parts": [{"kind": "file", "name": "header", "file": file, "content": content, "unit": "mm"}],
        "closings": closings, "bodies": [{"name": "water", "x": "60 mm", "y": "0 mm", "z": "0 mm"}],
    }  # fmt: skip


MENDING = [
    {"kind": "merge", "within": "0.2 mm"}, {"kind": "remove_duplicates"}, {"kind": "spread_sides"},
    {"kind": "fill", "largest": "70 mm", "how": "bent"},
]  # fmt: skip


def study(contents: dict[str, tuple[str, str]]) -> Study:
    """The study; `contents` gives file name and content of each design in the store."""
    drawn = _geometry(*contents["even"])
    mended = {**drawn, "steps": MENDING}
    outlets = [f"outlet_{k}" for k in range(1, 7)]
    shares = ", ".join(f"{o}.flow.total" for o in outlets)
    return study_from({
        "format": "brook-study", "version": 1, "title": "Spray header",
        "brief": {"question": "Which header feeds its six branches evenly, at the least loss?",
                  "notes": "A 63 mm header feeds the degassing column of Marlbeck Hatchery with 6 L/s. Jets into the branches and the "
                           "water behind the last one never come to rest: what is read are means."},
        "variants": [
            {"name": "as_drawn", "title": "As drawn",
             "geometry": {"kind": "space", "parts": [{**drawn["parts"][0], "unit": ""}]}},
            {"name": "even", "title": "Even bore", "geometry": mended},
            {"name": "tapered", "title": "Tapered", "geometry": _geometry(*contents["tapered"])},
            {"name": "vane", "title": "With a vane", "geometry": _geometry(*contents["vane"])},
        ],
        "requirements": [
            {"name": "evenness", "title": "Largest over smallest branch flow", "reading": f"max({shares}) / min({shares})",
             "limit": {"kind": "at_most", "value": "1.03"}},
            {"name": "loss", "title": "Loss of the header", "unit": "Pa",
             "reading": "inlet.total_pressure.mean - outlet_1.total_pressure.mean",
             "limit": {"kind": "at_most", "value": "4 kPa"}},
        ],
        "plots": [
            {"name": "to_the_last", "title": "On the way to the last branch", "quantity": "total_pressure", "over": "through",
             "lines": [{"kind": "middle", "title": "Middle", "start": "inlet", "end": "outlet_6"}],
             "second": {"quantity": "speed"}},
        ],
        "mesh_plan": {"bulk": "8 mm", "wall": "4 mm", "patches": {"vane": "4 mm", **{f"branch_{k}": "2 mm" for k in range(1, 7)}}, "layers": {"number": 3, "height_of": "all", "height": "2 mm"}},
        "set_up": {
            "fluid": {"kind": "library", "substance": "water", "temperature": "10 degC"},
            "turbulence": {"incoming": {"kind": "duct", "diameter": "63 mm"}},
            "boundaries": [{"kind": "flow", "patch": "inlet", "volume_flow": "6 L/s"}]
            + [{"kind": "pressure", "patch": o} for o in outlets],
        },
        "run_rules": {"iterations": 600},
    })  # fmt: skip
