"""Properties that change with temperature: by formula of T, by table, as an ideal gas; in the open and in closed bodies."""

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.formulas import FormulaError, evaluate, parse
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import read_all
from brook.core.stages.running import solve
from brook.core.study.document import study_from

COLD, WARM = 280.0, 340.0
STILL = {"buoyancy": "boussinesq", "gravity_y": "-1e-9 m/s^2"}  # next to no weight: nothing else moves a closed body


def square(fluid=None, patches=(), requirements=(), timing=None, materials=None, cells=10, **heat):
    """A body of 100 mm by 100 mm by 100 mm between `left`, `right`, `bottom` and `top`."""
    sides = {s: s for s in ("left", "right", "bottom", "top")}
    outer = {
        "name": "square",
        "left": "0 mm",
        "bottom": "0 mm",
        "width": "100 mm",
        "height": "100 mm",
        "patches": sides,
    }
    named = [
        {"name": f"r{k}", "title": "R", "reading": r, "limit": {"kind": "smallest"}} for k, r in enumerate(requirements)
    ]
    said = [{"kind": "temperature", "patch": p, "temperature": f"{t} K"} for p, t in patches]
    set_up = {"fluid": fluid or {"kind": "own"}, "heat": {"start": f"{COLD} K", "patches": said, **heat}}
    if timing:
        set_up["timing"] = timing
    if materials:
        set_up["materials"] = materials
    return study_from(
        {
            "format": "brook-study", "version": 1, "title": "Square", "requirements": named,
            "variants": [{"name": "s", "title": "S", "geometry": {"depth": "100 mm", "outer": outer}}],
            "mesh_plan": {"bulk": f"{100 / cells} mm", "wall": f"{100 / cells} mm"}, "set_up": set_up,
            "run_rules": {"residual": "1e-8"},
        }
    )  # fmt: skip


def run(study):
    assert check(study) == []
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    return outcome, [r.value for r in read_all(study, prepared, outcome.fields, outcome.history)]


def problems(study):
    return {p.path: p.message for p in check(study)}


def test_a_conductivity_that_rises_with_temperature():
    """k = k0 (1 + b (T - T0)): the heat is that of the conductivity half way between both sides (Kirchhoff)."""
    solid = {"kind": "own_solid", "conductivity": "2 W/(m K) * (1 + 0.01 K^-1 * (T - 280 K))"}
    sides = [("left", COLD), ("right", WARM)]
    for materials, fluid in (({"fluid": solid}, None), (None, {"kind": "own", "conductivity": solid["conductivity"]})):
        study = square(fluid, sides, ["left.heat.total"], materials=materials, cells=20, **STILL)
        outcome, (heat,) = run(study)
        assert outcome.state == "converged"
        assert heat == pytest.approx(2 * 1.3 * 0.1 * (WARM - COLD), rel=2e-4)


def test_a_liquid_thinner_where_it_is_warm():
    """Between a lid that slides and a floor, viscosity 1 / (a + b y): the stress is that of the mean of 1 / viscosity."""
    thinning = "1 Pa s / (1 + 0.05 K^-1 * (T - 280 K))"
    # next to no heat is carried along, so that the temperature rises straight from floor to lid
    fluid = {"kind": "own", "density": "1 kg/m^3", "viscosity": thinning, "heat_capacity": "1e-6 J/(kg K)"}
    raw = square(fluid, [("bottom", COLD), ("top", WARM)], ["bottom.force_x.total"], cells=16).model_dump(mode="json")
    raw["set_up"]["boundaries"] = [
        {"kind": "sliding", "patch": "top", "velocity_x": "1 mm/s", "velocity_y": "0 m/s", "velocity_z": "0 m/s"},
        {"kind": "pressure", "patch": "left"}, {"kind": "pressure", "patch": "right"},
    ]  # fmt: skip
    outcome, (force,) = run(study_from(raw))
    assert outcome.state == "converged", outcome.message
    assert force == pytest.approx(1e-3 / (0.1 * 2.5) * 0.01, rel=3e-3)


def test_a_gas_in_a_closed_box_is_warmed_at_constant_volume():
    """Heat that is set free evenly warms it by Q t / (m c_v), and the pressure rises with the temperature."""
    gas = {"kind": "gas", "molar_mass": "28.96 g/mol", "temperature": f"{COLD} K", "heat_capacity": "1005 J/(kg K)"}
    timing = {"kind": "in_time", "duration": "10 s", "steps": "fixed", "step": "0.5 s", "reads": "end"}
    readings = ["fluid.temperature.mean", "fluid.density.mean"]
    study = square(gas, requirements=readings, timing=timing, sources=[{"body": "fluid", "power": "2 W"}], buoyancy="density",
                   gravity_y="0 m/s^2")  # fmt: skip
    outcome, (temperature, density) = run(study)
    mass = 101325 * 0.02896 / (8.314462618 * COLD) * 1e-3
    by_volume = 1005 - 8.314462618 / 0.02896
    assert density * 1e-3 == pytest.approx(mass, rel=1e-9)
    assert temperature - COLD == pytest.approx(2 * 10 / (mass * by_volume), rel=2e-3)
    assert outcome.state == "converged"


def test_an_open_gas_keeps_its_pressure():
    gas = {"kind": "gas", "temperature": f"{COLD} K"}
    study = square(
        gas, [("bottom", WARM), ("left", COLD)], ["fluid.density.min", "fluid.temperature.max"],
        buoyancy="density", gravity_y="0 m/s^2",
    )  # fmt: skip
    raw = study.model_dump(mode="json")
    raw["set_up"]["boundaries"] = [
        {"kind": "velocity", "patch": "left", "speed": "10 mm/s"}, {"kind": "pressure", "patch": "right"}
    ]  # fmt: skip
    outcome, (lightest, warmest) = run(study_from(raw))
    assert outcome.state == "converged"
    assert warmest > COLD + 30
    assert lightest == pytest.approx(101325 * 0.02896 / (8.314462618 * warmest), rel=1e-9)


GROWING = " * (1 + 0.004 K^-1 * (T - 280 K))"


def test_a_block_whose_capacity_grows_is_warmed_as_its_enthalpy_says():
    block = {"kind": "own_solid", "density": "2000 kg/m^3", "heat_capacity": f"500 J/(kg K){GROWING}"}
    timing = {
        "kind": "in_time",
        "duration": "300 s",
        "steps": "fixed",
        "step": "10 s",
        "reads": "end",
        "keep_every": "300 s",
    }
    study = square(
        {}, [], ["fluid.temperature.mean"], materials={"fluid": block}, timing=timing,
        sources=[{"body": "fluid", "power": "2 kW"}],
    )  # fmt: skip
    _, (warm,) = run(study)
    held = 2e3 * 300 / (2000 * 0.1**3 * 500)  # ΔT + 0.002 ΔT² in K
    assert warm - COLD == pytest.approx((-1 + (1 + 0.008 * held) ** 0.5) / 0.004, rel=1e-7)


@pytest.mark.parametrize("varying", [False, True])
def test_a_stream_whose_capacity_changes_carries_its_enthalpy(varying):
    """Heat comes in over the floor of a duct and leaves with the water, whether by formula or as the library knows it."""
    own = {"kind": "own", "heat_capacity": f"4000 J/(kg K){GROWING}", "viscosity": "10 mPa s"}
    study = square(
        {"kind": "library"} if varying else own, [("left", COLD)],
        ["right.temperature.mean", "left.heat.total + right.heat.total + bottom.heat.total", "bottom.heat.total"],
        varying=varying,
    )  # fmt: skip
    raw = study.model_dump(mode="json")
    raw["set_up"]["heat"]["patches"].append({"kind": "flux", "patch": "bottom", "flux": "20 kW/m^2"})
    raw["set_up"]["boundaries"] = [
        {"kind": "velocity", "patch": "left", "speed": "1 mm/s"}, {"kind": "pressure", "patch": "right"}
    ]  # fmt: skip
    outcome, (_, left_over, entered) = run(study_from(raw))
    assert outcome.state == "converged"
    assert entered == pytest.approx(-200.0)
    assert abs(left_over) < 1e-6 * 200
    fields = outcome.fields
    out = fields.stencil.boundary_faces(fields.mesh.patch("right"))
    mass, warmer = fields.flux[fields.stencil.inner :][out], fields.more["temperature"][1][out] - COLD
    if varying:
        prepared = prepare(study, study.variants[0])
        assert warmer.min() > -0.003 * warmer.max()  # the scheme is bounded but for a little
        at = np.linspace(float(warmer.min()), float(warmer.max()), 2001)
        capacity = prepared.fluid.at("heat_capacity", COLD + at)
        held = np.concatenate([[0], np.cumsum(0.5 * (capacity[1:] + capacity[:-1]) * np.diff(at))])
        enthalpy = np.interp(warmer, at, held) - np.interp(0.0, at, held)
    else:
        enthalpy = 4000 * (warmer + 0.002 * warmer**2)
    back = fields.more["heat"][1][fields.stencil.boundary_faces(fields.mesh.patch("left"))].sum()
    inlet = fields.flux[fields.stencil.inner :][fields.stencil.boundary_faces(fields.mesh.patch("left"))].sum()
    through = fields.flowing_capacity[fields.stencil.face_cell[0]] * COLD  # counted from 0 K by the constant part
    assert float(mass @ enthalpy) == pytest.approx(200.0 - (back - inlet * through), rel=1e-4)


def test_a_formula_that_comes_to_nothing_is_told():
    fluid = {"kind": "own", "viscosity": "1 mPa s * (1 - 0.02 K^-1 * (T - 280 K))"}
    outcome, _ = run(square(fluid, [("left", COLD), ("right", WARM)], **STILL))
    assert "in fluid the viscosity by its formula comes to nothing at" in outcome.message
    outcome, _ = run(square({"kind": "library"}, [("left", COLD), ("right", 400.0)], varying=True, **STILL))
    assert "beyond what is known of water" in outcome.message
    outcome, _ = run(
        square({"kind": "library"}, [("left", COLD), ("right", 400.0)], buoyancy="density", gravity_y="0 m/s^2")
    )
    assert "beyond what is known of water" in outcome.message


@pytest.mark.parametrize(
    ("fluid", "at", "words"),
    [
        ({"viscosity": "1 mPa s * T"}, "/set_up/fluid/viscosity", "this is a dynamic viscosity"),
        ({"viscosity": "1 mPa s * (T - 300 K) / 1 K"}, "/set_up/fluid/viscosity", "more than zero"),
        ({"expansion": "1e-4 K^-1 * T / (300 K)"}, "/set_up/fluid/expansion", "T stands only for"),
        ({"conductivity": "table(T, 0 degC, 1 W/(m K))"}, "/set_up/fluid/conductivity", "two pairs"),
    ],
)
def test_what_a_formula_of_temperature_cannot_be(fluid, at, words):
    assert words in problems(square({"kind": "own", **fluid}))[at]


def test_the_temperature_needs_temperatures():
    raw = square({"kind": "own", "viscosity": "1 mPa s * T / 300 K"}).model_dump(mode="json")
    raw["set_up"]["heat"] = None
    assert "only where temperatures are computed" in problems(study_from(raw))["/set_up/fluid/viscosity"]


def test_another_formula_is_another_run():
    def key(viscosity, **named):
        raw = square({"kind": "own", "viscosity": viscosity}).model_dump(mode="json")
        raw["named_values"] = named
        study = study_from(raw)
        return stage_keys(study, prepare(study, study.variants[0])).run

    text = "1 mPa s * (1 + thinning * (280 K - T))"
    assert key(text, thinning="0.01 K^-1") == key(text, thinning="1e-2 K^-1")
    assert key(text, thinning="0.01 K^-1") != key(text, thinning="0.02 K^-1")


def test_tables_go_straight_from_point_to_point():
    def value(text):
        return evaluate(parse(text), lambda reading: None).value

    assert value("table(3 m, 1 m, 10 Pa, 5 m, 30 Pa)") == pytest.approx(20)
    assert value("table(9 m, 1 m, 10 Pa, 5 m, 30 Pa)") == pytest.approx(30)
    assert np.isclose(value("table(0.5, 0, 1, 1, 2, 3, 0)"), 1.5)
    for wrong in ("table(1, 0, 1)", "table(1, 0, 1, 2)", "table(1, 2, 1, 0, 2)", "table(1, 0 m, 1, 2 m, 2)"):
        with pytest.raises(FormulaError):
            value(wrong)
