"""Turbulence: the law of the wall, distances to walls, and what the model makes of channels, pipes and plates."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.editing import act
from brook.core.mesh import Mesh
from brook.core.mesh.pairs import Motion, Pair, paired_first
from brook.core.numerics import Stencil
from brook.core.numerics.halo import Halo
from brook.core.numerics.passes.pair import HELD
from brook.core.results.forces import patch_forces
from brook.core.results.quantities import View
from brook.core.results.readings import show_reading
from brook.core.results.wall_notes import share_at, wall_notes
from brook.core.solve import Outcome
from brook.core.solve.turbulence import CLOSURES, Incoming, wall_distance
from brook.core.solve.turbulence.pair import ScalarPair
from brook.core.solve.turbulence.two_layer import drawn, layers
from brook.core.solve.turbulence.wall_law import (
    KAPPA,
    friction_at,
    height,
    kader,
    shift_of,
    smooth_speed,
    speed_at,
    temperature_at,
    turbulent_prandtl_at,
)
from brook.core.stages.assembly import flow_of
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study
from brook.core.study.document import study_from
from brook.core.units import NONE
from brook.core.verification import turbulent_channel as channel
from brook.core.verification import turbulent_pipe as pipe
from brook.core.verification.rows import grown, rows
from tests.core.meshes import box_mesh


def changed(study: Study, iterations: int = 0, **set_up: Any) -> Study:
    raw = study.model_dump(mode="json")
    raw["set_up"] |= set_up
    raw["run_rules"]["iterations"] = iterations or raw["run_rules"]["iterations"]
    return study_from(raw)


class TestTheLawOfTheWall:
    def test_it_is_the_viscous_layer_near_the_wall_and_logarithmic_far_off(self):
        assert speed_at(0.5) == pytest.approx(0.5, rel=1e-4)
        for y in (100.0, 1e3, 1e5):
            assert speed_at(y) == pytest.approx(np.log(y) / 0.41 + 5.0, rel=0.012)

    @pytest.mark.parametrize("u", [1e-6, 0.3, 0.73, 0.74, 3.0, 8.0, 14.0, 25.0])
    def test_speed_and_height_are_inverse_to_each_other(self, u: float):
        y, slope = height(u)
        assert speed_at(y) == pytest.approx(u, rel=1e-9)
        assert smooth_speed(u * y) == pytest.approx(u, rel=1e-9)
        assert slope == pytest.approx((height(u * (1 + 1e-6))[0] - height(u * (1 - 1e-6))[0]) / (2e-6 * u), rel=1e-5)

    def test_rough_walls_lower_the_logarithm(self):
        for grain in (5.0, 70.0, 1000.0):
            shift = shift_of(grain)
            lower = speed_at(1e5) - (speed_at(1e5 + shift) - speed_at(shift))
            assert lower == pytest.approx(np.log(1 + 0.3 * grain) / 0.41, abs=0.01)

    @pytest.mark.parametrize("grain", [0.0, 1e-5, 1e-4, 1e-3, 1e-2])
    @pytest.mark.parametrize("y", [1e-6, 1e-4, 1e-2])
    def test_friction_is_found_whatever_the_wall(self, grain: float, y: float):
        friction, shift = friction_at(2.0, y, 1e-6, grain)
        speed = friction * (speed_at(y * friction / 1e-6 + shift) - speed_at(shift))
        assert speed == pytest.approx(2.0, rel=1e-8)

    def test_nothing_moves_along_a_wall_at_rest(self):
        assert friction_at(0.0, 1e-3, 1e-6, 1e-4) == (0.0, 0.0)

    def test_temperature_goes_with_the_prandtl_number_at_the_wall_and_near_kader_far_off(self):
        assert temperature_at(0.5, 0.0, 0.71, 0.85) == pytest.approx(0.71 * 0.5, rel=1e-3)
        for prandtl in (0.71, 5.0):
            for y in (30.0, 100.0, 1000.0):
                assert temperature_at(y, 0.0, prandtl, 0.85) == pytest.approx(kader(y, prandtl), rel=0.07)
        assert temperature_at(50.0, 0.0, 100.0, 0.85) == kader(50.0, 100.0)

    def test_the_turbulent_prandtl_number_falls_from_twice_to_its_own_far_off(self):
        values = [turbulent_prandtl_at(peclet, 0.85) for peclet in (0.0, 1e-3, 0.1, 1.0, 10.0, 1e3, 1e6)]
        assert values[0] == 1.7
        assert values[-1] == pytest.approx(0.85, rel=1e-5)
        assert all(a >= b for a, b in pairwise(values))


class TestTwoLayers:
    @pytest.mark.parametrize("model", ["realizable", "rng"])
    def test_friction_of_a_channel_is_that_of_simulations(self, model: str):
        outcome = channel.flow(590, 1.0, None, model)
        assert outcome.state == "converged"
        assert channel.friction_reynolds(outcome, channel.FIGURES[590][1]) == pytest.approx(587.19, rel=0.03)

    def test_at_the_wall_epsilon_is_that_of_a_layer_of_friction_and_far_off_its_own(self):
        share, _, near = layers(1e-8, 1e-3, 1.0)
        assert near == pytest.approx(2 * 1e-3 * 1e-8, rel=0.05)  # 2 ν k/y²
        assert share == pytest.approx(0.0, abs=1e-7)
        assert drawn(share) >= HELD
        share, stirs, near = layers(1.0, 1e-6, 1.0)
        assert (share, drawn(share)) == (1.0, 0.0)
        assert stirs == pytest.approx(0.09**0.25 * KAPPA, rel=1e-6)  # C_μ √k κ C_μ^(−¾) y
        assert near == pytest.approx(0.09**0.75 / KAPPA, rel=1e-6)

    def test_without_walls_nothing_is_drawn_to_them(self):
        share, stirs, near = layers(0.1, 1e-6, np.inf)
        assert (share, drawn(share)) == (1.0, 0.0)
        assert np.isfinite([stirs, near]).all()

    def test_one_model_takes_over_what_another_left(self):
        k, omega = np.array([0.3, 2.0]), np.array([5.0, 700.0])
        model = CLOSURES["rng"]
        assert np.allclose(model.omega_of(k, model.of_omega(k, omega)), omega)
        assert np.allclose(model.of_omega(k, omega), 0.09 * k * omega)


class TestThePair:
    def test_a_cell_that_holds_next_to_nothing_fills_again(self):
        """ω rises along a stream over a cell where it is gone, and what lies aside makes its gradient steep: what leaves it is no more
        than what it has."""
        s = Stencil(box_mesh((8, 1, 1), (8.0, 1.0, 1.0)))
        pair = ScalarPair(s, ("k", "omega"), "tapered", steep=True)
        flux = s.area[:, 0].copy()  # 1 kg/s from left to right
        pair.two[:] = [1.0, 4.0, 16.0, 64.0, 1e-300, 1e3, 4e3, 16e3]
        pair.entering[1] = 1.0
        pair.hold[[5, 6, 7]] = 2 * HELD  # as at a wall
        pair.two_gradient[4] = [1e3, 0.0, 0.0]
        for _ in range(80):
            pair.advance("turbulence", flux, np.ones(s.cells), None)
        assert pair.two[4] == pytest.approx(0.5, rel=0.1)  # half of what comes in, twice of which goes out


class TestDistancesToWalls:
    def test_they_are_exact_in_a_box_also_to_edges(self):
        mesh = box_mesh((6, 5, 4), (1.0, 1.0, 1.0))
        s = Stencil(mesh)
        here = s.boundary_faces(mesh.patch("left"))
        found, nearest = wall_distance(s, np.arange(here.start, here.stop))
        assert np.allclose(found, mesh.centre[:, 0])
        assert np.allclose(mesh.face_centres(mesh.patch("left").faces)[nearest][:, 1:], mesh.centre[:, 1:])

    def test_walls_beyond_a_periodic_pair_count(self):
        mesh = periodic_box()
        pair = Pair("left", Motion.shifted((1.0, 0.0, 0.0)))
        mesh = paired_first(mesh, [pair])
        s = Stencil(mesh, Halo.of(mesh, [pair]))
        here = s.boundary_faces(mesh.patch("bottom"))
        walls = np.arange(here.start, here.stop)
        first = walls[mesh.face_centres(mesh.patch("bottom").faces)[:, 0] < 0.25]
        found, _ = wall_distance(s, first)
        last = mesh.centre[:, 0] > 0.75
        aside = 1.0 - mesh.centre[last, 0]
        assert np.allclose(found[last], np.hypot(aside, mesh.centre[last, 1]))

    def test_without_walls_they_are_endless(self):
        found, _ = wall_distance(Stencil(box_mesh((2, 2, 2), (1.0, 1.0, 1.0))), np.zeros(0, np.int64))
        assert np.isinf(found).all()


def periodic_box() -> Mesh:
    return box_mesh((8, 4, 1), (1.0, 1.0, 1.0))


class TestWhatComesIn:
    def test_it_is_told_by_length_by_ratio_or_from_a_duct(self):
        k, omega = Incoming(0.1, length=0.01).values(2.0, 1e-6)
        assert k == pytest.approx(0.06)
        assert omega == pytest.approx(0.06**0.5 / (0.09**0.25 * 0.01))
        k, omega = Incoming(0.1, ratio=20.0).values(2.0, 1e-6)
        assert k / omega == pytest.approx(20e-6)
        k, omega = Incoming(0.0, diameter=0.05).values(2.0, 1e-6)
        assert k == pytest.approx(1.5 * (0.16 * 1e5 ** (-1 / 8) * 2.0) ** 2)
        assert omega == pytest.approx(k**0.5 / (0.09**0.25 * 0.07 * 0.05))


class TestAChannel:
    def test_friction_does_not_depend_on_where_the_first_cell_lies(self):
        shear = [channel._shear(channel.flow(590, h)) for h in (1.0, 5.0, 30.0)]
        assert max(shear) < 1.05 * min(shear)

    def test_what_the_wall_takes_is_what_drives(self):
        """The force on the wall that pages read is that of the momentum equation, and of the law of the wall."""
        for height_of in (1.0, 30.0):
            outcome = channel.flow(590, height_of)
            assert outcome.state == "converged"
            forces = {f.patch: f for f in patch_forces(outcome.fields)}
            drop = float(outcome.checkpoint.state["drive"]["drops"][0])
            assert forces["wall"].friction[0] == pytest.approx(drop * 0.1, rel=1e-5)
            assert channel._shear(outcome) * channel.LENGTH * 0.1 == pytest.approx(drop * 0.1, rel=1e-5)
            view = View(outcome.fields)
            here = outcome.fields.stencil.boundary_faces(outcome.fields.mesh.patch("wall"))
            assert view.values("wall_shear")[1][here] == pytest.approx(channel._shear(outcome), rel=1e-5)
            assert view.values("y_plus")[1][here] == pytest.approx(height_of, rel=0.1)

    def test_k_and_omega_are_positive_and_have_residuals_of_their_own(self):
        outcome = channel.flow(590, 1.0)
        assert outcome.fields.more["turbulent_energy"][0].min() > 0
        assert {"k", "omega"} <= set(outcome.history.residuals)

    def test_a_rough_wall_holds_back_more(self):
        raw = channel.study_of(10935.0).model_dump(mode="json")
        raw["set_up"]["turbulence"]["rough"] = [{"patch": "wall", "height": "20 mm"}]
        study = study_from(raw)
        rough = solve(study, prepare(study, study.variants[0]), channel.mesh_of(30.0, 587.19))
        assert channel._shear(rough) > 1.3 * channel._shear(channel.flow(590, 30.0))

    def test_heat_goes_through_the_wall_as_it_was_said(self):
        outcome = channel.flow(395, 10.0, 0.71)
        fields = outcome.fields
        wall = fields.stencil.boundary_faces(fields.mesh.patch("wall"))
        taken = -float(fields.more["heat"][1][wall].sum())
        assert taken == pytest.approx(channel.FLUX * channel.LENGTH * 0.1, rel=1e-9)
        assert channel.nusselt(outcome) == pytest.approx(channel.nusselt(channel.flow(395, 1.0, 0.71)), rel=0.08)

    def test_it_goes_on_from_where_it_stood(self):
        study = channel.study_of(6875.0)
        prepared, mesh = prepare(study, study.variants[0]), channel.mesh_of(10.0, 392.24)
        short = changed(study, 60)
        begun = solve(short, prepare(short, short.variants[0]), mesh)
        assert begun.state == "not converged"
        ended = solve(study, prepared, mesh, start=begun.checkpoint)
        assert ended.state == "converged"
        assert channel._shear(ended) == pytest.approx(channel._shear(channel.flow(395, 10.0)), rel=1e-4)

    def test_a_second_start_forgets_what_ran_away(self):
        study = channel.study_of(6875.0)
        flow, _ = flow_of(study, prepare(study, study.variants[0]), channel.mesh_of(10.0, 392.24))
        flow.iterate()
        turbulence = flow.model.equations[-1]
        turbulence._last = np.full_like(turbulence._last, np.nan)
        turbulence.pair.one[:] = turbulence.pair.two[:] = turbulence.eddy[:] = np.nan
        again = flow.gentler()
        assert np.isfinite(turbulence.k).all()
        assert np.isfinite(turbulence.omega).all()
        assert np.isfinite(again.iterate().worst)

    def test_it_goes_on_from_a_laminar_flow_and_back(self):
        study = channel.study_of(6875.0)
        laminar = changed(study, 80, turbulence=None)
        mesh = channel.mesh_of(10.0, 392.24)
        plain = solve(laminar, prepare(laminar, laminar.variants[0]), mesh)
        stirred = solve(study, prepare(study, study.variants[0]), mesh, start=plain.checkpoint)
        assert channel._shear(stirred) == pytest.approx(channel._shear(channel.flow(395, 10.0)), rel=1e-4)
        again = changed(study, 3000, turbulence=None)
        back = solve(again, prepare(again, again.variants[0]), mesh, start=stirred.checkpoint)
        assert "eddy_viscosity" not in back.fields.more
        assert "k" not in {name for name, values in back.history.residuals.items() if np.isfinite(values[-1])}

    def test_it_goes_on_from_one_model_with_another(self):
        study = channel.study_of(10935.0, None, "rng")
        mesh = channel.mesh_of(30.0, 587.19)
        before = channel.flow(590, 30.0)
        after = solve(study, prepare(study, study.variants[0]), mesh, start=before.checkpoint)
        assert after.state == "converged"
        assert channel._shear(after) == pytest.approx(channel._shear(channel.flow(590, 30.0, None, "rng")), rel=1e-4)
        assert np.isfinite(after.history.residuals["epsilon"][-1])


class TestWallNotes:
    def test_the_share_of_a_wall_that_lies_at_a_height(self):
        """First centres evenly from y⁺ 0 to 100: at 1 are those under 1.5, at 50 those from 33.3 to 75."""
        even = np.linspace(0, 100, 101)
        assert share_at(even, 1.0) == pytest.approx(0.015)
        assert share_at(even, 50.0) == pytest.approx(0.75 - 1 / 3)
        assert share_at(even, 1000.0) == 0.0

    def test_they_tell_where_first_centres_lie_and_which_layer_would_suit(self):
        outcome = channel.flow(590, 30.0)
        (note,) = wall_notes(View(outcome.fields))
        assert note.patch == "wall"
        assert note.y_plus == pytest.approx((30.0, 30.0, 30.0), rel=0.05)
        assert note.shear == pytest.approx(channel._shear(outcome), rel=1e-3)
        assert note.coefficient == pytest.approx(2 * note.shear, rel=0.01)  # of 1 kg/m³ at 1 m/s
        first = 2 * outcome.fields.mesh.centre[:, 1].min()
        assert note.unit_height == pytest.approx(first / note.y_plus[1], rel=1e-3)
        assert note.words == ""

    def test_they_say_what_to_mind(self):
        (note,) = wall_notes(View(channel.flow(590, 10.0, None, "rng").fields), two_layer=True)
        assert "5 to 14 % more friction" in note.words
        study = channel.study_of(1e7)
        mesh = channel.mesh_of(1000.0, 1.7e5)
        outcome = solve(changed(study, 30), prepare(changed(study, 30), study.variants[0]), mesh)
        (note,) = wall_notes(View(outcome.fields))
        assert note.words.startswith("100 % of it has first cells over y⁺ 300")

    def test_in_a_picture_each_cell_shows_that_of_the_wall_nearest_to_it(self):
        fields = channel.flow(590, 30.0).fields
        inside, boundary = View(fields).values("y_plus")
        assert np.allclose(inside, boundary[fields.stencil.boundary_faces(fields.mesh.patch("wall"))])

    def test_grains_higher_than_cells_are_told(self):
        study = channel.study_of(10935.0)
        rough = changed(study, 30, turbulence={"rough": [{"patch": "wall", "height": "10 mm"}]})
        outcome = solve(rough, prepare(rough, rough.variants[0]), channel.mesh_of(1.0, 587.19))
        assert "grains of rough walls are higher than 1 of the cells" in outcome.message


class TestAPipe:
    def test_friction_and_heat_are_those_of_tables(self):
        smooth, warm = pipe.Pipe(1e5, height=30.0), pipe.Pipe(1e5, prandtl=0.71, height=30.0)
        assert pipe.friction(pipe.flow(smooth)) == pytest.approx(smooth.colebrook, rel=0.04)
        assert pipe.nusselt(pipe.flow(warm)) == pytest.approx(warm.gnielinski, rel=0.10)


def race(width: str = "400 mm", speed: str = "0.6 m/s", iterations: int = 600) -> Study:
    """A plane race with a sill on its floor, 100 mm behind the inlet."""
    outer = {
        "name": "race", "left": "0 mm", "bottom": "0 mm", "width": width, "height": "80 mm",
        "patches": {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "roof"},
    }  # fmt: skip
    sill = {
        "kind": "rectangle", "name": "sill", "left": "100 mm", "bottom": "0 mm", "width": "20 mm", "height": "20 mm",
        "patches": dict.fromkeys(("left", "right", "top", "bottom"), "sill"),
    }  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Race",
        "variants": [{"name": "a", "title": "A", "geometry": {"outer": outer, "shapes": [sill]}}],
        "mesh_plan": {"bulk": "6 mm", "wall": "2 mm"},
        "set_up": {
            "fluid": {"kind": "library", "substance": "water"}, "turbulence": {},
            "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": speed}, {"kind": "pressure", "patch": "outlet"}],
        },
        "run_rules": {"iterations": iterations},
    })  # fmt: skip


def raced(study: Study) -> Outcome:
    prepared = prepare(study, study.variants[0])
    return solve(study, prepared, make_mesh(prepared))


class TestARaceWithASill:
    def test_it_comes_to_rest_at_high_speed(self):
        """Under a limit that sets in suddenly, third-order momentum hunts behind the sill for good."""
        outcome = raced(race(speed="30 m/s"))
        assert outcome.state == "converged"
        assert outcome.swing is None

    def test_an_eddy_that_reaches_the_outlet_draws_in_what_was_at_rest(self):
        study = race("150 mm", iterations=150)
        prepared = prepare(study, study.variants[0])
        flow, stencil = flow_of(study, prepared, make_mesh(prepared))
        for _ in range(150):
            flow.iterate()
        here = stencil.boundary_faces(stencil.mesh.patch("outlet"))
        speed = flow.boundary_velocity()[here]
        back = flow.flux[stencil.inner :][here] < -1e-3
        assert back.any()
        head = 0.5 * flow.medium.on_boundary[here] * (speed**2).sum(axis=1)
        acts = flow.openings.pressure(flow.conditions)[here]
        assert acts[back] == pytest.approx(-head[back], rel=0.2)
        assert (acts[~back] > -1.0).all()
        again, _ = flow_of(
            study, prepared, stencil.mesh
        )  # whoever goes on draws in the same from the first iteration on
        again.restore(flow.state())
        again.assemble_momentum()
        assert again.openings.pressure(again.conditions)[here][back] == pytest.approx(-head[back], rel=1e-6)
        flow.flux[stencil.inner :][here] = np.abs(flow.flux[stencil.inner :][here])
        for _ in range(70):
            flow.openings.follow(flow)
        assert not flow.openings.pressure(flow.conditions)[here].any()  # and not a trace of it, once all leaves


class TestRows:
    def test_a_step_is_left_out_of_the_cells(self):
        x, y = np.linspace(-2, 4, 13), np.linspace(0, 3, 7)
        sides = {name: [(name, np.inf)] for name in ("left", "right", "bottom", "top")}
        mesh = rows(x, y, sides, step=(0.0, 1.0))
        assert mesh.volume.sum() == pytest.approx(0.1 * (18 - 2))
        assert mesh.face_areas(mesh.patch("step").faces).sum() == pytest.approx(0.1)
        assert mesh.face_areas(mesh.patch("before").faces).sum() == pytest.approx(0.2)

    def test_a_wedge_has_the_volume_of_its_share_of_a_pipe(self):
        sides = {name: [(name, np.inf)] for name in ("left", "right", "top")}
        mesh = rows(np.linspace(0, 1, 3), grown(0.1, 1.2, 0.5), sides, turned=0.05)
        assert mesh.volume.sum() == pytest.approx(0.5**2 * np.sin(0.025) * np.cos(0.025))


class TestNumbers:
    def test_y_plus_is_no_share_of_anything(self):
        assert show_reading(37.1, NONE) == "37.1"
        assert show_reading(0.371, NONE) == "37.1 %"


class TestTheDocument:
    def test_a_model_makes_runs_out_of_date_and_no_mesh(self):
        study = channel.study_of(6875.0)
        laminar = changed(study, turbulence=None)
        keys = [stage_keys(s, prepare(s, s.variants[0])) for s in (study, laminar)]
        assert keys[0] is not None
        assert keys[1] is not None
        assert keys[0].mesh == keys[1].mesh
        assert keys[0].run != keys[1].run

    @pytest.mark.parametrize(
        ("said", "words"),
        [
            ({"incoming": {"kind": "ratio", "intensity": "-5 %"}}, "more than"),
            ({"incoming": {"kind": "length", "length": "0 mm"}}, "more than"),
            ({"inflows": [{"patch": "wall"}]}, "nothing flows in through 'wall'"),
            ({"rough": [{"patch": "middle"}]}, "no wall that could be rough"),
            ({"rough": [{"patch": "wall"}, {"patch": "wall"}]}, "something else is already said"),
            ({"rough": [{"patch": "floor"}]}, "is not a patch"),
            ({"rough": [{"patch": "wall", "height": "2 m"}]}, "higher than the cells at walls"),
        ],
    )
    def test_what_has_no_place_is_told_where_it_stands(self, said: dict[str, Any], words: str):
        found = [p for p in check(changed(channel.study_of(6875.0), turbulence=said)) if words in p.message]
        assert found
        assert all(p.path.startswith("/set_up/turbulence") for p in found)

    def test_layers_beyond_the_law_of_the_wall_are_refused(self):
        raw = channel.study_of(6875.0).model_dump(mode="json")
        raw["mesh_plan"] |= {"way": "boxes", "layers": {"height_of": "y_plus", "y_plus": "500"}}
        found = [p for p in check(study_from(raw)) if "the law of the wall ends" in p.message]
        assert [p.path for p in found] == ["/mesh_plan/layers/y_plus"]

    def test_a_tracer_may_not_be_called_as_what_the_model_solves_for(self):
        named = changed(channel.study_of(6875.0), scalars=[{"kind": "tracer", "name": "k"}])
        assert any("already has a meaning" in p.message for p in check(named))
        assert not any("already has a meaning" in p.message for p in check(changed(named, turbulence=None)))

    def test_actions_say_it_and_take_it_back(self):
        study = changed(channel.study_of(6875.0), turbulence=None)
        for name, values in (
            ("set_turbulence", {"kind": "sst"}), ("set_rough", {"patch": "wall"}),
            ("set_incoming", {"pointer": "/set_up/turbulence", "kind": "duct"}),
        ):  # fmt: skip
            study = act(study, name, **values)
        assert study.set_up.turbulence is not None
        assert study.set_up.turbulence.incoming.kind == "duct"
        assert study.set_up.turbulence.rough[0].patch == "wall"
        assert act(study, "set_turbulence", kind="laminar").set_up.turbulence is None
