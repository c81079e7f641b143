import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.geometry.plane import build_plane
from brook.core.study import PlaneGeometry, named_scope, resolve
from tests.core.studies import baffle, tray


def built(shapes=(), openings=None, **outer):
    study = tray()
    raw = study.variants[0].geometry.model_dump()
    raw["shapes"] = list(shapes)
    raw["outer"].update(outer)
    if openings is not None:
        raw["openings"] = openings
    problems = []
    geometry = resolve(PlaneGeometry.model_validate(raw), named_scope(study, None), "/g", problems)
    return build_plane(geometry, "/g", problems), problems


def test_area_and_patches_of_the_tray():
    shape, problems = built([baffle()])
    assert not problems
    assert shape.area == pytest.approx(0.12 * 0.06 - 0.004 * 0.025)
    lengths = {}
    for edge in shape.edges():
        lengths[edge.patch] = lengths.get(edge.patch, 0) + edge.length
    assert lengths == pytest.approx(
        {"inlet": 0.015, "weir": 0.015, "end_wall": 0.09, "floor": 0.12, "lid": 0.116, "baffle": 0.054}
    )


def test_edges_run_round_with_the_fluid_on_their_left():
    shape, _ = built([baffle(), {**baffle("peg", "80 mm", "10 mm"), "bottom": "20 mm"}])
    area = sum((e.x0 * e.y1 - e.x1 * e.y0) / 2 for e in shape.edges())
    assert area == pytest.approx(shape.area)


@pytest.mark.parametrize(
    ("shape", "path", "words"),
    [
        (baffle(left="118 mm"), "/g/shapes/0/width", "reaches 2 mm beyond the right side of 'tray'"),
        (baffle(left="300 mm"), "/g/shapes/0/left", "lies outside"),
        (baffle(height="60 mm"), "/g/shapes/0/height", "cuts the domain in two"),
        ({**baffle(), "left": "0 mm", "width": "120 mm", "bottom": "0 mm", "height": "60 mm"}, "/g/shapes/0/width", "no room"),
        ({**baffle(left="300 mm"), "action": "add"}, "/g/shapes/0/left", "does not touch"),
        (baffle(height="-5 mm"), "/g/shapes/0/height", "more than zero"),
        (baffle(height="25"), "/g/shapes/0/height", "a unit is missing"),
        (baffle(height="25 s"), "/g/shapes/0/height", "this is a length, for example 25 mm"),
        (baffle(height="dpth - 1 mm"), "/g/shapes/0/height", "did you mean depth"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_said_at_the_value(shape, path, words):
    made, problems = built([shape])
    assert made is None
    assert any(p.path == path and words in p.message for p in problems), problems


def test_an_opening_beyond_its_side_is_refused():
    made, problems = built(openings=[{"patch": "inlet", "side": "left", "start": "50 mm", "end": "70 mm"}])
    assert made is None
    assert problems[0].path == "/g/openings/0/end"


def test_an_added_piece_enlarges_the_domain_and_brings_its_patches():
    shape, problems = built([{**baffle("lip", "120 mm", "15 mm"), "action": "add", "width": "30 mm"}], openings=[])
    assert not problems
    assert shape.area == pytest.approx(0.12 * 0.06 + 0.03 * 0.015)
    assert "baffle" in shape.patches


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(*[st.integers(0, 20)] * 4), max_size=5))
def test_random_rectangles_give_a_closed_outline_or_a_reason(rectangles):
    shapes = [
        {**baffle(f"r{k}"), "left": f"{5 * x} mm", "bottom": f"{2 * y} mm", "width": f"{5 * w + 1} mm", "height": f"{2 * h + 1} mm"}
        for k, (x, y, w, h) in enumerate(rectangles)
    ]  # fmt: skip
    shape, problems = built(shapes)
    assert (shape is None) == bool(problems)
    if shape is not None:
        ends = np.array([[e.x0 - e.x1, e.y0 - e.y1] for e in shape.edges()])
        assert np.allclose(ends.sum(axis=0), 0)
        assert sum((e.x0 * e.y1 - e.x1 * e.y0) / 2 for e in shape.edges()) == pytest.approx(shape.area)
