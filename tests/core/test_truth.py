"""What is said is what was computed: balances by mass, readings with their course, limits that were not reached."""

import numpy as np
import pytest

from brook.core.answer import Standing, best_of, sentence
from brook.core.checks import check, prepare
from brook.core.mesh import PLANE_SIDES
from brook.core.numerics import Matrix, Stencil, laplacian
from brook.core.numerics.general import GeneralSolver, Unsolved
from brook.core.physics.developed import developed_profile
from brook.core.results import Judgement
from brook.core.results.places import box_samples
from brook.core.results.quantities import View
from brook.core.stages.assembly import flow_of
from brook.core.stages.batch import solve_variant, summary_of
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import course_words, read_all
from brook.core.study import Resolved
from brook.core.study.document import study_from
from brook.core.study.moving import changes_in_time
from tests.core.meshes import box_mesh
from tests.core.studies import raw_tray, tray


def warmed_gas():
    """Air that doubles its temperature on its way through a channel."""
    raw = raw_tray(variants=[raw_tray()["variants"][0]], requirements=[], places={})
    raw["set_up"] = {
        "fluid": {"kind": "gas", "title": "Air", "temperature": "300 K"},
        "boundaries": [
            {"kind": "velocity", "patch": "inlet", "speed": "0.02 m/s"}, {"kind": "pressure", "patch": "weir"},
        ],
        "heat": {"start": "300 K", "varying": True, "buoyancy": "density", "gravity_y": "0 m/s^2", "patches": [
            {"kind": "temperature", "patch": "inlet", "temperature": "300 K"},
            {"kind": "temperature", "patch": "floor", "temperature": "600 K"},
        ]},
    }  # fmt: skip
    raw["requirements"] = [
        {
            "name": name,
            "title": name,
            "reading": f"inlet.{what}.total + weir.{what}.total",
            "limit": {"kind": "smallest"},
        }
        for name, what in (("mass", "mass_flow"), ("volume", "flow"))
    ]
    return study_from(raw)


def test_mass_is_balanced_by_mass_and_volumes_are_another_reading():
    study = warmed_gas()
    prepared, outcome = solve_variant(study, "plain")
    fields = outcome.fields
    assert fields.imbalance() < 1e-12
    grown = (fields.flow("weir") + fields.flow("inlet")) / -fields.flow("inlet")
    assert grown > 0.1
    mass, volume = read_all(study, prepared, fields, outcome.history)
    assert abs(mass.value) < 1e-12 * fields.mass_flow("weir")
    assert volume.value == pytest.approx(grown * -fields.flow("inlet"))
    said = summary_of(study, prepared, outcome, [mass, volume])
    assert said["mass_imbalance"] < 1e-12
    assert said["mass_flows"]["weir"] == pytest.approx(fields.mass_flow("weir"))
    assert said["volume_flows"]["weir"] == pytest.approx(fields.flow("weir"))
    assert [row["unit"] for row in said["readings"]] == ["kg/s", "m^3/s"]


def in_time(**timing):
    """A channel between two pressures of which one swings."""
    geometry = {"body": "water", "depth": "1 m", "shapes": [], "openings": [],
                "outer": {"name": "outer", "left": "0 m", "bottom": "0 m", "width": "0.4 m", "height": "0.1 m",
                          "patches": {"left": "left", "right": "right", "bottom": "low", "top": "high"}}}  # fmt: skip
    return study_from({
        "format": "brook-study", "version": 1, "title": "Swing", "variants": [{"name": "a", "title": "A", "geometry": geometry}],
        "mesh_plan": {"bulk": "10 mm", "wall": "5 mm", "growth": "1.2"},
        "set_up": {
            "fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.01 Pa s"},
            "boundaries": [
                {"kind": "pressure", "patch": "left", "pressure": "0.1 Pa * sin(6.283 * t / 1 s)"},
                {"kind": "pressure", "patch": "right", "pressure": "0 Pa"},
            ],
            "timing": {"kind": "in_time", "duration": "0.5 s", "steps": "fixed", "step": "0.02 s", **timing},
        },
        "requirements": [{"name": "flow", "title": "Flow", "reading": "right.flow.total", "limit": {"kind": "largest"}}],
    })  # fmt: skip


def test_steps_between_swinging_pressures_close():
    _, outcome = solve_variant(in_time(), "a")
    assert outcome.state == "converged"
    assert "stayed over" not in outcome.message


def test_a_run_whose_steps_do_not_close_has_not_converged():
    _, outcome = solve_variant(in_time(repeats=3), "a")
    assert outcome.state == "not converged"
    assert "residuals stayed over 0.0001: allow more repeats" in outcome.message


def test_steps_shortened_by_kept_moments_are_told():
    _, outcome = solve_variant(in_time(keep_every="0.05 s"), "a")
    assert "steps were shorter than 0.02 s, so that kept moments and the end are met" in outcome.message
    _, outcome = solve_variant(in_time(keep_every="0.1 s", duration="0.2 s"), "a")
    assert "steps were" not in outcome.message


def test_a_reading_in_time_is_the_end_unless_somebody_says_otherwise_and_says_so():
    study = in_time(duration="0.2 s")
    prepared, outcome = solve_variant(study, "a")
    (read,) = read_all(study, prepared, outcome.fields, outcome.history)
    assert read.value == pytest.approx(outcome.fields.flow("right"))
    assert summary_of(study, prepared, outcome, [read])["readings"][0]["reads"] == "at the end, 200 ms"

    def told(course="", **timing):
        study = in_time(**timing)
        requirement = study.requirements[0].model_copy(update={"course": course})
        return course_words(requirement, prepare(study, study.variants[0]))

    assert told(reads="mean") == "mean of the whole run"
    assert told(reads="largest", average_from="0.1 s") == "largest value from 100 ms on"
    assert told("frequency", average_from="0.1 s") == "frequency from 100 ms on"
    steady = tray()
    assert course_words(steady.requirements[0], prepare(steady, steady.variants[0])) == ""


def test_the_best_is_only_the_best_so_far_until_all_are_read():
    standings = [Standing("a", "A", True, {"drop": (1.0, judged())}), Standing("b", "B", False, {})]
    best = best_of(standings, [("drop", "smallest")])
    assert sentence(standings, best, {"drop": "Drop"}).startswith("Best so far: “A” holds every limit")
    both = [standings[0], Standing("b", "B", True, {"drop": (2.0, judged())})]
    assert sentence(both, best_of(both, [("drop", "smallest")]), {}).startswith(
        "“A” holds every limit and does best of 2"
    )


def test_runs_that_did_not_converge_are_not_asked_to_be_run_again():
    missed = Judgement("fail", -0.2, "20 % outside")
    ended = [Standing(n, n.upper(), False, {"drop": (1.0, missed)}, True) for n in ("a", "b")]
    drawn = Standing("c", "C", False, {})
    words = sentence([drawn, *ended], None, {"drop": "Drop"})
    assert words == (
        "No run converged, so there is no answer yet; the run pages say why. As they ended, none holds every limit; they fail on drop. "
        "1 of 3 are not up to date."
    )
    assert "As they ended, “A” holds every limit." in sentence(
        [Standing("a", "A", False, {"drop": (1.0, judged())}, True)], None, {}
    )
    assert "bring them up to date" in sentence([drawn], None, {})


def judged():
    from brook.core.results.readings import judge

    return judge(1.0, Resolved(kind="smallest"), None, None)


def test_a_shear_law_and_a_formula_of_the_temperature_are_refused_together():
    law = {"kind": "power", "index": "0.7"}
    raw = raw_tray()
    raw["set_up"]["fluid"] = {"kind": "own", "viscosity": "1 mPa s * (1 + 0.01 * (T - 290 K) / 1 K)", "law": law}
    raw["set_up"]["heat"] = {
        "start": "290 K",
        "patches": [{"kind": "temperature", "patch": "inlet", "temperature": "290 K"}],
    }
    assert any("changes with shear is one number" in p.message for p in check(study_from(raw)))


def test_a_developed_profile_without_walls_at_its_rim_is_refused():
    mesh = box_mesh((4, 4, 2))
    names = [p.name for p in mesh.patches if p.name != PLANE_SIDES]
    with pytest.raises(ValueError, match="no wall touches the rim"):
        developed_profile(mesh, mesh.patch(names[0]), set())
    with pytest.raises(ValueError, match="no wall touches the rim"):
        developed_profile(mesh, mesh.patch(names[0]), {names[1]})  # the one across


def test_a_system_that_is_not_solved_is_no_answer(monkeypatch):
    """Before, whatever was nearer than the start was taken."""
    from brook.core.numerics import general

    stencil = Stencil(box_mesh((18, 18, 18)))
    matrix = laplacian(stencil, -np.ones(stencil.inner))
    matrix = Matrix(stencil, matrix.diagonal + 1e-3, matrix.entries)
    right = np.random.default_rng(3).standard_normal(stencil.cells)
    solver = GeneralSolver()
    monkeypatch.setattr(solver, "_by_our_cycles", lambda *_: None)
    monkeypatch.setattr(general, "LARGEST_DIRECT", 0)
    monkeypatch.setattr(general, "bicgstab", lambda matrix, right, **_: (0.5 * right, 1))
    with pytest.raises(Unsolved, match=r"was solved to .* only"):
        solver.solve(matrix, None, right, 1e-6)
    monkeypatch.setattr(general, "LARGEST_DIRECT", 10_000)
    found = solver.solve(matrix, None, right, 1e-6)
    assert np.linalg.norm(right - matrix.csr() @ found) < 1e-8 * np.linalg.norm(right)


class Lazy:
    """A pressure solver that never gets anywhere, and says so."""

    max_iterations = 3

    def solve(self, matrix, right, tolerance):
        return np.zeros_like(right), 3


def test_a_pressure_that_is_not_solved_is_told():
    study = tray()
    prepared = prepare(study, study.variant("plain"))
    flow, _ = flow_of(study, prepared, make_mesh(prepared))
    flow.iterate()
    assert flow.notes() == []
    flow.pressure_solver = Lazy()
    flow.iterate()
    flow.iterate()
    assert flow.notes() == ["the pressure equation was not solved to its tolerance in 2 iterations"]
    assert any("mass is kept only to" in words for words in flow.close())


def test_a_wall_that_turns_steadily_changes_nothing_in_time():
    """`axis: "z"` is no formula of time."""

    raw = raw_tray()
    raw["set_up"]["boundaries"].append({"kind": "turning", "patch": "floor", "axis": "z", "rate": "10 rpm"})
    study = study_from(raw)
    plain = study.variant("plain")
    assert [changes_in_time(study, plain, b) for b in study.set_up.boundaries] == [False, False, False]
    raw["set_up"]["boundaries"][-1]["rate"] = "10 rpm * t / 1 s"
    raw["named_values"] |= {"supply": "4 mm/s * growing", "growing": "1 + t / 1 s"}
    study = study_from(raw)
    assert [changes_in_time(study, plain, b) for b in study.set_up.boundaries] == [True, False, True]


def test_boxes_in_space_have_a_back_and_a_front():
    mesh = box_mesh((6, 6, 6))
    fields = fields_on(mesh)
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    middle = (low + high) / 2
    whole = Resolved(left=low[0], right=high[0], bottom=low[1], top=high[1], deep=None)
    half = Resolved(**{**vars(whole), "deep": Resolved(back=low[2], front=middle[2])})
    view = View(fields)
    assert box_samples(view, whole, "pressure").weights.sum() == pytest.approx(mesh.volume.sum())
    found = box_samples(view, half, "pressure")
    assert found.weights.sum() == pytest.approx(mesh.volume.sum() / 2)
    assert np.average(found.values, weights=found.weights) == pytest.approx(low[2] + (high - low)[2] / 4)
    raw = raw_tray()
    raw["places"]["egg_layer"]["deep"] = {"back": "10 mm", "front": "0 mm"}
    assert any("the front of 'egg_layer' lies before its back" in p.message for p in check(study_from(raw)))


def fields_on(mesh):
    """A pressure that is z, in water at rest."""
    from brook.core.solve import Fields

    stencil = Stencil(mesh)
    edge = mesh.face_centres(slice(stencil.inner, None))
    return Fields(
        stencil, np.full(stencil.cells, 1000.0), np.full(stencil.cells, 1e-3), np.zeros((stencil.cells, 3)),
        mesh.centre[:, 2].copy(), np.zeros(stencil.active), np.zeros((len(edge), 3)), edge[:, 2].copy(),
    )  # fmt: skip


def test_heat_that_has_come_to_rest_is_closed_in_every_step():
    """A duct full of water as warm as what enters: what is left of its heat is rounding, and no step stays over its residual."""
    raw = in_time(duration="1 s", step="0.1 s").model_dump(mode="json")
    raw["set_up"]["boundaries"][0] = {"kind": "velocity", "patch": "left", "speed": "0.1 m/s"}
    raw["set_up"]["heat"] = {"start": "303.15 K", "patches": [
        {"kind": "temperature", "patch": "left", "temperature": "303.15 K"}]}  # fmt: skip
    _, outcome = solve_variant(study_from(raw), "a")
    assert outcome.state == "converged"
    assert "stayed over" not in outcome.message
