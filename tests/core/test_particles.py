"""Particles after a run: what laws say of them, what walls do, what is told, and that each flies the same whoever follows it."""

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, act, set_value
from brook.core.mesh.pairs import Motion, Pair
from brook.core.results.particles import Cloud, Wall, rosin_rammler
from brook.core.results.particles.kernels import worn
from brook.core.results.particles.said import Statement, ends_told, worn_told
from brook.core.results.space import Locator
from brook.core.solve import History
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all, reads_flights
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from brook.core.verification import particles
from tests.core.test_periodic import ring
from tests.core.test_time import channel

EMPTY = (1e-9, 1e-9)


@pytest.mark.parametrize(
    "case",
    [
        particles._sinking,
        particles._stopping,
        particles._vortex,
        particles._in_space,
        particles._astray,
        particles._worn,
    ],
)
def test_what_laws_say(case):
    for comparison in case():
        assert comparison.passed, comparison


def test_walls_give_back_the_shares_they_are_said_to():
    """Onto the floor at 45°: half of the velocity across it is kept and all along it, once; sand keeps what was measured."""
    view = particles.flowing(particles.square(10), particles.still, EMPTY)
    cloud = particles.one((-0.3, -0.4), (1.0, -1.0), 1e-4, 2650.0)
    back = particles.flew(view, cloud, wall=Wall("bounces", 0.5, 1.0), seconds=0.3)
    assert back.velocities[0, :2] == pytest.approx([1.0, 0.5], rel=1e-3)
    angle = np.pi / 4
    sand = particles.flew(view, cloud, wall=Wall("sand"), seconds=0.3)
    kept = 0.993 - 1.76 * angle + 1.56 * angle**2 - 0.49 * angle**3
    assert sand.velocities[0, 1] == pytest.approx(kept, rel=1e-3)
    for does, how in (("sticks", "stuck to"), ("passes", "passed into")):
        assert list(particles.flew(view, cloud, wall=Wall(does)).ends(view.fields)) == [(how, "bottom")]


def test_beyond_a_periodic_pair_particles_go_on():
    """Along a shift and round a turn: where they come to is where they would be had they gone straight on, however often they went round."""
    view = particles.flowing(particles.square(10), lambda p: np.tile([1.0, 0.0, 0.0], (len(p), 1)), EMPTY)
    pair = Pair("left", Motion.shifted((1.0, 0.0, 0.0)))
    flight = particles.flew(view, particles.one((-0.3, 0.1), (0.0, 0.0), 1e-6, None), seconds=3.5, pairs=[pair])
    assert flight.places[0, :2] == pytest.approx([0.2, 0.1], abs=2e-3)
    assert list(flight.ends(view.fields)) == [("still on their way", "")]
    ((places, _),) = flight.ways
    assert np.isnan(places[:, 0]).sum() == 3  # a way is drawn in pieces
    mesh, sector = ring()
    about = np.array([0.3, 0.0, 0.0])
    view = particles.flowing(mesh, lambda p: np.cross([0.0, 0.0, 1.0], p - about), EMPTY)
    middle = mesh.centre[len(mesh.centre) // 2]
    radius, start = np.hypot(*(middle - about)[:2]), np.arctan2(*(middle - about)[1::-1])
    turned = 2 * np.pi / 3 + 0.1
    flight = particles.flew(
        view, Cloud(middle[None], np.zeros((1, 3)), np.full(1, 1e-6), np.ones(1)), seconds=turned, pairs=[sector]
    )
    off = (flight.places[0] - about)[:2]
    assert np.hypot(*off) == pytest.approx(radius, rel=0.01)
    apart = (np.arctan2(*off[::-1]) - start - turned) % (np.pi / 3)
    assert min(apart, np.pi / 3 - apart) < 0.02


def test_a_large_grain_meets_a_wall_before_its_middle_does():
    view = particles.flowing(particles.square(10), particles.still, EMPTY)
    flight = particles.flew(view, particles.one((0.01, 0.0), (0.0, -1.0), 0.1, 2650.0))
    assert flight.places[0, 1] == pytest.approx(-0.45, abs=1e-6)


def test_where_a_flow_was_cut_in_half_a_grain_comes_back_as_its_mirror_image():
    """At its middle, with all of its velocity, and as often as it likes; nothing is worn."""
    view = particles.flowing(particles.square(10), particles.still, EMPTY)
    flight = particles.flew(
        view,
        particles.one((-0.3, -0.4), (0.5, -1.0), 0.05, 2650.0),
        walls={"bottom": Wall("mirrors")},
        seconds=0.3,
        wear="oka",
    )
    assert flight.places[0, :2] == pytest.approx([-0.15, -0.3], abs=1e-3)
    assert flight.velocities[0, :2] == pytest.approx([0.5, 1.0], rel=1e-6)
    assert not flight.hits.any()


def test_chance_belongs_to_each_particle():
    """All together, or the second half alone: the same ways."""
    mesh = particles.square(10, 4.0)
    more = {
        name: (np.full(mesh.cell_count, value), np.full(40, value))
        for name, value in (("turbulent_energy", 0.06), ("dissipation_rate", 4.0))
    }
    view = particles.flowing(mesh, particles.still, particles.AIR, more)
    cloud = Cloud(np.tile([0.01, 0.02, 0.05], (600, 1)), np.zeros((600, 3)), np.full(600, 1e-6), np.ones(600))
    first, again = (particles.flew(view, cloud, eddies=0.3, seconds=1.0).places for _ in range(2))
    np.testing.assert_array_equal(first, again)
    assert len(np.unique(first[:, 0])) == 600
    other = particles.flew(view, cloud, eddies=0.3, seconds=1.0, seed=2).places
    assert np.abs(other - first)[:, :2].min() > 0
    assert np.ptp(first[:, 2]) == 0  # a drawing has no depth
    with pytest.raises(ValueError, match="no model of turbulence"):
        particles.flew(particles.flowing(mesh, particles.still, particles.AIR), cloud, eddies=0.3)


def test_sizes_share_the_mass_by_rosin_and_rammler():
    sizes = rosin_rammler(4000, 1e-4, 2.0, 1e-9, 1.0)
    assert np.mean(sizes < 1e-4) == pytest.approx(1 - np.exp(-1), abs=1e-3)
    assert np.mean(sizes < 5e-5) == pytest.approx(1 - np.exp(-0.25), abs=1e-3)
    cut = rosin_rammler(100, 1e-4, 2.0, 5e-5, 2e-4)
    assert cut.min() > 5e-5
    assert cut.max() < 2e-4


def test_finnies_law_has_no_step_and_ends_at_a_right_angle():
    low, high = (worn(1, 1e9, 10.0, np.arctan(1 / 3) * f, 1e-4) for f in (0.999999, 1.000001))
    assert low == pytest.approx(high, rel=1e-4)
    assert worn(1, 1e9, 10.0, np.pi / 2, 1e-4) == pytest.approx(0, abs=1e-20)


# -- of a study ------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def ran():
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["boundaries"][0]["profile"] = "developed"
    raw["mesh_plan"] = {"bulk": "10 mm", "wall": "10 mm"}
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    view = prepared.places.view(outcome.fields)
    return study, prepared, view, Locator(outcome.fields.mesh)


def flown(ran, **said):
    study, prepared, view, locator = ran
    study = act(study, "add_particles", patch=said.pop("patch", "inlet"))
    for name, value in said.items():
        study = set_value(study, f"/particles/0/{name}", value)
    assert not [p for p in check(study) if p.path.startswith("/particles")]
    return Statement(study.particles[0], prepared.scope).fly(view, locator)


def test_what_sinks_stays_and_what_is_light_leaves(ran):
    """Grains that settle in the duct within its length stick to the floor; of marks that go with the fluid the first takes 0.4 m over 1.5 times the mean
    speed, and half of them less than 3.033 s: between plates half of the flow is where u > 1.319 of its mean."""
    view = ran[2]
    resolved, cloud, flight = flown(ran, number="200", size="2 mm", does="sticks", rate="2 g/s")
    (row,) = ends_told(flight, view, cloud)
    assert (row["how"], row["patch"], row["number"]) == ("stuck to", "floor", 200)
    assert row["mass"] == pytest.approx(1)
    (wall,) = worn_told(resolved, flight, view)
    assert wall["hit"] == pytest.approx(2e-3)
    assert wall["worn"] == 0
    _, cloud, flight = flown(ran, number="500", kind="fluid")
    (row,) = ends_told(flight, view, cloud)
    assert (row["how"], row["patch"]) == ("left through", "outlet")
    assert np.median(flight.seconds) == pytest.approx(3.033, rel=0.015)
    assert flight.seconds.min() == pytest.approx(4 / 1.5, rel=0.015)


@pytest.mark.parametrize(("said", "words"), [
    ({"patch": "floor"}, "nothing passes floor"), ({"patch": "", "source/x": "9 m"}, "nothing of the place where they begin lies in the fluid"),
    ({"swings": "true"}, "no model of turbulence"),
])  # fmt: skip
def test_what_cannot_fly_is_told(ran, said, words):
    with pytest.raises(ValueError, match=words):
        flown(ran, **said)


def test_a_wrong_value_is_refused_at_its_place(ran):
    study = act(ran[0], "add_particles", patch="inlet")
    with pytest.raises(EditRefused, match="keeps a share"):
        set_value(study, "/particles/0/across", "1.2")
    with pytest.raises(EditRefused, match="length"):
        set_value(study, "/particles/0/size", "3 s")
    walls = act(
        act(study, "particle_wall", pointer="/particles/0", patch="lid"),
        "particle_wall",
        pointer="/particles/0",
        patch="lid",
    )
    assert [w.patch for w in walls.particles[0].walls] == ["lid"]


def test_wear_is_read_like_any_other_quantity_once_the_run_has_ended(ran):
    """The largest depth and the whole mass are those that the table says; another size of grain leaves the run as it is."""
    study, _, view, _ = ran
    study = act(study, "add_particles", patch="inlet")
    for name, value in {"size": "0.5 mm", "wear": "oka", "number": "200"}.items():
        study = set_value(study, f"/particles/0/{name}", value)
    grit = study.particles[0].name
    for reading in (f"floor.{grit}_wear.max", f"floor.{grit}_worn.total", f"floor.{grit}_hits.mean"):
        study = act(study, "add_requirement", reading=reading, title=reading.split(".")[1])
    assert not [p for p in check(study) if p.path.startswith("/requirements")]
    prepared = prepare(study, study.variants[0])
    fields = view.fields
    depth, mass, hits = (r.value for r in read_all(study, prepared, fields, History(())) if r.name.startswith(grit))
    resolved, _, flight = prepared.places.flights[f"{grit}_wear"].fly(view)
    (row,) = worn_told(resolved, flight, view)
    assert depth == pytest.approx(row["deepest"])
    assert mass == pytest.approx(row["worn"])
    area = fields.mesh.face_areas(fields.mesh.patch("floor").faces).sum()
    assert hits == pytest.approx(row["hit"] / area)
    again = prepared.places.flights[f"{grit}_wear"].fly(prepared.places.view(fields))
    assert again[2] is flight  # flown once, whoever reads it
    assert not reads_flights(study.requirements[0], prepared)
    wears = next(r for r in study.requirements if r.name == f"{grit}_wear")
    assert reads_flights(wears, prepared)
    finer = set_value(study, "/particles/0/size", "0.2 mm")
    before, after = (stage_keys(s, prepare(s, s.variants[0])) for s in (study, finer))
    assert before.run == after.run
    assert before.readings[f"{grit}_wear"] != after.readings[f"{grit}_wear"]
    with pytest.raises(EditRefused, match="already has a meaning"):
        act(study, "add_field", name=f"{grit}_wear", value="speed")
