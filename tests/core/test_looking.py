"""Looking at results: derived and own fields, profiles, streamlines, forces, reference points."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, set_value
from brook.core.results.forces import patch_forces
from brook.core.results.picture import polygons
from brook.core.results.plane import Triangles, point_values
from brook.core.results.profile import profile
from brook.core.results.quantities import OF_EDDIES, OF_HEAT, QUANTITIES, View
from brook.core.results.reference import TableError, difference, extremes, read_reference
from brook.core.results.stream import (
    default_streamlines,
    seeds_on_patch,
    stream_function,
    streamline,
    streamlines_from,
)
from brook.core.solve import History
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.units import DIMENSIONS
from tests.core.studies import raw_tray, tray

LENGTH, SPEED = DIMENSIONS["length"], DIMENSIONS["speed"]


def channel(height="20 mm", **more):
    """A half-metre of developed flow between plates: every figure of it is known."""
    rectangle = {"name": "gap", "left": "0 mm", "bottom": "0 mm", "width": "100 mm", "height": height,
                 "patches": {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "lid"}}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Channel",
        "variants": [{"name": "only", "title": "Only", "geometry": {"body": "gap", "depth": "50 mm", "outer": rectangle}}],
        "mesh_plan": {"bulk": "1 mm", "wall": "1 mm", "growth": "1.2"},
        "set_up": {
            "fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "1 mPa s"},
            "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "5 mm/s", "profile": "developed"},
                           {"kind": "pressure", "patch": "outlet", "pressure": "0 Pa"}],
        },
        "run_rules": {"residual": "1e-9"}, **more,
    })  # fmt: skip


def run(study, name):
    prepared = prepare(study, study.variant(name))
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged"
    return prepared, outcome.fields


@pytest.fixture(scope="module")
def developed():
    return run(channel(), "only")[1]


@pytest.fixture(scope="module")
def baffled():
    return run(tray(run_rules={"residual": "1e-9"}), "hanging")[1]


def triangles_of(fields):
    shapes = polygons(fields.mesh)
    return Triangles.of(fields.mesh, shapes), shapes


# -- values anywhere -------------------------------------------------------------------------------


@settings(max_examples=30, deadline=None)
@given(st.tuples(*[st.floats(-5, 5)] * 3), st.integers(0, 2**31))
def test_a_linear_field_is_read_exactly_anywhere(baffled, slopes, seed):
    triangles, _ = triangles_of(baffled)
    a, b, c = slopes
    places = np.random.default_rng(seed).uniform([-0.01, -0.01], [0.13, 0.07], (60, 2))
    values = a + b * triangles.points[:, 0] + c * triangles.points[:, 1]
    found = triangles.at(values, places)
    inside = np.isfinite(found)
    np.testing.assert_allclose(found[inside], (a + places @ [b, c])[inside], atol=1e-9)
    x, y = places.T
    in_tray = (x > 0) & (x < 0.12) & (y > 0) & (y < 0.06)
    in_baffle = (x > 0.04) & (x < 0.044) & (y > 0.035)
    assert np.array_equal(inside, in_tray & ~in_baffle)


def test_a_profile_across_a_channel_is_the_parabola(developed):
    triangles, shapes = triangles_of(developed)
    found = profile(
        triangles, point_values(View(developed), "velocity_x", shapes), np.array([[0.08, 0.0], [0.08, 0.02]])
    )
    y = found.along("y")
    exact = 6 * 0.005 * (y / 0.02) * (1 - y / 0.02)
    assert np.abs(found.values - exact).max() < 0.006 * exact.max()
    assert found.distance[-1] == pytest.approx(0.02)
    beyond = profile(
        triangles, point_values(View(developed), "speed", shapes), np.array([[0.05, -0.01], [0.05, 0.03]]), 41
    )
    assert np.isnan(beyond.values[[0, -1]]).all()


# -- quantities ------------------------------------------------------------------------------------


def test_vorticity_of_a_channel_is_the_slope_of_its_profile(developed):
    cells, boundary = View(developed).values("vorticity")
    mesh, stencil = developed.mesh, developed.stencil
    middle = np.abs(mesh.centre[:, 0] - 0.07) < 0.02
    exact = -6 * 0.005 / 0.02 * (1 - 2 * mesh.centre[:, 1] / 0.02)
    assert np.abs(cells - exact)[middle].max() < 0.02 * np.abs(exact).max()
    floor, lid = (boundary[stencil.boundary_faces(mesh.patch(n))][60:90] for n in ("floor", "lid"))
    np.testing.assert_allclose(floor, -lid, rtol=1e-6)
    assert floor.mean() == pytest.approx(-6 * 0.005 / 0.02, rel=0.06)


def test_gradients_of_a_channel_are_those_of_its_profile(developed):
    """Sheared and turning alike: √(2 S:S) = |ω|, Q = 0; what friction turns into heat is what the pressure drives through, Δp Q."""
    view, mesh = View(developed), developed.mesh
    middle = np.abs(mesh.centre[:, 0] - 0.07) < 0.02
    strain, spin, found = (view.values(name)[0][middle] for name in ("strain_rate", "vorticity_size", "q_criterion"))
    np.testing.assert_allclose(strain, np.abs(view.values("vorticity")[0][middle]), rtol=1e-3, atol=1e-3)
    np.testing.assert_allclose(spin, strain, rtol=1e-3, atol=1e-3)
    assert np.abs(found).max() < 1e-3 * strain.max() ** 2
    np.testing.assert_allclose(view.values("pressure_gradient")[0][middle], 12 * 1e-3 * 0.005 / 0.02**2, rtol=0.01)
    lost = float(view.values("friction_loss")[0] @ mesh.volume)
    through = 0.005 * 0.02 * 0.05
    drop = np.subtract(
        *(
            developed.boundary_pressure[developed.stencil.boundary_faces(mesh.patch(n))].mean()
            for n in ("inlet", "outlet")
        )
    )
    assert lost == pytest.approx(drop * through, rel=0.02)
    floor = developed.stencil.boundary_faces(mesh.patch("floor"))
    np.testing.assert_allclose(view.values("friction_x")[1][floor], view.values("wall_shear")[1][floor])


def test_total_pressure_and_coefficient_by_their_definitions(baffled):
    view = View(baffled)
    total, _ = view.values("total_pressure")
    np.testing.assert_allclose(total, baffled.pressure + 0.5 * baffled.density * baffled.speed**2)
    coefficient, _ = view.values("pressure_coefficient")
    np.testing.assert_allclose(coefficient, baffled.pressure / (0.5 * baffled.density * 0.004**2), rtol=1e-9)


def test_own_fields_are_formulas_of_fields_and_places():
    study = tray(fields={"slow": "if(speed < limit, 1, 0)", "twice": "2 * slow", "head": "total_pressure / (1000 kg/m^3 * 9.81 m/s^2)",
                         "shear": "x * vorticity"},
                 named_values={**raw_tray()["named_values"], "limit": "0.5 mm/s"},
                 requirements=[{"name": "a", "title": "A", "reading": "tray.slow.mean", "limit": {"kind": "smallest"}},
                               {"name": "b", "title": "B", "reading": "tray.speed.share_below(0.5 mm/s)", "limit": {"kind": "smallest"}},
                               {"name": "c", "title": "C", "reading": "tray.twice.max", "limit": {"kind": "smallest"}},
                               {"name": "h", "title": "H", "reading": "inlet.head.mean - weir.head.mean", "limit": {"kind": "smallest"}}])  # fmt: skip
    assert check(study) == []
    prepared, fields = run(study, "plain")
    values = {r.name: r.value for r in read_all(study, prepared, fields, History(()))}
    assert values["a"] == pytest.approx(values["b"], abs=1e-12)
    assert values["c"] == 2
    assert 0 < values["h"] < 1e-3
    # a reading is out of date when the formula behind it changes, and only then
    before = stage_keys(study, prepared)
    for pointer, changed in (("/named_values/limit", {"a", "c"}), ("/fields/head", {"h"})):
        other = set_value(
            study, pointer, {"/named_values/limit": "1 mm/s", "/fields/head": "pressure / (9810 N/m^3)"}[pointer]
        )
        after = stage_keys(other, prepare(other, other.variant("plain")))
        assert after.run == before.run
        assert {n for n in after.readings if after.readings[n] != before.readings[n]} == changed


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("slow", "sped * 2", "'sped' is no field and no named value: did you mean speed"),
        ("slow", "speed + pressure", "cannot be put together"),
        ("slow", "inlet.speed.mean * 2", "not from readings"),
        ("speed", "2 * pressure", "already has a meaning"),
        ("one", "1 + one", "made from itself"),
    ],
)
def test_an_own_field_that_cannot_be_made_says_why(name, text, words):
    problems = check(tray(fields={name: text}))
    assert [p.path for p in problems] == [f"/fields/{name}"]
    assert words in problems[0].message


def test_a_field_in_use_cannot_be_broken():
    study = tray(fields={"slow": "if(speed < 1 mm/s, 1, 0)"})
    with pytest.raises(EditRefused, match="no field"):
        set_value(study, "/fields/slow", "spead")


# -- streamlines -----------------------------------------------------------------------------------


def test_the_stream_function_carries_the_flow(baffled):
    """No flow through walls: ψ is the same all along them; between them lies the whole flow."""
    psi = stream_function(baffled)
    mesh, stencil = baffled.mesh, baffled.stencil

    def on(patch):
        faces = range(mesh.patch(patch).start, mesh.patch(patch).end)
        return psi[[p for f in faces for p in mesh.face_points[4 * f : 4 * f + 4]]]

    through = baffled.inflow() / 0.1
    assert np.ptp(on("floor")) < 1e-6 * through
    assert np.ptp(on("baffle")) < 1e-6 * through
    assert on("lid").mean() - on("floor").mean() == pytest.approx(through, rel=1e-6)
    assert stencil.mesh is mesh


def test_a_streamline_follows_the_flow_and_ends_at_the_openings(baffled):
    triangles, shapes = triangles_of(baffled)
    psi = stream_function(baffled)
    velocity = [point_values(View(baffled), q, shapes) for q in ("velocity_x", "velocity_y")]
    lines = streamlines_from(triangles, psi, seeds_on_patch(baffled, "inlet", 7))
    assert len(lines) == 7
    for line in lines:
        assert not line.closed
        assert line.places[0, 0] == pytest.approx(0.0, abs=1e-9)
        assert line.places[-1, 0] == pytest.approx(0.12, abs=1e-9)
        step, middle = np.diff(line.places, axis=0), 0.5 * (line.places[1:] + line.places[:-1])
        at = np.stack([triangles.at(v, middle) for v in velocity], axis=1)
        fast = np.linalg.norm(at, axis=1) > 0.3 * np.nanmax(np.linalg.norm(at, axis=1))
        turn = np.einsum("ij,ij->i", step, at)[fast]
        assert (turn > 0.8 * (np.linalg.norm(step, axis=1) * np.linalg.norm(at, axis=1))[fast]).mean() > 0.95
    shares = np.diff(sorted(line.value for line in lines))
    np.testing.assert_allclose(shares, shares.mean(), rtol=0.1)


def test_a_vortex_is_a_closed_line(baffled):
    triangles, _ = triangles_of(baffled)
    psi = stream_function(baffled)
    faces = slice(baffled.stencil.inner, baffled.stencil.active)
    boundary = np.unique(baffled.mesh.face_points[4 * faces.start : 4 * faces.stop])
    lines = default_streamlines(triangles, psi, boundary)
    assert sum(not line.closed for line in lines) >= 10
    closed = [line for line in lines if line.closed]
    assert closed
    for line in closed:
        np.testing.assert_array_equal(line.places[0], line.places[-1])
    assert streamline(triangles, psi, (0.5, 0.5)) is None


# -- forces ----------------------------------------------------------------------------------------


def test_forces_and_momentum_of_all_patches_add_up_to_nothing(baffled):
    forces = patch_forces(baffled)
    total = sum(f.pressure + f.friction + f.momentum for f in forces)
    size = max(np.abs(f.pressure).max() for f in forces)
    assert np.abs(total[:2]).max() < 1e-6 * size


def test_friction_in_a_channel_balances_the_pressure_drop(developed):
    forces = {f.patch: f for f in patch_forces(developed)}
    exact = 6 * 1e-3 * 0.005 / 0.02 * 0.1 * 0.05  # wall shear 6 μ U / h on 100 mm by 50 mm
    for wall in ("floor", "lid"):
        assert forces[wall].friction[0] == pytest.approx(exact, rel=0.01)
        assert abs(forces[wall].pressure[0]) < 1e-9 * exact
    drag = forces["floor"].friction[0] + forces["lid"].friction[0]
    assert forces["inlet"].pressure[0] + forces["outlet"].pressure[0] == pytest.approx(-drag, rel=0.01)


# -- reference points ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "text",
    [
        "y [mm], u [mm/s]\n5, 2\n10, 4\n",
        "y (mm);u (mm/s)\n5,0;2,0\n10,0;4,0",
        "# measured\ny [mm]\tu [mm/s]\n5\t2\n\n10\t4",
        "\ufeff5 2\n10   4",
    ],
)
def test_tables_of_many_hands_are_understood(text):
    table = read_reference(text, LENGTH, SPEED, "mm", "mm/s")
    np.testing.assert_allclose(table.position, [0.005, 0.01])
    np.testing.assert_allclose(table.value, [0.002, 0.004])


def test_columns_are_chosen_by_number_or_name():
    text = "run, u [mm/s], y [mm]\n1, 2, 5\n2, 4, 10\n"
    for columns in (("3", "2"), ("y", "u"), ("y [mm]", "2")):
        table = read_reference(text, LENGTH, SPEED, columns=columns)
        np.testing.assert_allclose(table.position, [0.005, 0.01])
        np.testing.assert_allclose(table.value, [0.002, 0.004])
        assert table.value_title == "u [mm/s]"
    for columns, words in (
        (("4", "2"), "no column 4; the table has 3"),
        (("z", "u"), "no column 'z'; there are: run, u"),
        (("0", "1"), "no column 0"),
    ):
        with pytest.raises(TableError, match=words):
            read_reference(text, LENGTH, SPEED, columns=columns)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("y, u\n1, 2", "unit of 'y' is not known"),
        ("y [mm], u [kg]\n1, 2", "'kg' is not a unit of speed"),
        ("y [mm], u [furlongs]\n1, 2", "not a unit"),
        ("y [mm], u [mm/s]\n1, 2\n3, x", "line 3"),
        ("y [mm], u [mm/s]\n", "no line with two numbers"),
        ("position\n", "second column"),
    ],
)
def test_a_table_that_cannot_be_read_says_where(text, words):
    with pytest.raises(TableError, match=words):
        read_reference(text, LENGTH, SPEED)


def test_differences_are_taken_at_the_reference_positions():
    found = difference(
        np.array([0.0, 1.0, 2.0]), np.array([0.0, 2.0, 4.0]), np.array([0.5, 1.5, 3.0]), np.array([1.0, 2.5, 9.0])
    )
    np.testing.assert_allclose(found.computed, [1.0, 3.0, np.nan])
    np.testing.assert_allclose(found.share[:2], [0.0, 0.2])
    assert found.largest == pytest.approx(0.5 / 9)
    small = difference(np.array([0.0, 1.0]), np.array([0.0, 1.0]), np.array([0.0, 1.0]), np.array([1e-9, 1.0]))
    assert np.isnan(small.share[0])


def test_extremes_are_compared_wherever_each_has_its_own():
    """A peak of a curve between the points, and beyond their span one that does not count."""
    x = np.linspace(0.0, 10.0, 101)
    curve = np.where(x < 8, 2 - (x - 3.5) ** 2 / 10, 99.0)
    largest, smallest = extremes(x, curve, np.array([1.0, 3.0, 6.0]), np.array([1.4, 1.9, 0.0]))
    assert (largest.which, largest.reference, largest.computed) == ("largest", 1.9, pytest.approx(2.0))
    assert largest.share == pytest.approx(0.1 / 1.9)
    assert (smallest.reference, smallest.computed) == (0.0, pytest.approx(2 - 6.25 / 10))
    assert np.isnan(smallest.share)
    assert extremes(x, curve, np.array([11.0, 12.0]), np.array([1.0, 2.0])) == []


def test_every_quantity_has_values_where_it_says_so(baffled):
    view = View(baffled)
    for name, kind in QUANTITIES.items():
        if name in (*OF_HEAT, *OF_EDDIES):
            continue  # only where temperatures or eddies are computed: test_heat.py, test_turbulence.py
        cells, boundary = view.values(name)
        assert len(cells) == baffled.mesh.cell_count
        assert len(boundary) == baffled.stencil.boundary_count
        assert np.isfinite(cells).all()
        assert np.isfinite(boundary).all()
        assert not (kind.positive and cells.min() < 0)
