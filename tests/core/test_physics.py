"""Boundary kinds against laws that have to hold, through whole study documents."""

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.materials import ConstantFluid, library
from brook.core.numerics import Stencil
from brook.core.physics.boundaries import CONDITIONS
from brook.core.physics.conditions import FIXED, PatchFaces
from brook.core.physics.developed import developed_profile
from brook.core.physics.drive import driven_by
from brook.core.solve import boundary_conditions
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study import Resolved
from brook.core.study.boundaries import KINDS
from brook.core.study.document import study_from
from brook.core.study.placed import Placed
from tests.core.meshes import box_mesh

VISCOSITY, HEIGHT, LENGTH, SPEED = 0.01, 0.02, 0.06, 0.02
LOSS = 12 * VISCOSITY * SPEED * LENGTH / HEIGHT**2


def channel(boundaries, height="20 mm", requirements=(), across=10, turned=False, **geometry):
    """A straight channel of oil (μ = 10 mPa s), 60 mm long, from left to right or from bottom to top."""
    sides = {"left": "inlet", "right": "outlet", "bottom": "low", "top": "high"}
    width = "60 mm"
    if turned:
        sides = {"bottom": "inlet", "top": "outlet", "right": "low", "left": "high"}
        width, height = height, width
    outer = {"name": "channel", "left": "0 mm", "bottom": "0 mm", "width": width, "height": height, "patches": sides}
    named = [
        {"name": f"r{k}", "title": "R", "reading": r, "limit": {"kind": "smallest"}} for k, r in enumerate(requirements)
    ]
    return study_from(
        {
            "format": "brook-study", "version": 1, "title": "Channel", "requirements": named,
            "variants": [{"name": "c", "title": "C", "geometry": {"depth": "100 mm", "outer": outer, **geometry}}],
            "mesh_plan": {"bulk": f"{20 / across} mm", "wall": f"{20 / across} mm"},
            "set_up": {"fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "10 mPa s"}, "boundaries": boundaries},
            "run_rules": {"residual": "1e-7"},
        }
    )  # fmt: skip


def readings(study):
    assert check(study) == []
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    assert outcome.state == "converged", outcome.message
    assert outcome.fields.imbalance() < 1e-8
    return [r.value for r in read_all(study, prepared, outcome.fields, outcome.history)]


DEVELOPED = {"kind": "velocity", "patch": "inlet", "speed": "20 mm/s", "profile": "developed"}
OUT = {"kind": "pressure", "patch": "outlet"}
DROP = "inlet.pressure.mean - outlet.pressure.mean"


def test_every_kind_that_can_be_said_can_be_done():
    assert {k.model_fields["kind"].default for k in KINDS} == {*CONDITIONS, "periodic"}  # which is no boundary


def test_developed_inflow_loses_what_the_formula_says():
    drop, fastest = readings(channel([DEVELOPED, OUT], requirements=[DROP, "fluid.velocity_x.max"]))
    assert drop == pytest.approx(LOSS, rel=0.02)
    assert fastest == pytest.approx(1.5 * SPEED, rel=0.02)


def test_a_pressure_difference_drives_the_flow_of_the_formula():
    pull = [{"kind": "pressure", "patch": "inlet", "pressure": f"{LOSS} Pa"}, OUT]
    (flow,) = readings(channel(pull, requirements=["outlet.flow.total"]))
    assert flow == pytest.approx(SPEED * HEIGHT * 0.1, rel=0.03)


def test_volume_flow_is_speed_times_area():
    by_flow = {"kind": "flow", "patch": "inlet", "volume_flow": "40 mL/s", "profile": "developed"}
    a = readings(channel([by_flow, OUT], requirements=[DROP, "outlet.flow.total"]))
    b = readings(channel([DEVELOPED, OUT], requirements=[DROP, "outlet.flow.total"]))
    assert a == pytest.approx(b, rel=1e-9)
    assert a[1] == pytest.approx(40e-6)


@pytest.mark.parametrize("kind", ["symmetry", "slip"])
def test_half_a_channel_with_a_mirror_is_the_whole_one(kind):
    (whole,) = readings(channel([DEVELOPED, OUT], requirements=[DROP]))
    mirror = {"kind": kind, "patch": "high"}
    (half,) = readings(channel([DEVELOPED, OUT, mirror], height="10 mm", requirements=[DROP]))
    assert half == pytest.approx(whole, rel=0.01)


def test_slipping_walls_cost_nothing():
    even = {**DEVELOPED, "profile": "even"}
    slip = [{"kind": "slip", "patch": p} for p in ("low", "high")]
    drop, least, most = readings(channel([even, OUT, *slip], requirements=[DROP, "fluid.speed.min", "fluid.speed.max"]))
    assert abs(drop) < 1e-6 * LOSS
    assert least == pytest.approx(SPEED, rel=1e-6)
    assert most == pytest.approx(SPEED, rel=1e-6)


def test_a_channel_turned_upright_gives_the_same():
    lying = readings(
        channel([DEVELOPED, OUT], requirements=[DROP, "fluid.velocity_x.max", "fluid.speed.share_below(10 mm/s)"])
    )
    upright = readings(
        channel(
            [DEVELOPED, OUT],
            turned=True,
            requirements=[DROP, "fluid.velocity_y.max", "fluid.speed.share_below(10 mm/s)"],
        )
    )
    assert upright == pytest.approx(lying, rel=1e-4)


def test_a_sliding_wall_drags_half_its_speed():
    """Couette flow between open ends: the mean is half the wall's speed."""
    slide = {"kind": "sliding", "patch": "high", "velocity_x": "20 mm/s"}
    open_ends = [{"kind": "pressure", "patch": "inlet"}, OUT]
    flow, middle = readings(channel([*open_ends, slide], requirements=["outlet.flow.total", "fluid.velocity_x.mean"]))
    assert flow == pytest.approx(0.5 * SPEED * HEIGHT * 0.1, rel=1e-3)
    assert middle == pytest.approx(0.5 * SPEED, rel=1e-3)


def test_flow_divides_evenly_over_two_equal_outlets():
    openings = [
        {"patch": "first", "side": "right", "start": "0 mm", "end": "6 mm"},
        {"patch": "second", "side": "right", "start": "14 mm", "end": "20 mm"},
    ]
    outs = [{"kind": "pressure", "patch": p} for p in ("first", "second")]
    study = channel(
        [DEVELOPED, *outs], openings=openings, requirements=["first.flow.total", "second.flow.total"], across=20
    )
    first, second = readings(study)
    assert first == pytest.approx(second, rel=1e-3)
    assert first + second == pytest.approx(SPEED * HEIGHT * 0.1)


def test_a_wall_cannot_slide_through_itself():
    patch = PatchFaces("lid", np.array([[0.0, 2.0, 0.0]]), np.zeros((1, 3)), np.ones(1))
    condition = CONDITIONS["sliding"](Resolved(velocity_x=1.0, velocity_y=5.0, velocity_z=0.0), patch)
    assert condition.kind == FIXED
    assert condition.velocity == pytest.approx(np.array([[1.0, 0.0, 0.0]]))


def test_an_unknown_kind_is_an_error():
    stencil = Stencil(box_mesh((2, 2, 2)))
    with pytest.raises(ValueError, match="unknown boundary kind 'suction'"):
        boundary_conditions(stencil, [Resolved(kind="suction", patch="left")])


def test_the_developed_profile_of_a_square_duct():
    """u_max / u_mean = 2.0963 (Shah & London 1978)."""
    mesh = box_mesh((1, 25, 25))  # odd, so that a cell lies in the middle
    patch = mesh.patch("left")
    profile = developed_profile(mesh, patch, {"bottom", "top", "front", "back"})
    assert np.average(profile, weights=mesh.face_areas(patch.faces)) == pytest.approx(1)
    assert profile.max() == pytest.approx(2.0963, rel=0.01)


def test_the_developed_profile_between_plates_is_a_parabola():
    mesh = box_mesh((1, 30, 3))
    patch = mesh.patch("left")
    profile = developed_profile(mesh, patch, {"bottom", "top"})
    y = mesh.face_centres(patch.faces)[:, 1]
    assert profile == pytest.approx(6 * y * (1 - y), abs=0.005)


def test_developed_turbulent_flow_is_fuller():
    """u_max/u_mean of a power law between plates, 1 + n, at n = √f = 0.134 (smooth, Re 100 000); the same mean flow comes in."""
    mesh = box_mesh((1, 400, 3))
    said = [Resolved(kind="velocity", patch="left", speed=2.0, profile="developed")]
    said += [Resolved(kind="symmetry", patch=name) for name in ("front", "back")]
    width = 2.0  # hydraulic diameter of a gap of 1 m
    speed = boundary_conditions(Stencil(mesh), said, {"fluid": 2.0 * width / 1e5}).velocity[:, 0]
    inside = speed[Stencil(mesh).boundary_faces(mesh.patch("left"))]
    assert inside.mean() == pytest.approx(2.0)
    assert inside.max() / 2 == pytest.approx(1 + (0.79 * np.log(1e5) - 1.64) ** -1, rel=0.003)
    laminar = boundary_conditions(Stencil(mesh), said).velocity[:, 0]
    assert laminar.max() / 2 == pytest.approx(1.5, rel=0.001)


def test_a_profile_without_any_wall_is_refused():
    mesh = box_mesh((1, 4, 4))
    with pytest.raises(ValueError, match="no wall touches the rim"):
        developed_profile(mesh, mesh.patch("left"), set())


def turned_channel(degrees, across):
    """The straight channel turned about its lower left corner, as the only piece kept of a large square."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    corners = [(0, 0, "low"), (LENGTH, 0, "outlet"), (LENGTH, HEIGHT, "high"), (0, HEIGHT, "inlet")]
    polygon = {
        "kind": "polygon", "name": "turned", "action": "keep",
        "corners": [{"x": f"{c * x - s * y:.9f} m", "y": f"{s * x + c * y:.9f} m", "patch": p} for x, y, p in corners],
    }  # fmt: skip
    drop = "upstream.pressure.mean - downstream.pressure.mean"
    study = channel([DEVELOPED, OUT], requirements=[drop, "fluid.speed.max"], across=across, shapes=[polygon])
    raw = study.model_dump(mode="json")
    raw["variants"][0]["geometry"]["outer"] |= {
        "left": "-100 mm", "bottom": "-100 mm", "width": "200 mm", "height": "200 mm"
    }  # fmt: skip
    for name, along in (("upstream", 0.25 * LENGTH), ("downstream", 0.75 * LENGTH)):
        x, y = c * along - s * HEIGHT / 2, s * along + c * HEIGHT / 2
        raw["places"][name] = {"left": f"{x} m", "right": f"{x} m", "bottom": f"{y} m", "top": f"{y} m"}
    return study_from(raw)


@pytest.mark.parametrize("degrees", [27, 45])
def test_a_channel_that_lies_askew_to_its_cells_loses_the_same(degrees):
    """The exact answer is the same in any direction; cut cells come near it, and much nearer when they are halved."""
    errors = []
    for across in (20, 40):
        drop, fastest = readings(turned_channel(degrees, across))
        errors.append([abs(2 * drop / LOSS - 1), abs(fastest / (1.5 * SPEED) - 1)])
    assert max(errors[0]) < 0.004
    assert max(errors[1]) < 0.35 * max(errors[0])


@pytest.mark.slow
@pytest.mark.parametrize("substance", library.RANGES)
def test_kept_properties_are_those_of_the_library_they_are_from(substance):
    for degrees in (1, 10, 25, 77):
        assert library.at(substance, degrees + 273.15) == pytest.approx(
            library.ask(substance, degrees + 273.15), rel=1e-12
        )
    assert library.at(substance, 300.123) == library.ask(substance, 300.123)
    for name, values in library.ask_table(substance).items():
        assert library.table(substance)[1][name] == pytest.approx(values, rel=1e-12)


class TestWhatDrives:
    """How fast a flow will be into which nothing is said to enter."""

    WATER = ConstantFluid("water", 1000.0, 1e-3)

    def speed(self, *boundaries, shifts=None, area=0.0):
        found = driven_by(list(boundaries), self.WATER, 0.02, shifts or {}, lambda patch: area)
        return None if found is None else found.speed

    def test_moving_walls_drops_and_mass_flows_tell_it(self):
        lid = Resolved(kind="sliding", patch="lid", velocity_x=3.0, velocity_y=4.0, velocity_z=0.0)
        assert self.speed(lid) == 5.0
        assert self.speed(Resolved(kind="turning", patch="rod", rate=10.0)) == pytest.approx(0.1)
        high, low = (Resolved(kind="pressure", patch=p, pressure=v) for p, v in (("in", 2000.0), ("out", 0.0)))
        assert self.speed(high, low) == pytest.approx(2.0)
        assert self.speed(low) is None
        assert self.speed(Resolved(kind="turning", patch="rod", rate=Placed(1.0))) is None  # another at each time
        pair = Resolved(kind="periodic", patch="begin", drive="mass_flow", mass_flow=0.5, drop=None)
        assert self.speed(pair, area=1e-3) == pytest.approx(0.5)

    def test_a_drop_over_a_long_duct_is_held_by_its_friction(self):
        pair = Resolved(kind="periodic", patch="begin", drive="drop", drop=0.01, mass_flow=None)
        slow = 0.01 / 1.0 * 0.02**2 / (32 * 1e-3)  # laminar, between its walls: Δp D²/(32 μ L)
        assert self.speed(pair, shifts={"begin": 1.0}) == pytest.approx(slow)
        strong = Resolved(kind="periodic", patch="begin", drive="drop", drop=1e4, mass_flow=None)
        assert self.speed(strong, shifts={"begin": 1.0}) == pytest.approx(20 * (1e4 * 0.02 / 4000) ** 0.5)
        assert self.speed(pair) is None
