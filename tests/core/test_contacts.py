"""Solids that touch as files bring them: walls that become one, films and small steps healed, odd contacts told, heat's way kept."""

from dataclasses import replace

import numpy as np
import pytest

from brook.core.geometry.bodies import bodies_of
from brook.core.geometry.booleans import combined, together
from brook.core.geometry.contacts import joined
from brook.core.geometry.files import read_file, write_file
from brook.core.geometry.findings import find_all
from brook.core.geometry.shaping import shaped
from brook.core.geometry.surface import Surface, welded
from brook.core.mesh.account import account
from brook.core.mesh.boxes import Layers, Sizes, Solid, build_bodies
from brook.core.stages.judging import wall_words
from brook.core.study import Resolved
from tests.core.test_bodies import box, rod
from tests.core.test_mesh import assert_sound

WITHIN = 1e-5


def named(surface, name):
    return Surface(surface.points, surface.triangles, np.zeros_like(surface.patch), (name,))


def divided(surface, seed):
    """The same shape in other triangles: some are parted at a place within, three times."""
    corners, chance = surface.points[surface.triangles], np.random.default_rng(seed)
    for _ in range(3):
        chosen = chance.random(len(corners)) < 0.6
        a, b, c = np.swapaxes(corners[chosen], 0, 1)
        m = (a + b + c) / 3
        parts = [np.stack(three, axis=1) for three in ((a, b, m), (b, c, m), (c, a, m))]
        corners = np.concatenate([corners[~chosen], *parts])
    return welded(corners, np.zeros(len(corners), np.int64), surface.patches)


def moved(surface, x=0.0, y=0.0, z=0.0):
    return surface.placed(surface.points + np.array([x, y, z]))


def sizes(solids, bulk, fine):
    return Sizes(bulk, {n: fine for s in solids for n in s.surface.patches})


def put_together(surface, points, within=WITHIN):
    """The healed surface, its contacts, and its bodies ready to be meshed."""
    made, contacts = joined(surface, within)
    wanted = [Resolved(name=n, holds="solid", x=p[0], y=p[1], z=p[2]) for n, p in points.items()]
    found = bodies_of(made, wanted)[0]
    assert not any(b.problem for b in found)
    solids = []
    for body in found:
        used = np.unique(body.surface.patch)
        patch = np.searchsorted(used, body.surface.patch)
        own = Surface(body.surface.points, body.surface.triangles, patch, tuple(body.surface.patches[k] for k in used))
        solids.append(Solid(body.name, own, np.array(points[body.name], float), fluid=body.name == "water"))
    return contacts, found, solids


def test_solids_that_touch_in_other_triangles_have_one_wall():
    duct = divided(named(box("duct", (0, 0, 0), (0.1, 0.06, 0.04)), "duct"), 1)
    plate = divided(named(box("plate", (0.03, 0.01, 0), (0.04, 0.04, 0.01)), "plate"), 2)
    chip = divided(named(box("chip", (0.04, 0.02, 0.01 + 3e-6), (0.01, 0.01, 0.005)), "chip"), 3)
    points = {"water": (0.01, 0.01, 0.01), "plate": (0.035, 0.015, 0.005), "chip": (0.045, 0.025, 0.012)}
    contacts, found, solids = put_together(together([duct, plate, chip]), points)
    shared = {frozenset((c.one, c.other)): c.area for c in contacts if c.kind == "joined"}
    assert shared == pytest.approx({frozenset(("chip", "plate")): 1e-4, frozenset(("plate", "duct")): 16e-4})
    assert found[1].touches["chip"] == pytest.approx(1e-4)
    mesh = build_bodies(solids, sizes(solids, 0.004, 0.002), touching=WITHIN)
    assert_sound(mesh)
    walls = {(w.one, w.other): w for w in account([(s.name, s.surface) for s in solids], mesh, WITHIN).walls}
    # the plate is open to the water all round and above, but for the chip
    exact = {("water", "plate"): 31e-4, ("water", "chip"): 3e-4, ("plate", "chip"): 1e-4}
    for pair, area in exact.items():
        assert walls[pair].drawn == pytest.approx(area, rel=1e-3)
        assert walls[pair].meshed == pytest.approx(area, rel=1e-3)


def pinned():
    """A block of 40 by 40 by 10 mm with a hole of 12 mm, and a pin of ninety sides in it that stands out by 10 mm."""
    block = combined(
        box("b", (0.03, 0.01, 0), (0.04, 0.04, 0.01)), rod("h", (0.05, 0.03, -0.001), 0.012, 0.012), "take"
    )
    around = 2 * np.pi * (np.arange(90) + 0.3) / 90
    ring = np.stack([0.05 + 0.006 * np.cos(around), 0.03 + 0.006 * np.sin(around)], axis=1)
    low, high = (np.column_stack([ring, np.full(90, z)]) for z in (0.0, 0.02))
    after = np.roll(np.arange(90), -1)
    ends = [np.broadcast_to([0.05, 0.03, z], (90, 3)) for z in (0.0, 0.02)]
    pin = np.concatenate([
        np.stack(t, axis=1) for t in ((low, low[after], high[after]), (low, high[after], high), (ends[0], low[after], low), (ends[1], high, high[after]))
    ])  # fmt: skip
    return divided(named(block, "block"), 4), welded(pin, np.zeros(len(pin), np.int64), ("pin",))


def test_a_pin_in_a_hole_of_other_triangles_touches_it_all_round():
    duct = named(box("duct", (0, 0, 0), (0.1, 0.06, 0.04)), "duct")
    surface = together([duct, *pinned()])
    points = {"water": (0.01, 0.01, 0.01), "block": (0.033, 0.013, 0.005), "pin": (0.05, 0.03, 0.005)}
    contacts, _, solids = put_together(surface, points, 3e-5)
    assert {c.kind for c in contacts} <= {"joined", "bent"}
    mesh = build_bodies(solids, sizes(solids, 0.004, 0.0015), touching=3e-5)
    assert_sound(mesh)
    kept = account([(s.name, s.surface) for s in solids], mesh, 3e-5)
    wall = next(w for w in kept.walls if {w.one, w.other} == {"block", "pin"})
    assert wall.meshed == pytest.approx(np.pi * 0.012 * 0.01, rel=0.02)
    assert wall.drawn == pytest.approx(np.pi * 0.012 * 0.01, rel=0.02)
    assert not any(wall_words(w) for w in kept.walls)
    # the film between both, some micrometres thick, is no part of the water that got lost
    assert max(p.lost for p in kept.patches) < 0.001


def test_layers_on_boxes_that_are_kept_make_the_same_mesh_of_all_bodies(tmp_path):
    """Walls of the pin and of its hole met each other when the boxes were fitted: that is kept with them."""
    duct = named(box("duct", (0, 0, 0), (0.1, 0.06, 0.04)), "duct")
    points = {"water": (0.01, 0.01, 0.01), "block": (0.033, 0.013, 0.005), "pin": (0.05, 0.03, 0.005)}
    _, _, solids = put_together(together([duct, *pinned()]), points, 3e-5)
    solids[0] = replace(solids[0], layers=(Layers(("duct", "block"), 3, 0.0002),))
    made = []

    def keep(make):
        if not made:
            made.append(make())
            np.savez(tmp_path / "boxes.npz", **made[0])
            return made[0]
        return dict(np.load(tmp_path / "boxes.npz"))

    one, other = (build_bodies(solids, sizes(solids, 0.008, 0.003), lambda _: None, 3e-5, keep) for _ in range(2))
    assert (one.layer > 0).sum() > 1000
    for name in ("points", "face_points", "owner", "neighbour", "wall", "layer"):
        assert np.array_equal(getattr(one, name), getattr(other, name)), name
    assert one.patches == other.patches


def test_walls_that_stand_twice_are_one_and_no_double_triangles():
    duct, sink = box("duct", (0, 0, 0), (0.1, 0.06, 0.04)), box("sink", (0.03, 0.02, 0), (0.03, 0.02, 0.01))
    air = combined(duct, sink, "take")
    corners = np.concatenate([s.points[s.triangles] for s in (air, sink)])
    both = welded(corners, np.zeros(len(corners), np.int64), ("both",))
    kinds = {f.kind: f for f in find_all(both)}
    assert "double_walls" in kinds
    assert "duplicates" not in kinds
    assert "nothing to mend" in kinds["double_walls"].advice
    _, found, _ = put_together(both, {"water": (0.01, 0.01, 0.01), "sink": (0.04, 0.03, 0.005)})
    assert found[0].touches == pytest.approx({"sink": 0.03 * 0.02 + 2 * 0.01 * 0.05})


def test_what_nearly_touches_or_cuts_deeper_than_the_tolerance_is_told_and_stays():
    plate = named(box("plate", (0, 0, 0), (0.04, 0.04, 0.01)), "plate")
    chip = named(box("chip", (0.01, 0.01, 0.01), (0.01, 0.01, 0.005)), "chip")
    for off, kind in ((3e-5, "near"), (-2e-4, "overlap")):
        made, contacts = joined(together([plate, moved(chip, z=off)]), WITHIN)
        assert [c.kind for c in contacts] == [kind]
        assert contacts[0].apart == pytest.approx(abs(off), rel=0.1)
        assert contacts[0].area == pytest.approx(1e-4, rel=0.1)
        assert made.volume == pytest.approx(plate.volume + chip.volume)
    made, contacts = joined(together([plate, moved(chip, z=-8e-6)]), WITHIN)
    assert [c.kind for c in contacts] == ["joined"]


def test_shapes_that_do_not_touch_stay_as_they_are():
    one, other = box("one", (0, 0, 0), (1, 1, 1)), box("other", (3, 0, 0), (1, 1, 1))
    surface = together([one, other])
    assert joined(surface, WITHIN)[0] is surface


def test_a_tolerance_too_large_for_the_shape_is_refused():
    touching = together([box("one", (0, 0, 0), (1, 1, 1)), box("other", (1, 0, 0), (1, 1, 1))])
    with pytest.raises(ValueError, match="too much to tell walls apart"):
        joined(touching, 0.5)


def test_more_shells_than_are_looked_at_are_told_and_stop_nothing(monkeypatch):
    monkeypatch.setattr("brook.core.geometry.contacts.MOST_SHELLS", 1)
    one, other = (write_file("part.stl", box(n, (x, 0, 0), (1, 1, 1))) for n, x in (("one", 0), ("other", 3)))
    files = {"one.stl": one, "other.stl": other}
    parts = [Resolved(kind="file", name=n[:-4], file=n, unit="m", names={}, deflection=1e-4, content="") for n in files]
    geometry = Resolved(parts=parts, steps=[], closings=[], wrap=None, tunnel=None, sheets=[], touching=1e-5)
    note = shaped(geometry, lambda part: read_file(part.file, files[part.file], 1e-4)).notes[-1]
    assert "of 2 closed shells nobody has looked which touch" in note.words
    assert not note.problem


def test_no_slit_opens_where_middles_of_boxes_lie_on_a_wall_between_bodies():
    """Boxes of one size stand round the middle of the shape: with ten across, the wall at 4.5 goes through middles."""
    left, right = box("left", (0, 0, 0), (4.5, 10, 10)), box("right", (4.5, 0, 0), (5.5, 10, 10))
    _, _, solids = put_together(
        together([named(left, "left"), named(right, "right")]), {"left": (1, 5, 5), "right": (9, 5, 5)}
    )
    mesh = build_bodies(solids, Sizes(1.0))
    wall = account([(s.name, s.surface) for s in solids], mesh).walls[0]
    assert wall.drawn == pytest.approx(100)
    assert wall.meshed == pytest.approx(100)
    assert_sound(mesh)


def test_a_wall_that_the_mesh_parts_is_told():
    left, right = box("left", (0, 0, 0), (4, 10, 10)), box("right", (4, 0, 0), (6, 10, 10))
    _, _, solids = put_together(
        together([named(left, "left"), named(right, "right")]), {"left": (1, 5, 5), "right": (9, 5, 5)}
    )
    mesh = build_bodies(solids, Sizes(1.0))
    parted = account([(s.name, s.surface) for s in solids], mesh.part(["left"])).walls[0]
    assert "nothing passes between them" in wall_words(parted)
