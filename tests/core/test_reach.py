"""How far what a flow carries reaches what a reading reads: exact for what enters, and boxes that go where it does."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.editing import act
from brook.core.editing.pointers import EditRefused
from brook.core.results.reach import carried, reach_of
from brook.core.results.readings import read_value
from brook.core.stages.following import file_of, sizes_of_run
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study import Study

READING = "upper.temperature.mean"


def fork(size="5 mm", **heat):
    """A stream that is split by a wall: half leaves above, past a warm bar, the rest below, past a warmer one."""
    outer = {"name": "tray", "left": "0 mm", "bottom": "0 mm", "width": "400 mm", "height": "120 mm",
             "patches": {"left": "inlet", "right": "upper", "bottom": "wall", "top": "wall"}}  # fmt: skip
    boxes = [("wall", 120, 50, 280, 20), ("high", 220, 70, 20, 20), ("low", 220, 0, 20, 20)]
    shapes = [
        {"kind": "rectangle", "name": f"the_{name}", "left": f"{x} mm", "bottom": f"{y} mm", "width": f"{w} mm", "height": f"{h} mm",
         "patches": dict.fromkeys(("left", "right", "bottom", "top"), name)}
        for name, x, y, w, h in boxes
    ]  # fmt: skip
    warm = [
        {"kind": "temperature", "patch": patch, "temperature": f"{degrees} degC"}
        for patch, degrees in (("inlet", 20), ("high", 60), ("low", 90))
    ]
    return Study.model_validate({
        "title": "Fork", "variants": [{"name": "a", "title": "A", "geometry": {
            "outer": outer, "shapes": shapes, "openings": [{"patch": "lower", "side": "right", "start": "0 mm", "end": "50 mm"}]}}],
        "requirements": [{"name": "warmth", "title": "Warmth above", "reading": READING, "limit": {"kind": "smallest"}}],
        "mesh_plan": {"way": "boxes", "bulk": size, "wall": size},
        "set_up": {"fluid": {"kind": "own", "density": "1000 kg/m^3", "viscosity": "0.05 Pa s", "conductivity": "2 W/(m K)",
                             "heat_capacity": "2000 J/(kg K)"},
                   "heat": {"start": "20 degC", "patches": warm, **heat},
                   "boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "0.1 m/s"},
                                  {"kind": "pressure", "patch": "upper"}, {"kind": "pressure", "patch": "lower"}]},
    })  # fmt: skip


def computed(study, following=None):
    prepared = prepare(study, study.variants[0])
    assert prepared.ready, prepared.problems
    fields = solve(study, prepared, make_mesh(prepared, following=following)).fields
    return fields, read_value(READING, prepared.places, prepared.scope, fields), prepared


@pytest.fixture(scope="module")
def run():
    return computed(fork())


def test_what_enters_times_how_far_it_reaches_is_what_leaves_there(run):
    fields, _, prepared = run
    spreads, s = np.full(fields.mesh.cell_count, 1e-3), fields.stencil
    for patch in ("upper", "lower"):
        entering, through = fields.mesh.patch("inlet").faces, np.zeros(s.active - s.inner, bool)
        through[s.boundary_faces(fields.mesh.patch(patch))] = True
        share = carried(fields, np.zeros(fields.mesh.cell_count, bool), through, spreads)
        assert -fields.flux[entering] @ share[s.owner[entering]] == pytest.approx(fields.mass_flow(patch), rel=1e-3)
        w = reach_of(f"{patch}.temperature.mean", prepared.places, prepared.scope, fields, spreads)
        assert w.min() >= 0
        assert w.max() <= 1
    x, y, _ = fields.mesh.centre.T
    w = reach_of(READING, prepared.places, prepared.scope, fields, spreads)
    assert w[(x > 0.15) & (y > 0.07)].min() > 0.9
    assert w[(x > 0.15) & (y < 0.05)].max() < 0.1


def test_boxes_are_halved_where_it_reaches_what_is_read(run):
    """At as many cells the reading comes nearer to 294.03 K, which boxes of 0.7 mm give, than even boxes do (293.46 K) and than without
    looking at what is read (293.62 K)."""
    fields, even, _ = run
    made = {}
    for reaches in ("", READING):
        study = act(
            fork(),
            "follow_run",
            variant="a",
            run="0" * 20,
            cells=str(fields.mesh.cell_count),
            quantity="temperature",
            reaches=reaches,
        )
        there = prepare(study, study.variants[0])
        made[reaches] = (file_of(there), *computed(study, sizes_of_run(there, fields)))
    (one, alike, without, _), (other, above, reached, _) = made.values()
    assert one != other
    assert above.mesh.cell_count == pytest.approx(fields.mesh.cell_count, rel=0.05)
    in_lower = [((f.mesh.centre[:, 0] > 0.15) & (f.mesh.centre[:, 1] < 0.05)).sum() for f in (alike, above)]
    assert in_lower[1] < 0.7 * in_lower[0]
    assert 294.03 - reached < 0.75 * (294.03 - without) < 0.75 * (294.03 - even)


def test_what_cannot_be_told_of_is_refused():
    wish = {"variant": "a", "run": "0" * 20, "cells": "2000"}
    for study, quantity, reading, words in (
        (fork(), "temperature", "uper.temperature.mean", "did you mean upper"),
        (fork(), "velocity", "upper.speed.mean", "pressure joins a flow everywhere"),
        (fork(), "velocity", READING, "follow the temperature"),
        (fork(buoyancy="boussinesq"), "temperature", READING, "without buoyancy"),
    ):
        with pytest.raises(EditRefused, match=words):
            act(study, "follow_run", quantity=quantity, reaches=reading, **wish)
