"""Plates drawn without a browser: what is nearest is seen, in its colour, at its place."""

import re
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import brook.web
from brook.core.checks import prepare
from brook.core.results.pictures import Seen, boundary
from brook.core.results.pictures.colours import ANCHORS, colour_map, coloured, shares
from brook.core.results.pictures.painting import Camera, Painting, fitted, normals_of
from brook.core.results.pictures.plates import Size, layers_of, picture
from brook.core.results.pictures.strokes import arrows, ribbons, segments
from brook.core.results.space import Locator
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.layers import CutLayer, LineLayer, Look, PatchLayer, SurfaceLayer
from brook.core.study.views import Plate
from brook.core.verification.manufactured import block
from tests.core.studies import tray
from tests.core.test_pictures_in_space import STRAIGHT, looked
from tests.core.test_seen_in_space import away, upwards

FROM_TOP = Look(yaw=-np.pi / 2, pitch=np.pi / 2, target=(0.503, 0.504, 0.0), span=2.0, perspective=False)
RED, BLUE = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])


def is_colour(image: np.ndarray, colour: np.ndarray) -> np.ndarray:
    return np.isclose(image, colour, atol=1e-6).all(axis=2)


def square(height: float) -> tuple[np.ndarray, np.ndarray]:
    corners = np.array([[0.0, 0.0, height], [1.0, 0.0, height], [1.0, 1.0, height], [0.0, 1.0, height]])
    return corners, np.array([[0, 1, 2], [0, 2, 3]])


@pytest.mark.parametrize("perspective", [True, False])
def test_what_is_nearest_is_seen_and_has_its_size(perspective):
    painting = Painting(200, 100, Camera(FROM_TOP.model_copy(update={"perspective": perspective})))
    for height, colour in ((0.5, RED), (0.0, BLUE), (-0.5, RED)):
        at, triangles = square(height)
        if colour is BLUE:
            at = at + np.array([0.24, 0.0, 0.0])
        painting.surface(at, triangles, np.broadcast_to(colour, at.shape), np.ones(2))
    image = painting.image()
    red, blue = (is_colour(image, c).sum() for c in (RED, BLUE))
    if not perspective:  # a metre is 50 pixels; twelve rows of the one below look out
        assert (red, blue) == (2500, 600)
        assert is_colour(image, RED)[50, 100]
        assert is_colour(image, BLUE)[50, 130]
    else:
        assert red > 2500  # nearer than the target


def test_a_plane_cuts_away_and_what_has_no_value_is_not_painted():
    at, triangles = square(0.0)
    painting = Painting(200, 100, Camera(FROM_TOP))
    painting.surface(at, triangles, np.broadcast_to(RED, at.shape), np.ones(2), np.array([1.0, 0.0, 0.0, -0.6]))
    assert is_colour(painting.image(), RED).sum() == 20 * 50
    unknown = np.tile(RED, (4, 1))
    unknown[0] = np.nan
    nothing = Painting(200, 100, Camera(FROM_TOP))
    nothing.surface(at, triangles, unknown, np.ones(2))
    assert (nothing.image() == 1.0).all()


def test_colours_go_evenly_from_corner_to_corner():
    at, triangles = square(0.0)
    grey = at[:, :1] * np.ones(3)
    painting = Painting(200, 100, Camera(FROM_TOP))
    painting.surface(at, triangles, grey, np.ones(2))
    row = painting.image()[50, 75:125, 0]
    assert row == pytest.approx((np.arange(50) + 0.5) / 50 + 0.003)


def test_lines_are_hidden_by_what_lies_before_them():
    at, triangles = square(0.0)
    painting = Painting(200, 100, Camera(FROM_TOP))
    painting.surface(at, triangles, np.broadcast_to(RED, at.shape), np.ones(2))
    for height in (-0.3, 0.3):
        ends = np.array([[[0.2, 0.5 + height, height], [0.8, 0.5 + height, height]]])
        painting.lines(ends, np.broadcast_to(BLUE, (1, 2, 3)), 1)
    image = is_colour(painting.image(), BLUE)
    assert image.sum() == pytest.approx(31, abs=1)
    assert painting.sees(np.array([[0.5, 0.5, 0.1], [0.5, 0.5, -0.1], [9.0, 0.0, 0.0]])).tolist() == [
        True,
        False,
        False,
    ]


def test_all_of_a_box_is_seen_from_a_look_that_fits():
    mesh = block(4)
    for flat in (True, False):
        painting = Painting(300, 200, Camera(fitted(np.zeros(3), np.ones(3), 1.5, flat=flat)))
        places = painting.placed(boundary(mesh).arrays["at"])
        assert places[:, :2].min() > 0
        assert (places[:, :2].max(axis=0) < [300, 200]).all()
        assert np.ptp(places[:, 1]) > 120


def test_the_maps_of_colour_are_those_of_the_pages():
    text = (Path(brook.web.__file__).parent / "static/colours.js").read_text()
    for name, anchors in ANCHORS.items():
        assert tuple(re.findall(r'"(#[0-9a-f]{6})"', text.split(f"{name}: [")[1].split("]")[0])) == anchors
        ends = (np.round(255 * colour_map(name)[k]).astype(int) for k in (0, -1))
        assert ["#" + "".join(f"{v:02x}" for v in end) for end in ends] == [anchors[0], anchors[-1]]
    lightness = colour_map("even") @ [0.2126, 0.7152, 0.0722]
    assert (np.diff(lightness) > 0).all()
    assert shares(np.array([0.0, 5.0, 20.0]), 0.0, 10.0, "smooth").tolist() == [0.0, 0.5, 1.0]
    assert shares(np.array([1.0, 10.0, 100.0]), 1.0, 100.0, "log") == pytest.approx([0.0, 0.5, 1.0])
    assert len(np.unique(shares(np.linspace(0, 1, 500), 0.0, 1.0, "bands"))) == 9
    assert coloured(np.array([0.0]), "even")[0] == pytest.approx(colour_map("even")[0])


def test_arrows_and_ribbons_have_their_lengths_and_widths():
    arrays = {
        "arrows_at": np.zeros((2, 3)),
        "arrows_way": np.array([[2.0, 0, 0], [1.0, 0, 0]]),
        "arrows_step": np.array([1.0]),
    }
    long = np.linalg.norm(np.diff(arrows(arrays, np.array(STRAIGHT), True), axis=1), axis=2)[:2, 0]
    assert long == pytest.approx([0.85, 0.85])
    by_speed = np.linalg.norm(np.diff(arrows(arrays, np.array(STRAIGHT), False), axis=1), axis=2)[:2, 0]
    assert by_speed[0] / by_speed[1] == pytest.approx(1.4)  # no arrow is longer than 1.4 times the others' largest
    line = np.stack([np.linspace(0, 1, 5), np.zeros(5), np.zeros(5)], axis=1)
    made = {
        "lines_at": np.vstack([line, line + 2]),
        "lines_start": np.array([0, 5, 10]),
        "lines_turn": np.tile(np.linspace(0, np.pi / 2, 5), 2),
    }
    places, triangles, of = ribbons(made, 0.1)
    pairs = places.reshape(-1, 2, 3)
    assert np.linalg.norm(pairs[:, 1] - pairs[:, 0], axis=1) == pytest.approx(0.1)
    first, last = pairs[0, 1] - pairs[0, 0], pairs[4, 1] - pairs[4, 0]
    assert first @ last == pytest.approx(0.0, abs=1e-12)  # turned by a quarter
    assert len(triangles) == 16
    assert of.tolist() == np.repeat(np.arange(10), 2).tolist()
    assert np.linalg.norm(normals_of(places, triangles), axis=1) == pytest.approx(1.0)
    assert len(segments(made["lines_at"], made["lines_start"])[0]) == 8


def plate(**more) -> Plate:
    return Plate(name="all", title="All of it", quantity="pressure", **more)


def image_of(png: bytes) -> np.ndarray:
    return np.asarray(Image.open(BytesIO(png)).convert("RGB"))


def test_a_plate_of_every_kind_of_layer_is_drawn():
    at = looked(block(8), away, upwards)
    layers = (
        CutLayer(through=(0.5, 0.52, 0.5), across=(0.0, 1.0, 0.0), levels=4, arrows="long", mesh_lines=True, clips="below"),
        PatchLayer(plain=True), SurfaceLayer(of="pressure", level=0.3),
        LineLayer(begin="line", places=((0.2, 0.2, 0.5), (0.8, 0.8, 0.5)), count=5, ribbons=True),
    )  # fmt: skip
    png, words = picture(plate(layers=layers), at, "Block", Size(400, 300))
    assert words == []
    image = image_of(png)
    assert image.shape == (450, 400, 3)
    assert len(np.unique(image[40:340].reshape(-1, 3), axis=0)) > 200
    banded, _ = picture(plate(layers=layers[:1], colours="bands"), at, "Block", Size(400, 300))
    assert not np.array_equal(image_of(banded), image)


def test_what_of_a_plate_cannot_be_drawn_is_said():
    at = looked(block(4))
    there = CutLayer(through=(0.5, 0.5, 0.5), across=STRAIGHT)
    gone = CutLayer(through=(0.5, 0.5, 5.0), across=STRAIGHT)
    _, words = picture(
        plate(layers=(there, gone, SurfaceLayer(of="pressure", level=99.0), PatchLayer(patches=("lid_x",)))),
        at,
        "Block",
        Size(300, 200),
    )
    assert words == [
        "cut: the plane does not cut this mesh",
        "surface: this value is nowhere",
        "patches: there is no patch 'lid_x'",
    ]
    under = looked(block(4), lambda p: -1.0 - p[:, 0])
    _, words = picture(plate(layers=(there,), colours="log"), under, "Block", Size(300, 200))
    assert words == ["no decades: the quantity goes under nothing"]
    with pytest.raises(ValueError, match="does not cut this mesh"):
        picture(plate(layers=(gone,)), at, "Block", Size(300, 200))


def test_a_flat_plate_is_a_cut_that_is_looked_at_straight_on():
    at = looked(block(4))
    (cut,), look = layers_of(
        plate(cut={"across": "x", "at": 0.3}, camera={"x": 0.4, "y": 0.6, "across": 2.0}), at, Size(400, 200)
    )
    assert (cut.through[0], cut.across) == (0.3, (1.0, 0.0, 0.0))
    assert (look.target[1:], look.span, look.perspective) == ((0.4, 0.6), 1.0, False)
    assert Camera(look).right == pytest.approx([0.0, 1.0, 0.0])
    assert Camera(look).upward == pytest.approx([0.0, 0.0, 1.0])
    png, _ = picture(plate(cut={"across": "x", "at": 0.3}), at, "Block", Size(400, 200))
    assert len(np.unique(image_of(png)[60:220, 100:300].reshape(-1, 3), axis=0)) > 30


def test_a_plate_of_a_plane_study_has_its_streamlines():
    study = tray()
    prepared = prepare(study, study.variants[0])
    fields = solve(study, prepared, make_mesh(prepared)).fields
    at = Seen(prepared.places.view(fields), Locator(fields.mesh), "speed")
    bare = Plate(name="all", title="All of it", quantity="speed")
    without, words = picture(bare, at, "Tray", Size(500, 200))
    followed, more = picture(bare.model_copy(update={"streamlines": True}), at, "Tray", Size(500, 200))
    assert (words, more) == ([], [])
    changed = (image_of(without) != image_of(followed)).any(axis=2)
    assert 1000 < changed.sum() < 40_000
