"""Plane outlines: rounded corners, splines, drawings and tables of points."""

import io

import ezdxf
import numpy as np
import pytest

from brook.core.geometry.files import FileError
from brook.core.geometry.outline_files import read_outline
from brook.core.study import Study
from tests.core.studies import tray


def area(points):
    after = np.roll(points, -1, axis=0)
    return float((points[:, 0] * after[:, 1] - points[:, 1] * after[:, 0]).sum() / 2)


def drawing(draw, unit=4):
    document = ezdxf.new(units=unit)
    draw(document.modelspace())
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def slot(space):
    """A slot of two lines and two half circles, drawn in no order, with a smaller circle beside."""
    space.add_arc((100, 0), 20, -90, 90)
    space.add_line((0, 20), (100, 20))
    space.add_circle((50, 0), 5)
    space.add_arc((0, 0), 20, 90, 270)
    space.add_line((100, -20), (0, -20))


def test_the_largest_closed_outline_of_a_drawing_in_its_own_unit():
    for unit, factor in ((4, 1e-3), (6, 1.0)):
        points = read_outline("slot.dxf", drawing(slot, unit), "cm", 200)
        assert area(points) == pytest.approx((4000 + np.pi * 400) * factor**2, rel=5e-3)
        assert len(points) <= 200


def test_a_polyline_with_bulges_and_a_spline():
    points = read_outline(
        "d.dxf", drawing(lambda s: s.add_lwpolyline([(0, 0, 1), (40, 0, 1)], format="xyb", close=True)), "mm", 400
    )
    assert area(points) == pytest.approx(np.pi * 400e-6, rel=5e-3)


@pytest.mark.parametrize(
    "text", ["x,y\n0,0\n10,0\n10,5\n0,5\n", "# a box\n0 5\n10 5\n10 0\n0 0\n0 5", "0;0\n10;0\n10;5\n0;5"]
)
def test_a_table_of_points_goes_round_anticlockwise(text):
    points = read_outline("box.csv", text.encode(), "mm", 200)
    assert len(points) == 4
    assert area(points) == pytest.approx(50e-6)


def test_too_many_points_are_thinned_where_the_outline_is_nearly_straight():
    turn = np.linspace(0, 2 * np.pi, 5000, endpoint=False)
    text = "\n".join(f"{50 * np.cos(t)} {30 * np.sin(t)}" for t in turn)
    points = read_outline("oval.txt", text.encode(), "mm", 200)
    assert len(points) <= 200
    assert area(points) == pytest.approx(np.pi * 1500e-6, rel=2e-3)


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("a.csv", b"0 0\n1 1", "at least three points"),
        ("a.csv", b"0 0\n1 0\nnonsense\n1 1", "not two numbers"),
        ("a.csv", b"0 0\n1 1\n1 0\n0 1", "crosses itself"),
        ("a.csv", b"0 0\n1 nan\n1 1", "not finite"),
        ("a.dxf", b"no drawing at all", "cannot be read as a DXF"),
        ("a.dxf", drawing(lambda s: s.add_line((0, 0), (1, 1))), "no closed outline"),
        ("a.dxf", drawing(lambda s: s.add_circle((1e200, 0), 5)), "so far off that its form is lost"),
        ("a.dxf", drawing(lambda s: s.add_arc((1e13, 0), 5, 0, 90)), "so far off that its form is lost"),
    ],
)
def test_bad_outlines_say_why(name, data, why):
    with pytest.raises(FileError, match=why):
        read_outline(name, data, "mm", 200)


def corners(*places, **more):
    return [{"x": f"{x} mm", "y": f"{y} mm", "patch": "bar", **more} for x, y in places]


def domain_area(shape):
    from brook.core.checks import prepare

    study = Study.model_validate(tray().model_dump(mode="json"))
    raw = study.model_dump(mode="json")
    raw["variants"][0]["geometry"]["shapes"] = [shape]
    study = Study.model_validate(raw)
    prepared = prepare(study, study.variants[0])
    assert prepared.shape is not None, prepared.problems
    return prepared.shape.area


def test_corners_of_plane_polygons_are_rounded_or_curved():
    places = [(40, 10), (60, 10), (60, 30), (40, 30)]
    shape = {"kind": "polygon", "name": "bar", "action": "take"}
    sharp = domain_area({**shape, "corners": corners(*places)})
    round_ones = domain_area({**shape, "corners": corners(*places, radius="5 mm")})
    assert round_ones - sharp == pytest.approx((4 - np.pi) * 25e-6, rel=0.01)
    oval = domain_area(
        {
            **shape,
            "corners": corners(
                *[(50 + 10 * np.cos(t), 20 + 10 * np.sin(t)) for t in np.arange(8) * np.pi / 4], to="spline"
            ),
        }
    )
    assert sharp + 400e-6 - oval == pytest.approx(np.pi * 100e-6, rel=0.01)


def test_drawings_of_many_lines_are_put_together_or_refused_at_once():
    def lines(count, order):
        turn = np.linspace(0, 2 * np.pi, count + 1)
        at = 500 * np.stack([np.cos(turn), np.sin(turn)], axis=1)
        ends = np.concatenate([at[:-1], at[1:]], axis=1)[order]
        row = "0\nLINE\n8\n0\n10\n{}\n20\n{}\n30\n0\n11\n{}\n21\n{}\n31\n0\n"
        body = "".join(row.format(*end) for end in ends.tolist())
        return f"0\nSECTION\n2\nENTITIES\n{body}0\nENDSEC\n0\nEOF\n".encode()

    order = np.random.default_rng(3).permutation(6000)
    assert area(read_outline("ring.dxf", lines(6000, order), "mm", 400)) == pytest.approx(np.pi * 0.25, rel=1e-3)
    with pytest.raises(FileError, match="at most"):
        read_outline("rays.dxf", lines(60_000, np.arange(60_000)), "mm", 400)


def test_a_curve_is_followed_by_its_own_size_wherever_it_begins():
    """One that begins a hair beside the origin once took all memory."""
    for height in (0.0, 1e9):
        ring = [(0, 1e-300, height), (10, 0, height), (10, 10, height), (0, 10, height), (0, 0, height)]
        points = read_outline("ring.dxf", drawing(lambda s, ring=ring: s.add_spline(ring)), "mm", 400)
        assert 100e-6 < area(points) < 160e-6
