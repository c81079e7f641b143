"""Several bodies in one mesh: walls that they share, faces that match, layers on either side, and a part of it to run on."""

import numpy as np
import pytest

from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.sharing import shared_walls
from brook.core.geometry.solids import solid
from brook.core.geometry.surface import Surface
from brook.core.mesh import measure
from brook.core.mesh.boxes import Layers, MeshError, Sizes, Solid, build_bodies
from brook.core.stages.assembly import flow_mesh
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Resolved, Study
from tests.core.test_mesh import assert_sound

SIDES = ("west", "east", "south", "north", "floor", "lid")


def box(name, low, size):
    names = Resolved(**{side: f"{name}_{side}" for side in SIDES})
    return solid(Resolved(kind="box", name=name, action="add", around=24, pattern=None, patches=names,
                          **dict(zip("xyz", low, strict=True)), **dict(zip(("width", "depth", "height"), size, strict=True))))  # fmt: skip


def rod(name, low, diameter, length):
    return solid(Resolved(kind="cylinder", name=name, action="add", around=48, pattern=None, axis="z", diameter=diameter, length=length,
                          patches=Resolved(start=f"{name}_start", end=f"{name}_end", side=f"{name}_side"), **dict(zip("xyz", low, strict=True))))  # fmt: skip


def bodies(parts, points, layers=None):
    """Bodies of shapes put in one after the other, each for itself."""
    surface = parts[0]
    for part in parts[1:]:
        surface = shared_walls(surface, part)
    wanted = [Resolved(name=n, holds="fluid", x=p[0], y=p[1], z=p[2]) for n, p in points.items()]
    found = []
    for body in bodies_of(surface, wanted)[0]:
        assert body.surface is not None, body.problem
        used = np.unique(body.surface.patch)
        own = Surface(body.surface.points, body.surface.triangles, np.searchsorted(used, body.surface.patch),
                      tuple(body.surface.patches[k] for k in used))  # fmt: skip
        found.append(Solid(body.name, own, np.array(points[body.name], float), (layers or {}).get(body.name)))
    return found


def meshed_bodies(parts, points, size, layers=None):
    found = bodies(parts, points, layers)
    mesh = build_bodies(found, Sizes(2 * size, {n: size for b in found for n in b.surface.patches}))
    assert_sound(mesh)
    assert "rest" not in [p.name for p in mesh.patches]
    return mesh, found


DUCT = ((0, 0, 0), (3, 1, 1))
WATER = {"water": (0.1, 0.5, 0.5)}


def chip_in_a_duct(size):
    chip = box("chip", (1.03, 0.31, 0.23), (0.62, 0.38, 0.27))
    return meshed_bodies([box("duct", *DUCT), chip], {**WATER, "chip": (1.3, 0.5, 0.35)}, size)[0]


def thin(patches, size, count=3):
    return (Layers(tuple(patches), count, 0.5 * size / (1.2**count - 1) * 0.2, 1.2),)


def between(mesh):
    inner = mesh.inner_count
    return np.nonzero(mesh.body[mesh.owner[:inner]] != mesh.body[mesh.neighbour])[0]


def test_a_solid_within_a_fluid_has_the_same_faces():
    mesh = chip_in_a_duct(0.05)
    volume = np.bincount(mesh.body, mesh.volume)
    chip = 0.62 * 0.38 * 0.27
    assert volume == pytest.approx([3 - chip, chip], rel=3e-3)
    wall = between(mesh)
    assert mesh.face_areas()[wall].sum() == pytest.approx(2 * (0.62 * 0.38 + 0.62 * 0.27 + 0.38 * 0.27), rel=5e-3)
    assert {mesh.walls[k] for k in mesh.wall[wall]} == {f"chip_{side}" for side in SIDES}
    water = mesh.part([0])
    assert_sound(water)
    assert water.bodies == ("water",)
    assert water.face_areas(water.patch("chip_lid").faces).sum() == pytest.approx(0.62 * 0.38, rel=5e-3)


@pytest.mark.parametrize("both", [False, True])
def test_layers_stand_on_one_side_of_a_wall_or_on_both(both):
    """A plate under a duct: their walls lie on each other, though each was drawn with its own triangles."""
    size = 0.1
    plate = box("plate", (0, 0, -0.3), (3, 1, 0.3))
    layers = {"water": thin(["plate_lid", "duct_lid"], size)} | ({"plate": thin(["plate_lid"], size)} if both else {})
    mesh, _ = meshed_bodies([box("duct", *DUCT), plate], {**WATER, "plate": (1.3, 0.5, -0.1)}, size, layers)
    assert np.bincount(mesh.body, mesh.volume) == pytest.approx([3.0, 0.9], rel=1e-9)
    wall = between(mesh)
    assert mesh.face_areas()[wall].sum() == pytest.approx(3.0)
    sides = np.stack([mesh.owner[wall], mesh.neighbour[wall]])
    first = mesh.layer[np.where(mesh.body[sides] == 0, sides, -1).max(axis=0)]
    other = mesh.layer[np.where(mesh.body[sides] == 1, sides, -1).max(axis=0)]
    assert (first == 1).mean() > 0.98
    assert (other == (1 if both else 0)).mean() > 0.98


@pytest.mark.parametrize("size", [0.1, 0.05, pytest.param(0.03, marks=pytest.mark.slow)])
def test_two_solids_that_touch_in_a_fluid(size):
    low, high = rod("low", (1.2, 0.5, 0.2), 0.4, 0.3), rod("high", (1.2, 0.5, 0.5), 0.25, 0.25)
    points = {**WATER, "low": (1.2, 0.5, 0.3), "high": (1.2, 0.5, 0.6)}
    layers = {"water": thin(["low_side", "high_side", "low_end", "low_start", "high_end"], size)}
    mesh, found = meshed_bodies([box("duct", *DUCT), low, high], points, size, layers)
    assert measure(mesh).non_orthogonality.max() < 80
    if size < 0.05:
        wanted = [abs(b.surface.volume) for b in found]
        assert np.bincount(mesh.body, mesh.volume) == pytest.approx(wanted, rel=1e-2)


def test_walls_of_solids_that_lie_on_each_other_are_divided_alike():
    plate, chip = box("plate", (0, 0, 0), (4, 4, 1)), box("chip", (1, 1, 1), (1, 1, 1))
    both = shared_walls(plate, chip)
    used = {name: both.areas[both.patch == k].sum() for k, name in enumerate(both.patches)}
    assert used["plate_lid"] == pytest.approx(15.0)
    assert used["chip_floor"] == pytest.approx(1.0)
    assert set(np.unique(both.edges.uses)) == {2, 3}
    apart = shared_walls(plate, box("chip", (1, 1, 5), (1, 1, 1)))
    assert apart.count == 24
    found, _ = bodies_of(
        both,
        [
            Resolved(name="plate", holds="solid", x=2.0, y=2.0, z=0.5),
            Resolved(name="chip", holds="solid", x=1.5, y=1.5, z=1.5),
        ],
    )
    assert [b.problem for b in found] == ["", ""]
    assert found[0].touches == pytest.approx({"chip": 1.0})


def test_a_body_that_is_too_small_for_its_boxes_is_told():
    with pytest.raises(MeshError, match="no box lies inside pin"):
        meshed_bodies([box("duct", *DUCT), box("pin", (1.01, 0.51, 0.51), (0.01, 0.01, 0.01))],
                      {**WATER, "pin": (1.015, 0.515, 0.515)}, 0.2)  # fmt: skip


def test_water_flows_round_a_solid_that_is_meshed_too():
    sides = dict.fromkeys(("south", "north", "floor", "lid"), "shell")
    parts = [{"kind": "box", "name": "duct", "width": "60 mm", "depth": "20 mm", "height": "20 mm", "patches": {"west": "inlet", "east": "outlet", **sides}},
             {"kind": "cylinder", "name": "pin", "action": "apart", "x": "25 mm", "y": "10 mm", "z": "4 mm", "diameter": "8 mm", "length": "9 mm",
              "patches": {"start": "pin", "end": "pin", "side": "pin"}}]  # fmt: skip
    points = [
        {"name": "water", "x": "5 mm", "y": "10 mm", "z": "10 mm"},
        {"name": "pin", "holds": "solid", "x": "25 mm", "y": "10 mm", "z": "7 mm"},
    ]
    study = Study.model_validate({
        "title": "pin", "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": parts, "bodies": points}}],
        "mesh_plan": {"bulk": "4 mm", "wall": "2 mm"},
        "set_up": {"boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "2 mm/s"}, {"kind": "pressure", "patch": "outlet"}]},
    })  # fmt: skip
    prepared, surface = ready(study, "a")
    mesh = meshed(study, prepared, surface, lambda _: None)
    assert mesh.bodies == ("water", "pin")
    outcome = solve(study, prepared, mesh)
    assert outcome.state == "converged"
    assert outcome.fields.mesh.cell_count == flow_mesh(prepared, mesh).cell_count < mesh.cell_count
    assert outcome.fields.flow("pin") == 0.0
