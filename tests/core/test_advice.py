"""What is told before a run, and what mends it."""

import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.core.checks import check, prepare
from brook.core.checks.advice import Around, Flowing, advice, speed_of_sound
from brook.core.checks.flowing import looked_at
from brook.core.checks.mending import mends
from brook.core.editing import EditRefused, act, set_value
from brook.core.materials import ConstantFluid
from brook.core.study import study_text
from brook.core.study.document import study_from
from tests.core.studies import raw_tray, tray
from tests.core.test_following import duct as oil_duct
from tests.core.test_openings import CURVE, FAN, duct


def told(study, **flowing):
    return advice(study, prepare(study, study.variants[0]), check(study), Flowing(**flowing))


def accepted(study, found):
    change = found.change
    return act(study, change.action, **change.values)


def test_a_study_that_is_ready_has_nothing_on_its_list():
    assert told(tray(), speed=0.004, reynolds=180.0) == []


def test_a_missing_outlet_is_said_with_one_key():
    raw = raw_tray()
    raw["set_up"]["boundaries"] = [b for b in raw["set_up"]["boundaries"] if b["patch"] != "weir"]
    study = study_from(raw)
    first = told(study)[0]
    assert first.blocks
    assert first.change.words == "Let it leave through weir"
    assert not [a for a in told(accepted(study, first)) if a.blocks]


@pytest.mark.parametrize(("reynolds", "turbulence", "kind"), [(1e5, None, "sst"), (300.0, {"kind": "sst"}, None)])
def test_a_regime_that_does_not_fit_is_told_and_changed(reynolds, turbulence, kind):
    raw = raw_tray()
    raw["set_up"]["turbulence"] = turbulence
    study = study_from(raw)
    (found,) = told(study, reynolds=reynolds)
    assert not found.blocks
    changed = accepted(study, found).set_up.turbulence
    assert (changed.kind if changed else None) == kind


def test_values_and_tables_that_nothing_asks_for_are_taken_out():
    study = duct(FAN, {"kind": "pressure", "patch": "outlet"}, tables=CURVE | {"old_blower": CURVE["blower"]})
    study = act(study, "add_named_value", name="gap", value="3 mm")
    found = {a.path: a for a in told(study)}
    assert set(found) == {"/tables/old_blower", "/named_values/gap"}
    for name in ("/tables/old_blower", "/named_values/gap"):
        study = accepted(study, found[name])
    assert told(study) == []


def test_heat_that_cannot_leave_is_no_run():
    walls = [{"kind": "sliding", "patch": "inlet", "velocity_y": "1 m/s"}]
    closed = duct(*walls, heat={"start": "300 K", "sources": [{"body": "fluid", "power": "3 W"}]})
    assert any("has no way out" in a.message for a in told(closed))
    film = act(closed, "set_heat_patch", patch="outlet", kind="film")
    assert not any("has no way out" in a.message for a in told(film))
    timed = act(closed, "set_timing", kind="in_time")
    assert not any("has no way out" in a.message for a in told(timed))


def test_fast_gases_are_told_and_liquids_are_not():
    air = ConstantFluid("Air", 1.204, 1.8e-5, heat_capacity=1006.0, pressure=101325.0, temperature=293.15)
    assert speed_of_sound(air) == pytest.approx(343.2, rel=2e-3)
    assert speed_of_sound(ConstantFluid("Water", 998.0, 1e-3)) == 0
    raw = raw_tray()
    raw["set_up"]["fluid"] = {"kind": "gas"}
    found = told(study_from(raw), speed=150.0)
    assert any("is Mach 0.44" in a.message for a in found)


def test_a_mesh_that_does_not_fit_into_memory_is_told():
    assert any("are free now" in a.message for a in told(tray(), cells=10**12))


def refused(study, pointer, text):
    with pytest.raises(EditRefused):
        set_value(study, pointer, text)
    return mends(study, study.variants[0], pointer, text, ("inlet", "outlet", "wall"))


def test_refused_texts_have_what_they_may_have_been_meant_to_be():
    study = tray()
    at = "/set_up/boundaries/0/speed"
    assert refused(study, at, "5") == ["5 mm/s"]
    assert refused(study, at, "suply")[0] == "supply"
    assert refused(study, at, "2 * Supply") == ["2 * supply"]
    assert refused(study, at, "5 kg") == []
    through = duct(FAN, {"kind": "pressure", "patch": "outlet"}, tables=CURVE)
    assert refused(through, "/set_up/boundaries/0/rise", "blower(q)") == ["blower(Q)"]
    assert refused(through, "/set_up/boundaries/0/rise", "blowr(Q)") == ["blower(Q)"]
    assert refused(through, "/set_up/boundaries/0/patch", "inlt") == ["inlet"]
    assert refused(through, "/set_up/fluid/density", "1.3") == ["1.3 kg/m^3"]


def test_the_command_line_tells_the_same():
    raw = raw_tray()
    raw["named_values"]["old_gap"] = "3 mm"
    raw["set_up"]["boundaries"][0]["speed"] = "2 m/s"
    words = dict(looked_at(study_from(raw)))
    assert words["/named_values/old_gap"] == "old_gap stands in no formula"
    assert "likely turbulent" in words["/set_up/turbulence"]
    assert looked_at(tray()) == []


def test_a_text_of_many_unknown_names_is_answered_at_once():
    text = " + ".join(f"suppl{letter}" for letter in "abcdefghijklmnopqrstuvwxyz" * 2)
    assert len(mends(tray(), tray().variants[0], "/set_up/boundaries/0/speed", text)) <= 2
    assert mends(tray(), tray().variants[0], "/set_up/boundaries/0/speed", "suply +" * 400) == []


def test_first_cells_that_the_law_of_the_wall_does_not_reach_are_told():
    """At Re = 10⁵ and 10 m/s in water c_f is 0.0044: the friction speed is 0.47 m/s, y⁺ of 1.5 mm 700 (ν is 1.0 mm²/s)."""
    raw = raw_tray()
    raw["set_up"] |= {
        "turbulence": {"kind": "sst"},
        "fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "1 mPa s"},
    }
    raw["mesh_plan"] |= {"wall": "3 mm"}
    (found,) = told(study_from(raw), speed=10.0, reynolds=1e5)
    assert found.path == "/mesh_plan/wall"
    assert not found.blocks
    assert "y⁺ 710 or about" in found.message
    assert "cells of 424 µm at walls lie at 100" in found.message
    raw["mesh_plan"] |= {"wall": "0.4 mm"}
    assert told(study_from(raw), speed=10.0, reynolds=1e5) == []


def test_long_runs_are_told():
    raw = raw_tray()

    def long_ones(cells):  # not what is said of memory, which is that of the machine
        return [a for a in told(study_from(raw), cells=cells) if "iterations will take" in a.message]

    assert long_ones(200_000) == []
    (found,) = long_ones(8_000_000)
    assert found.message == "a run of 200 iterations will take about 53 min, as cells take 2 µs each"
    raw["set_up"]["timing"] = {"kind": "in_time", "duration": "100 s", "step": "0.1 s"}
    (found,) = long_ones(500_000)
    assert "8\u202f000 iterations will take about 2.2 h" in found.message


@pytest.mark.parametrize(("size", "words"), [(0.02, []), (0.1, ["cover 20 % of the stream", "enters 130 mm before"])])
def test_bodies_that_cover_much_of_a_stream_are_told(size, words):
    """A round bar in a stream of 0.5 m, its middle 0.18 m behind where that enters."""
    outer = {"name": "stream", "left": "-0.3 m", "bottom": "-0.25 m", "width": "1 m", "height": "0.5 m",
             "patches": {"left": "inlet", "right": "outlet", "bottom": "side", "top": "side"}}  # fmt: skip
    bar = {
        "kind": "circle",
        "name": "bar",
        "centre_x": "-0.12 m",
        "centre_y": "0 m",
        "diameter": f"{size} m",
        "patch": "bar",
    }
    study = study_from({
        "format": "brook-study", "version": 1, "title": "Bar",
        "variants": [{"name": "bar", "title": "Bar", "geometry": {"kind": "plane", "outer": outer, "shapes": [bar]}}],
        "set_up": {"boundaries": [{"kind": "stream", "patch": "inlet", "velocity_x": "1 m/s"}, {"kind": "pressure", "patch": "outlet"}, {"kind": "slip", "patch": "side"}]},
    })  # fmt: skip
    found = [a.message for a in told(study)]
    assert len(found) == len(words), found
    assert all(part in message for part, message in zip(words, found, strict=True))


def test_a_tunnel_that_a_body_covers_is_told_at_the_tunnel():
    raw = raw_tray()
    raw["set_up"]["boundaries"][0] = {"kind": "stream", "patch": "inlet", "velocity_x": "1 m/s"}
    wide = Around(share=0.08, wide=0.4, before=0.5, path="/variants/0/geometry/tunnel")
    covers, before = [a for a in told(study_from(raw), around=wide) if a.path == wide.path]
    assert "cover 8.0 % of the stream" in covers.message
    assert "enters 500 mm before the bodies, which cover 400 mm" in before.message
    small = Around(share=0.01, wide=0.1, before=0.5, path="/variants/0/geometry/tunnel")
    assert not any(a.path == wide.path for a in told(study_from(raw), around=small))


def test_a_run_takes_as_long_as_the_last_one_did():
    found = [a.message for a in told(study_from(raw_tray()), cells=8_000_000, pace=1e-6)]
    assert "a run of 200 iterations will take about 27 min, as cells took 1 µs each in the last one" in found


def test_the_command_line_knows_the_regime_of_shapes_in_space_too(tmp_path):
    """0.5 m/s through 20 by 20 mm, that of a circle of 22.6 mm: Re is 10200 at 1 mPa s, 102 at 100."""
    raw = oil_duct().model_dump(mode="json")
    for viscosity, words in (("1 mPa s", "Re = 10200 is likely turbulent"), ("100 mPa s", "")):
        raw["set_up"]["fluid"]["viscosity"] = viscosity
        (tmp_path / "a.json").write_text(study_text(study_from(raw)))
        done = CliRunner().invoke(app, ["check", str(tmp_path / "a.json")])
        assert done.exit_code == 0, done.output
        assert words in done.output
        assert ("turbulent" in done.output) is bool(words)
