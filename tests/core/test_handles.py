"""Dragging an edge changes the value it follows from."""

import numpy as np
import pytest

from brook import demo
from brook.core.checks import prepare
from brook.core.editing import handles, set_values
from tests.core.studies import baffle, raw_tray, tray, variant


def of(study, name):
    return {h.name: h for h in handles(study, study.variant(name))}


def drag(study, handle, by):
    """The study after a drag by so many m."""
    return set_values(
        study,
        {leaf.pointer: f"{(leaf.value + leaf.slope * by) / leaf.factor:.9g} {leaf.unit}" for leaf in handle.leaves},
    )


def test_a_formula_is_followed_to_the_value_it_is_made_from():
    """The lower edge of the hanging baffle is `water_depth - hanging`: dragging it changes `hanging` of this variant."""
    study = demo.studies()[0]
    found = of(study, "hanging_and_standing")
    lower = found["bottom edge of hanging baffle"]
    assert [leaf.pointer for leaf in lower.leaves] == ["/variants/2/named_values/hanging"]
    assert lower.leaves[0].slope == pytest.approx(-1)
    after = drag(study, lower, -0.004)
    assert after.variant("hanging_and_standing").named_values["hanging"] == "28 mm"
    shape = prepare(after, after.variant("hanging_and_standing")).geometry.shapes[0]
    assert shape.bottom + shape.height == pytest.approx(0.06)
    assert not lower.shared


def test_an_edge_moves_and_the_opposite_one_stays():
    study = tray(variants=[variant("one", "One", [baffle()])])
    found = of(study, "one")
    for side, other in (("left", "right"), ("right", "left"), ("bottom", "top")):
        after = drag(study, found[f"{side} edge of baffle"], 0.003)
        boxes = [prepare(s, s.variants[0]).geometry.shapes[0] for s in (study, after)]
        edges = [
            {"left": b.left, "right": b.left + b.width, "bottom": b.bottom, "top": b.bottom + b.height} for b in boxes
        ]
        assert edges[1][side] - edges[0][side] == pytest.approx(0.003)
        assert edges[1][other] == pytest.approx(edges[0][other], abs=1e-12)
    sideways = drag(study, found["baffle sideways"], 0.01)
    assert sideways.variants[0].geometry.shapes[0].left == "50 mm"


def test_what_all_variants_share_is_taken_last_and_said():
    found = of(tray(), "hanging")
    width = found["right edge of tray"]
    assert [leaf.pointer for leaf in width.leaves] == ["/named_values/length"]
    assert width.shared
    assert "baffle up and down" not in found  # only the depth of the tray could do it


def test_openings_have_handles_and_units_stay():
    raw = raw_tray()
    raw["variants"][0]["geometry"]["openings"][0] = {
        "patch": "inlet",
        "side": "left",
        "start": "4.5 cm",
        "end": "60 mm",
    }
    study = tray(variants=raw["variants"])
    start = of(study, "plain")["start of inlet"]
    assert (start.axis, start.x, start.y) == ("y", 0.0, pytest.approx(0.045))
    assert drag(study, start, 0.005).variants[0].geometry.openings[0].start == "5 cm"


def test_a_shape_that_cannot_be_evaluated_has_no_handles():
    study = tray(named_values={"length": "120 mm", "depth": "nothing", "supply": "4 mm/s"})
    assert handles(study, study.variants[0]) == []


def round_ones():
    return tray(variants=[variant("one", "One", [
        {"kind": "circle", "name": "bar", "centre_x": "20 mm", "centre_y": "half", "diameter": "10 mm", "patch": "bar"},
        {"kind": "arc", "name": "vane", "centre_x": "60 mm", "centre_y": "30 mm", "radius": "12 mm",
         "thickness": "2 mm", "start": "10 deg", "end": "tip", "patch": "vane"},
        {"kind": "polygon", "name": "wedge", "corners": [
            {"x": "90 mm", "y": "10 mm", "patch": "wedge"}, {"x": "100 mm", "y": "10 mm", "patch": "wedge"},
            {"x": "95 mm", "y": "20 mm", "patch": "wedge"}]},
    ])], named_values={"length": "120 mm", "depth": "60 mm", "supply": "4 mm/s", "half": "30 mm", "tip": "100 deg"})  # fmt: skip


def test_round_and_many_cornered_shapes_have_handles_on_every_dimension():
    found = of(round_ones(), "one")
    centre = found["centre of bar"]
    assert centre.axis == "xy"  # along x its own value, along y the named one
    assert {(leaf.pointer.split("/")[-1], leaf.axis) for leaf in centre.leaves} == {("centre_x", "x"), ("half", "y")}
    assert centre.shared
    rim = found["right edge of bar"]
    assert [(leaf.pointer.split("/")[-1], leaf.slope) for leaf in rim.leaves] == [("diameter", pytest.approx(2))]
    assert drag(round_ones(), rim, 0.001).variants[0].geometry.shapes[0].diameter == "12 mm"
    for name, field, slope in (("radius", "radius", 1), ("thickness", "thickness", 2)):
        handle = found[f"{name} of vane"]
        assert handle.axis == "away"
        assert handle.centre == pytest.approx((0.06, 0.03))
        assert [(leaf.pointer.split("/")[-1], leaf.slope) for leaf in handle.leaves] == [(field, pytest.approx(slope))]
    end = found["end of vane"]
    assert end.axis == "turn"
    assert [leaf.pointer for leaf in end.leaves] == ["/named_values/tip"]
    assert drag(round_ones(), end, np.pi / 18).named_values["tip"] == "110 deg"
    assert sum(name.startswith("corner") and h.axis == "xy" for name, h in found.items()) == 3


def test_a_polygon_of_many_corners_is_soon_ready():
    corners = [{"x": f"{60 + 20 * np.cos(t):.6f} mm", "y": f"{30 + 20 * np.sin(t):.6f} mm", "patch": "rim"}
               for t in np.linspace(0, 2 * np.pi, 150, endpoint=False)]  # fmt: skip
    study = tray(variants=[variant("one", "One", [{"kind": "polygon", "name": "rim", "corners": corners}])])
    assert sum(name.startswith("corner") for name in of(study, "one")) > 100
