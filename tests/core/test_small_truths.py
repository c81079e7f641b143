"""Small things that were not what they were called, or were refused without a reason."""

import numpy as np
import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.checks import check
from brook.core.formulas import FormulaError, evaluate, parse
from brook.core.geometry.files import FileError, read_file, write_file
from brook.core.geometry.files.told import joined_words
from brook.core.geometry.findings import find_all
from brook.core.geometry.surface import Surface
from brook.core.mesh.ordered.tube import wider
from brook.core.stages.batch import solve_variant
from brook.core.study.document import study_from
from brook.core.units import DIMENSIONS
from tests.core.studies import raw_tray
from tests.core.surfaces import cube as box


@pytest.mark.parametrize("text", ["2.1e-4 1/K", "2.1e-4 K^-1", "2.1e-4/(1 K)"])
def test_a_unit_of_one_over_something_fits_as_it_is_shown(text):
    found = evaluate(parse(text), lambda _: None)
    assert (found.value, found.dimension) == (pytest.approx(2.1e-4), DIMENSIONS["expansion"])


@pytest.mark.parametrize("text", ["3 1/x", "3 1/", "3 1", "3 1/2"])
def test_one_over_something_else_is_no_unit(text):
    with pytest.raises(FormulaError):
        parse(text)


def rounded(surface, by):
    """Every triangle with corners of its own, each moved by a rounding difference."""
    corners = surface.points[surface.triangles].reshape(-1, 3)
    moved = corners + by * np.random.default_rng(1).uniform(-1, 1, corners.shape)
    return Surface(moved, np.arange(len(moved)).reshape(-1, 3), surface.patch, surface.patches)


def is_closed(surface):
    edges = np.sort(surface.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    return (np.unique(edges, axis=0, return_counts=True)[1] == 2).all()


@pytest.mark.parametrize("suffix", ["obj", "ply"])
def test_points_that_differ_by_rounding_are_one_and_it_is_said(suffix, tmp_path):
    whole = box()
    size = float(np.abs(whole.points).max())
    text = write_file(f"a.{suffix}", rounded(whole, 1e-16 * size))
    surface = read_file(f"a.{suffix}", text)
    assert is_closed(surface)
    assert len(surface.points) == len(whole.points)
    assert "by rounding were made one with them" in joined_words(surface)[0]
    (tmp_path / f"a.{suffix}").write_bytes(text)
    said = CliRunner().invoke(app, ["look", str(tmp_path / f"a.{suffix}"), "--unit", "m"])
    assert "by rounding were made one" in said.stdout
    assert said.exit_code == 0


def test_points_further_apart_stay_and_many_at_one_place_take_no_time():
    whole = box()
    size = float(np.abs(whole.points).max())
    apart = read_file("a.obj", write_file("a.obj", rounded(whole, 1e-6 * size)))
    assert apart.joined == 0
    assert not is_closed(apart)
    assert read_file("a.obj", write_file("a.obj", whole)).joined == 0
    turn = np.linspace(0, 2 * np.pi, 60_001)
    rim = np.stack([np.cos(turn), np.sin(turn), 0 * turn], axis=1)
    hub = np.random.default_rng(2).uniform(
        -1e-13, 1e-13, (60_000, 3)
    )  # each triangle with a point of its own in the middle
    points = np.concatenate([rim, hub])
    k = np.arange(60_000)
    triangles = np.stack([k, k + 1, 60_001 + k], axis=1)
    found = read_file("a.obj", write_file("a.obj", Surface(points, triangles, np.zeros(60_000, int), ("a",))))
    assert found.joined == 60_000  # all of the hub but one, and the end of the rim that is its beginning
    one_far_off = Surface(np.concatenate([whole.points, [[1e12, 0, 0]]]), whole.triangles, whole.patch, whole.patches)
    assert read_file("a.obj", write_file("a.obj", one_far_off)).count == whole.count


def test_a_tube_of_cells_has_the_area_of_its_circle():
    for around in (16, 32, 64):
        turn = 2 * np.pi / around
        assert around / 2 * np.sin(turn) * wider(around) ** 2 == pytest.approx(np.pi, rel=1e-12)


def streamed(**values):
    raw = raw_tray(variants=[raw_tray()["variants"][0]], requirements=[], places={})
    raw["variants"][0]["geometry"]["openings"] = []
    raw["variants"][0]["geometry"]["outer"].pop("patches")  # names of their own are not asked for
    raw["set_up"]["boundaries"] = [
        {"kind": "stream", "patch": side, "velocity_x": "3 mm/s", "velocity_y": "1 mm/s", **values}
        for side in ("left", "right", "bottom", "top")
    ]
    return study_from(raw)


def test_a_stream_on_all_sides_needs_no_outlet():
    study = streamed()
    assert check(study) == []
    _, outcome = solve_variant(study, "plain")
    assert outcome.state == "converged"
    assert outcome.fields.velocity[:, 0] == pytest.approx(np.full(outcome.fields.mesh.cell_count, 3e-3), rel=1e-4)


def test_a_stream_that_does_not_come_out_again_is_refused():
    raw = streamed().model_dump(mode="json")
    raw["set_up"]["boundaries"].pop(1)
    with pytest.raises(ValueError, match="kg/s more are to enter than to leave"):
        solve_variant(study_from(raw), "plain")


def placed(**boundaries):
    raw = raw_tray(variants=[raw_tray()["variants"][0]], requirements=[], places={})
    raw["set_up"]["boundaries"] = [
        {"kind": "velocity", "patch": "inlet", "speed": "4 mm/s"}, {"kind": "pressure", "patch": "weir"},
    ]  # fmt: skip
    for k, (name, text) in enumerate(boundaries.items()):
        raw["set_up"]["boundaries"][k][name] = text
    return study_from(raw)


def test_boundary_values_by_place():
    """A parabola over the inlet, and a pressure that rises with the height."""
    speed = "6 mm/s * (y - 45 mm) * (60 mm - y) / (7.5 mm)^2"
    study = placed(speed=speed, pressure="2 Pa * y / 60 mm")
    assert check(study) == []
    _, outcome = solve_variant(study, "plain")
    fields = outcome.fields
    inlet, weir = (fields.mesh.patch(name) for name in ("inlet", "weir"))
    y = fields.mesh.face_centres(inlet.faces)[:, 1]
    entered = fields.boundary_velocity[fields.stencil.boundary_faces(inlet), 0]
    assert entered == pytest.approx(6e-3 * (y - 0.045) * (0.06 - y) / 0.0075**2)
    y = fields.mesh.face_centres(weir.faces)[:, 1]
    assert fields.boundary_pressure[fields.stencil.boundary_faces(weir)] == pytest.approx(2 * y / 0.06)


def test_boundary_values_by_place_are_told_apart_and_checked():
    from brook.core.checks import prepare
    from brook.core.stages.keys import stage_keys

    keys = set()
    for speed in ("4 mm/s", "4 mm/s * (1 + y / 1 m)", "4 mm/s * (1 + x / 1 m)", "4 mm/s * (1 + z / 1 m)"):
        study = placed(speed=speed)
        keys.add(stage_keys(study, prepare(study, study.variant("plain"))).run)
    assert len(keys) == 4
    (problem,) = check(placed(speed="4 mm * y"))
    assert problem.path == "/set_up/boundaries/0/speed"
    with pytest.raises(ValueError, match="is negative at"):
        solve_variant(placed(speed="4 mm/s * (y - 50 mm) / 1 m"), "plain")
    raw = placed().model_dump(mode="json")
    raw["mesh_plan"]["bulk"] = "6 mm + 0.1 * x"
    assert any("the coordinate x stands only for values on boundaries" in p.message for p in check(study_from(raw)))


TETRAHEDRON = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\n"


def test_a_triangle_with_one_corner_twice_is_no_hole_and_an_empty_group_no_finding():
    text = f"{TETRAHEDRON}g empty\ng side\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\nf 1 1 2\n"
    found = read_file("a.obj", text.encode())
    assert found.is_closed
    assert (found.count, found.repeated, found.patches, found.empty) == (4, 1, ("side",), ("empty",))
    assert joined_words(found) == [
        "1 triangle with one corner twice was left out",
        "left out, as nothing is in them: empty",
    ]
    assert [f for f in find_all(found) if f.places] == []
    only = read_file("a.obj", f"{TETRAHEDRON}f 1 1 2\n".encode())
    assert only.count == 1  # with nothing else in the file it stays to be seen


def test_names_that_differ_by_capitals_and_dashes_only_are_told():
    """Names here are of small letters and underscores; which is which is said, also where two of a file are one here."""
    text = f"{TETRAHEDRON}g Inlet-1\nf 1 3 2\ng inlet_1\nf 1 2 4\ng side\nf 1 4 3\nf 2 3 4\n"
    found = read_file("a.obj", text.encode())
    assert found.patches == ("inlet_1", "inlet_1_2", "side")
    assert joined_words(found) == ["in the file 'Inlet-1' is inlet_1, 'inlet_1' is inlet_1_2 (another is inlet_1)"]
    assert joined_words(read_file("a.obj", f"{TETRAHEDRON}g side\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n".encode())) == []


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("a.obj", "v 0 0 0\nv 1 0 0\nf 1 2 9\n", "triangle 1 names point 9, counted from 1, a point that the file does not have: there are 2"),
        ("a.stl", "hello\n", "this is no STL file, or a part of one"),
    ],
)  # fmt: skip
def test_a_file_that_is_none_says_what_is_wrong(name, text, words):
    with pytest.raises(FileError, match=words):
        read_file(name, text.encode())
