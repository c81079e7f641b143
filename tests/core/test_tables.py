"""Tables of a study that formulas ask by their names."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, act
from brook.core.numerics import Stencil
from brook.core.solve.setup import boundary_conditions
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.study import Study
from brook.core.study.document import DocumentError, study_from
from brook.core.study.tables import ValueTable
from brook.core.units import DIMENSIONS, Quantity
from tests.core.test_time import channel

PROFILE = {"along": "mm", "unit": "mm/s", "points": [[0, 0], [5, 8], [10, 0]]}


def profiled(speed: str, tables: dict[str, Any], **more: Any) -> Study:
    raw = channel().model_dump(mode="json")
    raw["tables"] = tables
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["boundaries"][0] = {"kind": "velocity", "patch": "inlet", "speed": speed}
    return study_from(raw | more)


def test_a_profile_stands_on_the_faces_of_its_patch():
    study = profiled("inlet_speed(y)", {"inlet_speed": PROFILE})
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    stencil = Stencil(make_mesh(prepared))
    inlet = stencil.mesh.patch("inlet")
    conditions = boundary_conditions(stencil, prepared.boundaries)
    y = stencil.mesh.face_centres(inlet.faces)[:, 1]
    entering = np.linalg.norm(conditions.velocity[stencil.boundary_faces(inlet)], axis=1)
    assert np.allclose(entering, np.interp(y, [0, 5e-3, 10e-3], [0, 8e-3, 0]), atol=1e-12)


def test_a_point_of_a_table_makes_runs_out_of_date():
    one = profiled("inlet_speed(y)", {"inlet_speed": PROFILE})
    other = profiled("inlet_speed(y)", {"inlet_speed": PROFILE | {"points": [[0, 0], [5, 8], [6.1, 8], [10, 0]]}})
    keys = [stage_keys(s, prepare(s, s.variants[0])) for s in (one, other)]
    assert keys[0] is not None
    assert keys[1] is not None
    assert keys[0].mesh == keys[1].mesh
    assert keys[0].run != keys[1].run
    unasked = profiled("inlet_speed(y)", {"inlet_speed": PROFILE, "other": PROFILE})
    assert stage_keys(unasked, prepare(unasked, unasked.variants[0])) == keys[0]


@pytest.mark.parametrize(
    ("speed", "words"),
    [
        ("inlet_speed", "is a table: ask for its value at a place"),
        ("inlet_speed(y, y)", "takes 1 place, not 2"),
        ("inlet_speed(2 s)", "goes by m, not by s"),
        ("outlet_speed(y)", "unknown function 'outlet_speed'"),
    ],
)
def test_a_table_asked_wrongly_is_told_at_its_place(speed: str, words: str):
    found = check(profiled(speed, {"inlet_speed": PROFILE}))
    assert any(words in p.message and p.path.endswith("/speed") for p in found), found


@pytest.mark.parametrize(
    ("table", "words"),
    [
        (PROFILE | {"points": [[0, 0], [0, 8]]}, "have to rise"),
        (PROFILE | {"unit": "furlong"}, "'furlong' is not a unit"),
        (PROFILE | {"points": [[0, 0]]}, "at least 2"),
    ],
)
def test_a_table_that_means_nothing_is_refused(table: dict[str, Any], words: str):
    with pytest.raises(DocumentError) as refused:
        profiled("1 mm/s", {"inlet_speed": table})
    assert any(words in p.message for p in refused.value.problems), refused.value


def test_tables_are_made_changed_and_taken_out():
    study = profiled("8 mm/s", {})
    made = act(
        study, "set_table", **{"name": "inlet_speed", "along": "mm", "unit": "mm/s", "points": "0, 0\n5 8\n\n10;0\n"}
    )
    assert made.tables["inlet_speed"].points == ((0, 0), (5, 8), (10, 0))
    with pytest.raises(EditRefused, match="line 2 of the points"):
        act(study, "set_table", **{"name": "inlet_speed", "along": "mm", "unit": "mm/s", "points": "0 0\n5 fast\n"})
    again = {"name": "inlet_speed", "along": "mm", "unit": "mm/s", "points": "0 1\n5 2"}
    with pytest.raises(EditRefused, match="is there already"):
        act(made, "set_table", **again)
    assert act(made, "set_table", **again, was="inlet_speed").tables["inlet_speed"].points == ((0, 1), (5, 2))
    assert not act(made, "remove", pointer="/tables/inlet_speed").tables
    taken = act(study, "set_table", **{"name": "ramp_up", "along": "s", "unit": "", "points": "0 0\n1 1"})
    assert taken.tables["ramp_up"].known().values.tolist() == [0, 1]
    named = profiled("8 mm/s", {"ramp": PROFILE})
    assert any("already has a meaning" in p.message for p in check(named))


def test_a_course_in_time_is_a_table_too():
    study = profiled("8 mm/s", {"surge": {"along": "s", "unit": "", "points": [[0, 0], [1, 1]]}})
    raw = study.model_dump(mode="json")
    raw["set_up"]["timing"] = channel().model_dump(mode="json")["set_up"]["timing"]
    raw["set_up"]["boundaries"][0]["speed"] = "8 mm/s * surge(t)"
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    from brook.core.stages.in_time import conditions_in_time

    stencil = Stencil(make_mesh(prepared))
    at = conditions_in_time(study, prepared, stencil)
    assert at is not None
    speeds = [np.linalg.norm(at(t).velocity, axis=1).max() for t in (0.0, 0.25, 5.0)]
    assert speeds == pytest.approx([0.0, 2e-3, 8e-3])


def test_a_curve_between_points_rises_and_falls_with_them_only():
    points = ((0, 0), (1, 1), (2, 8), (3, 8), (4, 2))
    lines, curve = (ValueTable(along="m", unit="m/s", points=points, between=between).known() for between in ("lines", "curve"))  # fmt: skip
    where = Quantity(np.linspace(-1.0, 5.0, 601), DIMENSIONS["length"])
    straight, smooth = (np.asarray(table.at(where, 0).value) for table in (lines, curve))
    for place, value in points:
        assert float(curve.at(Quantity(float(place), DIMENSIONS["length"]), 0).value) == pytest.approx(value)
    assert smooth.min() == 0
    assert smooth.max() == 8
    assert smooth[-1] == 2  # level beyond the points
    steps = np.diff(smooth)
    assert (steps[100:300] >= -1e-12).all()
    assert (steps[400:] <= 1e-12).all()
    assert 0.1 < np.abs(smooth - straight).max() < 2
