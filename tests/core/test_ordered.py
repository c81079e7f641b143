"""Cells in rows: lengths that grow, sheets, collars and tubes that fit their dimensions, and flow through them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.checks import check
from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES, measure
from brook.core.mesh.ordered import OrderedError, build
from brook.core.mesh.ordered.spacing import spaced
from brook.core.results.forces import patch_forces
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Resolved, Study, resolve
from brook.core.study.ordered import Collar, Sheet, Tube
from tests.core.test_mesh import assert_sound

BEND = [{"x": f"{x} mm", "y": f"{y} mm", "z": f"{z} mm", "radius": f"{r} mm"}
        for x, y, z, r in [(0, 0, 0, 0), (200, 0, 0, 80), (200, 200, 0, 90), (200, 200, 300, 0)]]  # fmt: skip


def made(model):
    problems = []
    mesh = build(resolve(model, lambda reading: None, "", problems))
    assert not problems
    assert_sound(mesh)
    return mesh


def sheet(**more):
    columns = [{"to": "40 mm", "cells": 10}, {"to": "100 mm", "cells": 12, "first": "1 mm"}]
    rows = [{"to": "10 mm", "cells": 5}, {"to": "20 mm", "cells": 8, "first": "0.5 mm", "last": "0.3 mm"}]
    return Sheet(**{"kind": "sheet", "name": "sheet", "columns": columns, "rows": rows, "depth": "10 mm", **more})


def areas(mesh):
    return {p.name: mesh.face_areas(p.faces).sum() for p in mesh.patches}


@settings(max_examples=60, deadline=None)
@given(st.integers(3, 200), st.floats(1e-5, 0.3), st.floats(1e-5, 0.3))
def test_both_ends_of_a_row_are_as_long_as_they_are_to_be(cells, first, last):
    try:
        places = spaced(Resolved(cells=cells, first=2 * first, last=2 * last), 2.0, "a row")
    except ValueError:
        assert (cells - 1) * max(first, last) > 1 or cells * max(first, last) < 0.2
        return
    lengths = np.diff(places)
    assert places[0] == 0.0
    assert places[-1] == 1.0
    assert lengths.min() > 0
    assert (lengths[0], lengths[-1]) == pytest.approx((first, last), rel=1e-6)


def test_one_given_end_makes_a_steady_growth_and_what_does_not_fit_is_told():
    lengths = np.diff(spaced(Resolved(cells=12, first=1e-3, last=0.0), 1.0, "a row"))
    assert lengths[1:] / lengths[:-1] == pytest.approx(np.full(11, lengths[1] / lengths[0]))
    with pytest.raises(ValueError, match="longer than the stretch"):
        spaced(Resolved(cells=4, first=0.6, last=0.5), 1.0, "a row")


def test_a_sheet_becomes_a_slice_a_wedge_or_a_block():
    flat = made(sheet())
    assert flat.is_plane
    assert flat.patches[-1].name == PLANE_SIDES
    assert flat.volume.sum() == pytest.approx(0.1 * 0.02 * 0.01)
    wedge = made(sheet(becomes="wedge", angle="4 deg"))
    assert wedge.is_wedge
    assert [p.name for p in wedge.patches] == ["left", "right", "top", WEDGE_SIDES]  # the bottom is the axis
    assert wedge.volume.sum() == pytest.approx(np.pi * 0.02**2 * 0.1 * 4 / 360, rel=1e-3)
    block = made(sheet(becomes="block", along={"cells": 3, "first": "1 mm"}))
    assert block.cell_count == 3 * flat.cell_count
    assert areas(block)["front"] == pytest.approx(0.1 * 0.02)


def test_hollows_and_bent_edges_make_a_step_and_a_throat():
    hollow = {"from_column": 1, "to_column": 1, "from_row": 1, "to_row": 1, "patch": "step"}
    step = made(sheet(hollows=[hollow]))
    assert step.volume.sum() == pytest.approx((0.1 * 0.02 - 0.04 * 0.01) * 0.01)
    assert areas(step)["step"] == pytest.approx((0.04 + 0.01) * 0.01)
    ceiling = [{"x": f"{x} mm", "y": f"{y} mm", "to": "spline"} for x, y in [(0, 20), (50, 12), (100, 20)]]
    throat = made(sheet(ceiling=ceiling))
    x, y = throat.points[:, :2].T
    assert y[np.abs(x - 0.0) < 1e-9].max() == pytest.approx(0.02)
    assert y[np.abs(x - 0.05) < 0.005].max() < 0.0125
    with pytest.raises(OrderedError, match="meets its floor"):
        made(sheet(ceiling=[{"x": "0 mm", "y": "20 mm"}, {"x": "50 mm", "y": "-1 mm"}]))


@pytest.mark.parametrize(
    ("body", "perimeter"),
    [({"diameter": "20 mm"}, np.pi * 0.02), ({"body": "section", "digits": "4415", "incidence": "8 deg"}, 0.207),
     ({"body": "profile", "profile": [{"x": f"{x} mm", "y": f"{y} mm", "patch": "b"} for x, y in [(-10, -10), (10, -10), (10, 10), (-10, 10)]]}, 0.08)],
)  # fmt: skip
def test_a_collar_goes_round_its_body(body, perimeter):
    mesh = made(Collar(kind="collar", name="collar", around=120, outward={"cells": 40, "first": "0.2 mm"}, **body))
    assert areas(mesh)["body"] == pytest.approx(perimeter, rel=0.01)
    assert areas(mesh)["upstream"] + areas(mesh)["downstream"] == pytest.approx(np.pi * 0.6, rel=0.02)
    quality = measure(mesh)
    assert quality.non_orthogonality.max() < 60
    assert quality.growth.max() < 4


def test_a_tube_follows_its_path_and_a_hollow_one_has_an_inside():
    mesh = made(Tube(kind="tube", name="tube", path=BEND, across=6, along={"cells": 60}))
    length = 200 + 200 + 300 - 2 * (80 + 90) + (80 + 90) * np.pi / 2
    assert mesh.volume.sum() == pytest.approx(np.pi * 0.025**2 * length * 1e-3, rel=0.02)
    assert measure(mesh).non_orthogonality.max() < 35
    hollow = made(Tube(kind="tube", name="tube", path=BEND, inner="30 mm", along={"cells": 60}))
    assert areas(hollow)["inside"] / areas(hollow)["side"] == pytest.approx(30 / 50, rel=0.01)
    with pytest.raises(OrderedError, match="make its radius larger"):
        made(Tube(kind="tube", name="tube", path=[BEND[0], {**BEND[1], "radius": "20 mm"}, BEND[2]]))


def study(part, boundaries, **geometry):
    return Study.model_validate({
        "title": "rows", "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space", "parts": [part], **geometry}}],
        "set_up": {"fluid": {"kind": "own", "density": "1 kg/m^3", "viscosity": "0.05 Pa s"}, "boundaries": boundaries},
        "run_rules": {"residual": "1e-6"},
    })  # fmt: skip


def ran(case):
    prepared, surface = ready(case, "a")
    assert prepared.ready, prepared.problems
    return solve(case, prepared, meshed(case, prepared, surface, lambda _: None))


def test_flow_in_a_wedge_is_that_of_a_round_pipe():
    part = {
        "kind": "sheet",
        "name": "pipe",
        "becomes": "wedge",
        "columns": [{"to": "4 m", "cells": 40}],
        "rows": [{"to": "0.5 m", "cells": 16}],
    }
    outcome = ran(
        study(part, [{"kind": "velocity", "patch": "left", "speed": "1 m/s"}, {"kind": "pressure", "patch": "right"}])
    )
    fields = outcome.fields
    x, y, _ = fields.mesh.centre.T
    there = (x > 2.3) & (x < 3.5)
    slope = np.polyfit(x[there], fields.pressure[there], 1)[0]
    assert -2 * slope * 20 == pytest.approx(64, rel=0.01)
    axis = there & (y < 0.2)
    assert np.polyfit(y[axis] ** 2, fields.velocity[axis, 0], 1)[1] == pytest.approx(2.0, rel=0.01)
    assert np.abs(fields.velocity[:, 2]).max() < 1e-12


def test_a_stream_round_a_cylinder_drags_it():
    """At a Reynolds number of 40 the drag coefficient is 1.50 to 1.56; 40 diameters of room leave it a little high."""
    part = {
        "kind": "collar",
        "name": "bar",
        "diameter": "2 m",
        "outer": "80 m",
        "around": 64,
        "outward": {"cells": 44, "first": "0.06 m"},
        "depth": "1 m",
    }
    boundaries = [
        {"kind": "stream", "patch": "upstream", "velocity_x": "1 m/s"},
        {"kind": "pressure", "patch": "downstream"},
    ]
    force = next(f for f in patch_forces(ran(study(part, boundaries)).fields) if f.patch == "body")
    assert force.total[0] / (0.5 * 1.0 * 2.0) == pytest.approx(1.53, rel=0.05)


def test_beside_a_part_with_its_own_cells_nothing_else_stands():
    boundaries = [{"kind": "velocity", "patch": "left"}, {"kind": "pressure", "patch": "right"}]
    part = sheet().model_dump()
    assert check(study(part, boundaries)) == []
    body = [{"name": "water", "x": "1 mm", "y": "1 mm", "z": "1 mm"}]
    steps = [{"kind": "rename", "patch": "top", "to": "lid"}, {"kind": "move", "x": "1 m"}]
    told = [str(p) for p in check(study(part, boundaries, bodies=body, steps=steps))]
    assert sum("sheet brings its own cells" in words for words in told) == 2
    assert any("/steps/1" in words for words in told)
