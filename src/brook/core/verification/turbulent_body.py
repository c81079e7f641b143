"""Turbulent flow round a bluff body near the ground: its drag, after Ahmed, Ramm & Faltin (1984, SAE 840300).

1.044 m long, 0.389 m wide and 0.288 m high, 50 mm over the ground, its front edges rounded by 100 mm and its roof at the back sloping
for 222 mm; at 60 m/s, 4.3 million by its length. At a slope of 35° the flow leaves the roof at its edge, which models of two equations
can follow; at 25° it is on the brink. Half of it is computed, on cells of boxes with layers at its walls.
"""

from __future__ import annotations

import tempfile
from functools import cache
from pathlib import Path

import numpy as np

from brook.core.geometry.booleans import combined
from brook.core.geometry.files.stl import write_text
from brook.core.geometry.solids import solid
from brook.core.geometry.surface import Surface
from brook.core.results.forces import face_forces
from brook.core.solve import Outcome
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Resolved
from brook.core.study.document import study_from
from brook.core.verification.case import Comparison, Found

LENGTH, WIDTH, HEIGHT, CLEAR, ROUND, SLOPING = 1.044, 0.389, 0.288, 0.05, 0.1, 0.222
SPEED, VISCOSITY, DENSITY = 60.0, 1.46e-5, 1.2
SLOPE = 35.0
SOURCE, TOLERANCE = "Ahmed et al. 1984", 0.06
DRAG = 0.257
ROOM = (-2.0, 5.0, 2.0, 2.0)  # in m: where it begins and ends along x, how wide half of the room is, and how high


def body(slope: float, around: int = 24) -> Surface:
    """The whole body with its nose at x = 0, of rectangles one after the other; `around` pieces make a quarter turn of its front."""
    turn = np.linspace(0, np.pi / 2, around + 1)
    x = np.r_[ROUND * (1 - np.cos(turn)), LENGTH]
    less = np.r_[ROUND * (1 - np.sin(turn)), 0.0]
    top = np.full(len(x), CLEAR + HEIGHT) - less
    if slope:
        along, down = SLOPING * np.cos(np.radians(slope)), SLOPING * np.sin(np.radians(slope))
        x = np.insert(x, -1, LENGTH - along)
        less, top = np.insert(less, -1, 0.0), np.insert(top, -1, CLEAR + HEIGHT)
        top[-1] -= down
    half, low = WIDTH / 2 - less, CLEAR + less
    rings = np.stack([np.c_[x, y, z] for y, z in ((-half, low), (half, low), (half, top), (-half, top))], axis=1)
    count = len(x)
    corner = 4 * np.arange(count - 1)[:, None]
    a, b = corner + np.arange(4), corner + np.roll(np.arange(4), -1)
    sides = np.concatenate([np.stack([a, b, b + 4], -1).reshape(-1, 3), np.stack([a, b + 4, a + 4], -1).reshape(-1, 3)])
    end = 4 * (count - 1)
    caps = np.array([[0, 2, 1], [0, 3, 2], [end, end + 1, end + 2], [end, end + 2, end + 3]])
    triangles = np.concatenate([sides, caps])
    return Surface(rings.reshape(-1, 3), triangles, np.zeros(len(triangles), np.int32), ("body",))


def room(slope: float) -> Surface:
    """Half of the fluid round it."""
    sides = {"west": "begin", "east": "end", "south": "middle", "north": "far", "floor": "ground", "lid": "lid"}
    box = Resolved(kind="box", name="room", action="add", around=64, pattern=None, x=ROOM[0], y=0.0, z=0.0, width=ROOM[1] - ROOM[0], depth=ROOM[2],
                   height=ROOM[3], patches=Resolved(**sides))  # fmt: skip
    return combined(solid(box), body(slope), "take")


@cache
def flow(slope: float, size: float = 0.016) -> Outcome:
    """With cells of a size at the body, in m."""
    part = {"kind": "file", "name": "room", "file": "room.stl", "unit": "m"}
    zones = [
        {"kind": "box", "x": "-0.3 m", "y": "0 m", "z": "0 m", "width": "2.6 m", "depth": "0.4 m", "height": "0.6 m", "size": f"{4 * size} m"},
        {"kind": "box", "x": "0.8 m", "y": "0 m", "z": "0 m", "width": "0.9 m", "depth": "0.28 m", "height": "0.42 m", "size": f"{2 * size} m"},
    ]  # fmt: skip
    study = study_from({
        "format": "brook-study", "version": 1, "title": "body",
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part],
                      "bodies": [{"name": "air", "x": f"{ROOM[0] + 0.1} m", "y": "1 m", "z": "1 m"}]}}],
        "mesh_plan": {"way": "boxes", "bulk": "0.2 m", "wall": "0.1 m", "patches": {"body": f"{size} m"}, "zones": zones,
                      "layers": {"patches": ["body"], "number": 4, "height_of": "first", "height": f"{size / 16} m", "growth": "1.4"}},
        "set_up": {
            "fluid": {"kind": "own", "density": f"{DENSITY} kg/m^3", "viscosity": f"{DENSITY * VISCOSITY!r} Pa s"},
            "turbulence": {"incoming": {"kind": "ratio", "intensity": "0.5 %", "ratio": "10"}},
            "boundaries": [{"kind": "velocity", "patch": "begin", "speed": f"{SPEED} m/s"}, {"kind": "pressure", "patch": "end"},
                           {"kind": "symmetry", "patch": "middle"}, {"kind": "slip", "patch": "far"}, {"kind": "slip", "patch": "lid"}]},
        "run_rules": {"residual": "1e-4", "iterations": 800},
    })  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        beside = Path(folder)
        (beside / "room.stl").write_bytes(write_text(room(slope)))
        prepared, surface = ready(study, "a", beside)
        return solve(study, prepared, meshed(study, prepared, surface, lambda _: None, beside))


def drag(outcome: Outcome) -> float:
    """C_D by the frontal area of the body."""
    pressure, friction = face_forces(outcome.fields, outcome.fields.mesh.patch("body"))
    return float(2 * (pressure + friction)[:, 0].sum() / (0.5 * DENSITY * SPEED**2 * WIDTH * HEIGHT))


def run() -> list[Found]:
    """On cells of boxes with four layers."""
    outcome = flow(SLOPE)
    mesh = f"{outcome.fields.mesh.cell_count} cells of boxes round half of it, first centres at y⁺ 25 to 125"
    return [Comparison(f"C_D, roof sloping by {SLOPE:g}°", SOURCE, DRAG, drag(outcome), TOLERANCE, mesh)]
