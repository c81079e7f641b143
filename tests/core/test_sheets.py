"""Sheets without thickness that have water on both sides: meshed as walls with two sides, wherever they end."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.booleans import together
from brook.core.geometry.findings import FINDERS
from brook.core.geometry.nearest import Nearest
from brook.core.geometry.surface import Surface, welded
from brook.core.geometry.survey import found, openings
from brook.core.mesh import measure
from brook.core.mesh.account import account
from brook.core.mesh.boxes import Layers, Sizes, Solid, build_bodies, doubled
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Resolved, study_text
from brook.core.study.document import study_from
from tests.core.test_bodies import DUCT, box
from tests.core.test_mesh import assert_sound

WATER = [Resolved(name="water", holds="fluid", x=0.1, y=0.1, z=0.1)]


def sheet(place, along=12, across=6, name="vane"):
    """Triangles of a patch of `place` over the unit square."""
    u, v = np.meshgrid(np.linspace(0, 1, along + 1), np.linspace(0, 1, across + 1), indexing="ij")
    points = np.array([place(a, b) for a, b in zip(u.ravel(), v.ravel(), strict=True)])
    n = np.arange(len(points)).reshape(u.shape)
    a, b, c, d = (k.ravel() for k in (n[:-1, :-1], n[1:, :-1], n[1:, 1:], n[:-1, 1:]))
    triangles = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    return Surface(points, triangles, np.zeros(len(triangles), np.int64), (name,))


def disc(spokes=64):
    t = np.arange(spokes + 1) * 2 * np.pi / spokes
    rim = np.stack([1.5 + 0.1 * np.cos(t), 0.5 + 0.35 * np.cos(t), 0.5 + 0.35 * np.sin(t)], axis=1)
    corners = np.stack([np.broadcast_to([1.5, 0.5, 0.5], (spokes, 3)), rim[:-1], rim[1:]], axis=1)
    return welded(corners, np.zeros(spokes, np.int64), ("vane",))


SHEETS = {
    "flat": lambda: sheet(lambda a, b: (1 + a, 0.2 + 0.6 * b, 0.5)),
    "askew": lambda: sheet(lambda a, b: (1 + a * 0.92 - 0.2 * b, 0.2 + 0.6 * b, 0.3 + a * 0.39 + 0.2 * b)),
    "bent": lambda: sheet(lambda a, b: (1 + np.sin(1.5 * a) * 0.7, 0.2 + 0.6 * b, 0.3 + 0.5 * (1 - np.cos(1.5 * a)))),
    "disc": disc,
    "from wall to wall": lambda: sheet(lambda a, b: (1 + a, b, 0.5 + 0.2 * a)),
}  # fmt: skip


def in_water(*sheets):
    """The surface of the water in a duct with sheets in it."""
    surface = together([box("duct", *DUCT), *sheets])
    body = bodies_of(surface, WATER, [s.patches[0] for s in sheets])[0][0]
    assert body.surface is not None, body.problem
    return body.surface


def meshed_with(surface, size, names=("vane",), layers=()):
    mesh = build_bodies(
        [Solid("water", surface, np.array([0.1, 0.1, 0.1]), layers)], Sizes(0.12, dict.fromkeys(names, size))
    )
    assert_sound(mesh)
    return mesh


@pytest.mark.parametrize("size", [0.1, 0.05])
@pytest.mark.parametrize("shape", SHEETS)
def test_a_sheet_is_a_wall_with_two_sides(shape, size):
    one = SHEETS[shape]()
    water = in_water(one)
    assert doubled(water).sum() == 2 * one.count
    mesh = meshed_with(water, size)
    faces = mesh.patch("vane").faces
    exact = float(one.areas.sum())
    assert mesh.face_areas(faces).sum() == pytest.approx(2 * exact, rel=0.3 * size)
    # what looks to one side looks to the other too
    assert np.abs(mesh.face_vector[faces].sum(axis=0)).max() < 1e-12
    assert mesh.volume.sum() == pytest.approx(3, rel=5e-4)
    assert not account([("water", water)], mesh).over(0.01)
    # both sides have points in common only where it ends
    sides = []
    _, triangle = Nearest.of(one.points[one.triangles], np.zeros(one.count, np.int64)).find(mesh.face_centres(faces))
    up = np.einsum("ij,ij->i", one.vectors[triangle], mesh.face_vector[faces]) > 0
    for side in (up, ~up):
        chosen = np.arange(faces.start, faces.stop)[side]
        sides.append(
            {p for f in chosen for p in mesh.face_points[mesh.face_offsets[f] : mesh.face_offsets[f + 1]].tolist()}
        )
    ends = one.points[one.edges.ends[one.edges.uses == 1]]
    rim, _ = Nearest.of(ends[:, [0, 1, 1]], np.zeros(len(ends), np.int64)).find(mesh.points[list(sides[0] & sides[1])])
    assert len(rim) > 5
    assert np.linalg.norm(rim - mesh.points[list(sides[0] & sides[1])], axis=1).max() < 0.3 * size


def test_layers_stand_on_both_sides_and_end_at_the_rim():
    water = in_water(SHEETS["bent"]())
    mesh = meshed_with(water, 0.04, layers=(Layers(("vane",), 4, 0.0015),))
    faces = mesh.patch("vane").faces
    owner = mesh.owner[faces]
    up = mesh.face_vector[faces] @ np.array([-1.0, 0.0, 1.0]) > 0
    for side in (up, ~up):
        assert 0.6 < (mesh.layer[owner[side]] == 1).mean() < 0.95
    assert mesh.layer.max() == 4
    assert measure(mesh).smallest_volume > 0


def test_two_sheets_that_cross_part_the_water_in_four():
    one = sheet(lambda a, b: (1 + a, 0.2 + 0.6 * b, 0.5), name="level")
    other = sheet(lambda a, b: (1.2 + 0.6 * a, 0.51, 0.2 + 0.6 * b), name="upright")
    mesh = meshed_with(in_water(one, other), 0.05, ("level", "upright"))
    for name, area in (("level", 0.6), ("upright", 0.36)):
        assert mesh.face_areas(mesh.patch(name).faces).sum() == pytest.approx(2 * area, rel=0.02)


def test_a_sheet_that_ends_on_a_solid_stands_in_the_water_alone():
    plate = box("plate", (0, 0, -0.3), (3, 1, 0.3))
    fin = sheet(lambda a, b: (1 + a, 0.5, 0.4 * b), name="fin")
    points = [*WATER, Resolved(name="metal", holds="solid", x=1.3, y=0.5, z=-0.1)]
    surface = together([plate, box("duct", *DUCT), fin])
    found = bodies_of(surface, points, ["fin"])[0]
    solids = [Solid(b.name, b.surface, np.array([p.x, p.y, p.z])) for b, p in zip(found, points, strict=True)]
    mesh = build_bodies(solids, Sizes(0.1, {"fin": 0.05}))
    assert_sound(mesh)
    assert np.bincount(mesh.body, mesh.volume) == pytest.approx([3, 0.9], rel=1e-3)
    faces = mesh.patch("fin").faces
    assert mesh.face_areas(faces).sum() == pytest.approx(0.8, rel=0.03)
    assert (mesh.body[mesh.owner[faces]] == 0).all()


def test_a_sheet_smaller_than_the_cells_is_told_to_be_lost():
    water = in_water(sheet(lambda a, b: (1.511 + 0.02 * a, 0.511 + 0.02 * b, 0.512)))
    lost = account([("water", water)], meshed_with(water, 0.12)).over(0.02)
    assert [(p.patch, p.meshed) for p in lost] == [("vane", 0.0)]


def test_no_hole_is_found_where_a_sheet_ends():
    surface = together([box("duct", *DUCT), SHEETS["disc"]()])
    assert [(o["patch"], o["alone"]) for o in openings(surface)] == [("vane", True)]
    # a duct without its ends is none: it ends twice
    tube = box("duct", *DUCT)
    ends = [tube.patches.index(f"duct_{side}") for side in ("west", "east")]
    tube = tube.only(np.nonzero(~np.isin(tube.patch, ends))[0])
    assert [o["alone"] for o in openings(tube)] == [False, False]
    assert openings(surface, ["vane"]) == []
    kinds = {f["kind"] for f in found(surface, lambda _: None)}
    assert kinds
    assert kinds <= {finder.kind for finder in FINDERS}
    assert found(surface, lambda _: None, ["vane"]) == []


def test_what_ends_within_a_body_and_is_no_sheet_is_told_and_not_left_out():
    surface = together([box("duct", *DUCT), SHEETS["disc"]()])
    said = "vane ends within it in free edges: say that it is a sheet, close it, or take it out"
    through = "the fluid gets out through a hole, the largest 2.97 m round at 1502, 505.3, 500 mm; cap it, or say that vane is a sheet"
    told = set()
    # whichever wall is seen first from the point
    for x in np.linspace(0.1, 2.9, 12):
        body = bodies_of(surface, [Resolved(name="water", holds="fluid", x=x, y=0.13, z=0.11)])[0][0]
        assert body.surface is None
        told.add(body.problem)
    assert told == {said, through}
    # what stands outside is nobody's
    outside = sheet(lambda a, b: (1 + a, b, 2.0), name="roof")
    assert bodies_of(together([box("duct", *DUCT), outside]), WATER)[0][0].problem == ""


# -- as a study ---------------------------------------------------------------------------------


def stl(one):
    corners = one.points[one.triangles]
    lines = [
        f"facet normal 0 0 0\nouter loop\n{''.join(f'vertex {p[0]:.9g} {p[1]:.9g} {p[2]:.9g}{chr(10)}' for p in c)}endloop\nendfacet"
        for c in corners
    ]
    return "\n".join(["solid vane", *lines, "endsolid vane"])


def channel(height, sheets=(), parts=()):
    sides = {"west": "inlet", "east": "outlet", "south": "side", "north": "side", "floor": "wall", "lid": "wall"}
    duct = {
        "kind": "box",
        "name": "duct",
        "x": "0 mm",
        "y": "0 mm",
        "z": "0 mm",
        "width": "60 mm",
        "depth": "4 mm",
        "height": height,
        "patches": sides,
    }
    return study_from({
        "format": "brook-study", "version": 1, "title": "Channel",
        "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [duct, *parts], "sheets": list(sheets),
                      "bodies": [{"name": "oil", "x": "1 mm", "y": "1 mm", "z": "1 mm"}]}}],
        "requirements": [{"name": "loss", "title": "Loss", "unit": "Pa", "reading": "inlet.pressure.mean - outlet.pressure.mean", "limit": {"kind": "at_most", "value": "1 kPa"}}],
        "mesh_plan": {"bulk": "1 mm", "wall": "1 mm"},
        "set_up": {"fluid": {"kind": "own", "density": "900 kg/m^3", "viscosity": "0.1 Pa s"},
                   "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "0.1 m/s"}, {"kind": "pressure", "patch": "outlet"}, {"kind": "symmetry", "patch": "side"}]},
    })  # fmt: skip


def through(folder):
    """A sheet half way up a channel of 16 mm, along all of it."""
    flat = sheet(lambda a, b: (-0.002 + 0.064 * a, -0.001 + 0.006 * b, 0.008))
    (folder / "vane.stl").write_text(stl(flat))
    return channel("16 mm", ["vane"], [{"kind": "file", "name": "vane", "file": "vane.stl", "unit": "m"}])


def test_a_channel_with_a_sheet_half_way_up_is_two_of_half_the_height(tmp_path):
    losses = []
    for study in (through(tmp_path), channel("8 mm")):
        prepared, surface = ready(study, "a", tmp_path)
        mesh = meshed(study, prepared, surface, lambda _: None, tmp_path)
        fields = solve(study, prepared, mesh).fields
        losses.append(fields.pressure[mesh.centre[:, 0] < 0.03].mean())
    assert losses[0] == pytest.approx(losses[1], rel=0.01)


def test_a_study_says_which_patches_are_sheets(tmp_path):
    study = through(tmp_path)
    (tmp_path / "study.json").write_text(study_text(study))
    told = CliRunner().invoke(app, ["mesh", str(tmp_path / "study.json"), "--json"])
    said = json.loads(told.stdout)
    assert "vane: a sheet, 3.84 cm² on each side" in told.stderr
    kept = {p["patch"]: p for p in said["account"]["patches"]}
    assert kept["vane"]["meshed"] == pytest.approx(2 * 0.06 * 0.004, rel=0.02)
    # what stands out of the oil is not meshed, and is told
    assert kept["vane"]["share"] == pytest.approx(0.06 * 0.004 / 3.84e-4, rel=0.05)


def problems(study, folder):
    (folder / "study.json").write_text(study_text(study))
    return CliRunner().invoke(app, ["check", str(folder / "study.json")]).stdout


def test_what_is_no_sheet_is_told(tmp_path):
    study = through(tmp_path)
    assert "nothing keeps" in problems(study, tmp_path)
    assert "no patch called 'nothing'" in problems(act(study, "set_sheet", variant="0", patch="nothing"), tmp_path)
    closed = study.model_dump(mode="json")
    geometry = closed["variants"][0]["geometry"]
    geometry["parts"][0]["patches"] = dict.fromkeys(geometry["parts"][0]["patches"], "wall")
    geometry["sheets"] = ["vane", "wall"]
    assert "wall goes round a space, so that it is no sheet; take this out" in problems(study_from(closed), tmp_path)
    inflow = study.model_dump(mode="json")
    inflow["set_up"]["boundaries"].append({"kind": "pressure", "patch": "vane"})
    assert "'vane' is a sheet with fluid on both sides; only walls are" in problems(study_from(inflow), tmp_path)
    stretched = study.model_dump(mode="json")
    stretched["mesh_plan"]["stretch"] = {"x": "2"}
    assert any(
        "sheets are not stretched" in p.message
        for p in prepare(study_from(stretched), study_from(stretched).variants[0]).problems
    )
    without = act(study, "set_sheet", variant="0", patch="vane", wanted="")
    assert without.variants[0].geometry.sheets == ()
    renamed = act(study, "rename_patch", patch="vane", to="splitter")
    assert renamed.variants[0].geometry.sheets == ("splitter",)
