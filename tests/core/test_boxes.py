"""Meshes of refined boxes: trees, nearest places, and meshes that are sound and fit their shapes."""

from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.geometry.booleans import combined, together
from brook.core.geometry.nearest import Nearest, Sides
from brook.core.geometry.placing import rotation
from brook.core.geometry.solids import solid
from brook.core.geometry.surface import Surface
from brook.core.mesh import measure
from brook.core.mesh.boxes import Layers, MeshError, Sizes, build, estimate
from brook.core.mesh.boxes.octree import grid_for, refine
from brook.core.results.picture import section
from brook.demo.spray_header import DESIGNS, Header, closed_header
from brook.demo.spray_header import tube as rod
from tests.core.surfaces import cube, tube

PIPE = {"kind": "pipe", "around": 64, "pattern": None}


def turned(surface: Surface, seed: int) -> Surface:
    random = np.random.default_rng(seed)
    axis = random.normal(size=3)
    return surface.placed(surface.points @ rotation(axis / np.linalg.norm(axis), random.uniform(0.3, 2.5)).T)


def round_ball(around: int = 48) -> Surface:
    return solid(
        SimpleNamespace(kind="sphere", x=0.0, y=0.0, z=0.0, diameter=1.0, around=around, patch="skin", pattern=None)
    )


def elbow() -> Surface:
    path = [(0, 0, 0, 0), (1, 0, 0, 0.4), (1, 1, 0, 0)]
    corners = [SimpleNamespace(x=float(x), y=float(y), z=float(z), radius=float(r)) for x, y, z, r in path]
    ends = SimpleNamespace(start="inlet", end="outlet", side="wall")
    return solid(SimpleNamespace(diameter=0.2, path=corners, patches=ends, **PIPE))


def tee() -> Surface:
    run = rod(np.array([-1.0, 0, 0]), np.array([1.0, 0, 0]), (0.5, 0.5), ("inlet", "outlet", "run"))
    return combined(run, rod(np.zeros(3), np.array([0, 0, 1.0]), (0.4, 0.4), ("within", "side", "branch")), "add")


def wedge() -> Surface:
    corners = [(0, 0, "base"), (1, 0, "back"), (1, 0.5, "top")]
    profile = [SimpleNamespace(x=float(x), y=float(y), radius=0.0, to="line", patch=patch) for x, y, patch in corners]
    return solid(SimpleNamespace(kind="extruded", x=0.0, y=0.0, z=0.0, axis="z", length=1.0, around=32, start="floor_w",
                                 end="lid_w", pattern=None, profile=profile))  # fmt: skip


def in_a_box(body: Surface) -> Surface:
    """The space around a body in a box four times as large."""
    low, high = body.box
    room = 1.5 * (high - low).max()
    outer = cube()
    return together(
        [outer.placed(outer.points * (high - low + 2 * room) + low - room), body.flipped(np.ones(body.count, bool))]
    )


def around(surface: Surface, names: str, size: float) -> dict[str, float]:
    return {n: size for n in surface.patches if names in ("", n)}


# -- parts ------------------------------------------------------------------------------------


def test_nearest_places_are_those_of_a_search_through_all():
    random = np.random.default_rng(4)
    corners = random.uniform(-1, 1, (300, 3, 3))
    label = random.integers(0, 3, 300)
    tree, places = Nearest.of(corners, label), random.uniform(-2, 2, (60, 3))
    found, triangle = tree.find(places)
    far = np.linalg.norm(found - places, axis=1)
    share = random.dirichlet(np.ones(3), (400, 300))
    tried = np.einsum("skc,kci->ski", share, corners)
    assert all(far[k] <= np.linalg.norm(tried - p, axis=2).min() for k, p in enumerate(places))
    on = corners[triangle]
    normal = np.cross(on[:, 1] - on[:, 0], on[:, 2] - on[:, 0])
    assert np.abs(np.einsum("ij,ij->i", normal, found - on[:, 0])).max() < 1e-12
    labels, distance, _ = tree.labels_near(places, np.full(60, 4.0))
    for k in range(3):
        own = np.linalg.norm(tree.find(places, k)[0] - places, axis=1)
        assert np.allclose(distance[labels == k], own[(labels == k).any(axis=1)])


def test_inside_is_told_from_outside_also_beside_edges_and_corners():
    sides = Sides.of(cube())
    places = np.random.default_rng(2).uniform(-0.5, 1.5, (20000, 3))
    inside = ((places > 0) & (places < 1)).all(axis=1)
    assert np.array_equal(sides.distance(places) < 0, inside)


@settings(max_examples=8, deadline=None)
@given(st.integers(0, 10**6), st.integers(0, 3))
def test_boxes_fill_the_grid_and_differ_by_one_level_at_most(seed, buffer):
    random = np.random.default_rng(seed)
    corners = random.uniform(0, 1, (4, 1, 3)) + random.uniform(-0.1, 0.1, (4, 3, 3))
    grid = grid_for((np.zeros(3), np.ones(3)), 0.5, 0.5 / 4)
    octree = refine(grid, corners, random.integers(0, 3, 4), buffer=buffer)
    assert (octree.size**3).sum() == pytest.approx(grid.side**3 * grid.shape.prod())
    high = octree.at + octree.side[:, None]
    touching = (octree.at[:, None] <= high).all(axis=2) & (octree.at <= high[:, None]).all(axis=2)
    one, other = np.nonzero(touching)
    assert np.abs(octree.level[one].astype(int) - octree.level[other]).max() <= 1
    # every place of a triangle lies in a box that knows of it
    place = corners.mean(axis=1)
    box = [int(np.nonzero((np.abs(octree.centre - p) <= octree.size[:, None] / 2).all(axis=1))[0][0]) for p in place]
    assert {(b, t) for t, b in enumerate(box)} <= set(map(tuple, octree.meets.tolist()))


# -- meshes -----------------------------------------------------------------------------------


def check(surface: Surface, sizes: Sizes, angle: float, volume: float, area: float):
    mesh = build(surface, sizes)
    quality = measure(mesh)
    assert quality.smallest_volume > 0
    assert quality.openness < 1e-12
    assert quality.worst()["non_orthogonality"] < angle
    assert np.quantile(quality.non_orthogonality, 0.99) < 45
    assert mesh.volume.sum() == pytest.approx(surface.volume, rel=volume)
    areas = {p.name: mesh.face_areas(p.faces).sum() for p in mesh.patches}
    assert sum(areas.values()) == pytest.approx(surface.area, rel=area)
    for k, name in enumerate(surface.patches):
        assert areas[name] == pytest.approx(surface.areas[surface.patch == k].sum(), rel=5 * area), name
    assert set(mesh.owner) == set(range(mesh.cell_count))
    return mesh


@pytest.mark.parametrize(
    ("shape", "bulk", "fine", "angle"),
    [(elbow, 0.03, {"": 0.015}, 65), (tee, 0.06, {"": 0.03}, 65), (round_ball, 0.06, {"": 0.03}, 65),
     (lambda: tube(64, 16), 0.08, {"wall": 0.04}, 65), (lambda: turned(cube(), 1), 0.08, {}, 65),
     (lambda: in_a_box(turned(cube(), 3)), 0.4, {"": 0.1}, 65), (lambda: in_a_box(turned(wedge(), 2)), 0.4, {"": 0.1}, 70),
     (lambda: in_a_box(round_ball()), 0.3, {"skin": 0.04}, 65)],
    ids=["elbow", "tee", "ball", "tube", "turned cube", "cube in a box", "wedge in a box", "ball in a box"],
)  # fmt: skip
def test_meshes_are_sound_and_fit_their_shapes(shape, bulk, fine, angle):
    surface = shape()
    patches = {n: size for names, size in fine.items() for n in around(surface, names, size)}
    check(surface, Sizes(bulk, patches), angle, volume=5e-3, area=5e-3)


def test_flat_sides_enclose_as_much_as_the_bent_walls_they_stand_for():
    """Points stand off bent walls by a twelfth of h²κ: with points on the wall a ball of 10 boxes has 1.6 % too little volume."""
    ball = round_ball(96)
    for size, off in ((0.2, 1e-2), (0.1, 2e-4), (0.05, 1e-4)):
        assert build(ball, Sizes(size)).volume.sum() == pytest.approx(ball.volume, rel=off)


@pytest.mark.parametrize(("across", "layers"), [(5, False), (8, False), (8, True)])
def test_a_helix_keeps_its_volume(across, layers):
    """Bent both ways: points on its wall would take 3.6 % of its volume at 5 boxes across, 1.3 % at 8."""
    shape, size = helix(), 0.02 / across
    mesh = build(shape, Sizes(size), layers=(Layers(("wall",), 4, 0.08 * size),) if layers else ())
    assert mesh.volume.sum() == pytest.approx(shape.volume, rel=1e-3)
    assert measure(mesh).non_orthogonality.max() < 60


def helix(coil=0.05, radius=0.01, pitch=0.04, turns=1.0, along=160, around=48):
    """A round pipe wound round z: patches `inlet`, `outlet` and `wall`."""
    turn = np.linspace(0, 2 * np.pi * turns, along)
    middle = np.stack([coil * np.cos(turn), coil * np.sin(turn), pitch * turn / (2 * np.pi)], axis=1)
    inward = np.stack([-np.cos(turn), -np.sin(turn), 0 * turn], axis=1)
    ahead = np.stack([-coil * np.sin(turn), coil * np.cos(turn), np.full(along, pitch / (2 * np.pi))], axis=1)
    upward = np.cross(ahead / np.linalg.norm(ahead, axis=1)[:, None], inward)
    round_it = 2 * np.pi * np.arange(around) / around
    out, up = np.cos(round_it)[None, :, None], np.sin(round_it)[None, :, None]
    ring = middle[:, None] + radius * (out * inward[:, None] + up * upward[:, None])
    i, j = (x.ravel() for x in np.meshgrid(np.arange(along - 1), np.arange(around), indexing="ij"))
    a, b = i * around + j, i * around + (j + 1) % around
    wall = np.concatenate([np.stack([a, b, b + around], axis=1), np.stack([a, b + around, a + around], axis=1)])
    first, after = np.arange(around), (np.arange(around) + 1) % around
    count, last = along * around, (along - 1) * around
    ends = [
        np.stack([np.full(around, count), after, first], axis=1),
        np.stack([np.full(around, count + 1), last + first, last + after], axis=1),
    ]
    patch = np.repeat([2, 0, 1], [len(wall), around, around])
    points = np.concatenate([ring.reshape(-1, 3), middle[[0, -1]]])
    made = Surface(points, np.concatenate([wall, *ends]), patch, ("inlet", "outlet", "wall"))
    return made if made.volume > 0 else made.flipped(np.ones(made.count, bool))


def test_a_header_with_six_branches_keeps_all_its_patches():
    header = closed_header(Header(DESIGNS["even"].places))
    fine = {f"{kind}_{k}": 0.004 for kind in ("branch", "outlet") for k in range(1, 7)}
    mesh = check(header, Sizes(0.008, fine), 65, volume=0.02, area=0.02)
    assert {p.name for p in mesh.patches} >= set(fine) | {"inlet", "end", "header"}
    again = build(header, Sizes(0.008, fine))
    assert np.array_equal(again.points, mesh.points)
    assert np.array_equal(again.face_points, mesh.face_points)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6))
def test_unions_of_any_solids_never_give_an_unsound_cell(seed):
    random = np.random.default_rng(seed)
    made = None
    for k in range(int(random.integers(2, 5))):
        kind = int(random.integers(0, 3))
        part = [cube, lambda: tube(32, 6, random.uniform(0.2, 0.5), random.uniform(0.6, 1.8)), round_ball][kind]()
        part = turned(part.placed(part.points * random.uniform(0.5, 1.3, 3)), seed + k)
        part = part.placed(part.points + random.uniform(-0.6, 0.6, 3))
        part = Surface(
            part.points.copy(), part.triangles.copy(), part.patch.copy(), tuple(f"{n}_{k}" for n in part.patches)
        )
        made = part if made is None else combined(made, part, "add" if random.random() < 0.7 else "take")
    if not made.count or made.volume < 0.05:
        return
    quality = measure(build(made, Sizes(0.12)))
    assert quality.smallest_volume > 0
    assert quality.openness < 1e-12
    assert quality.worst()["non_orthogonality"] < 84


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_a_cut_through_a_ball_is_a_disc_of_polygons_without_gaps(axis):
    ball = round_ball(96)
    mesh = build(ball, Sizes(0.1, {"skin": 0.05}))
    cut = section(mesh, axis, 0.03)
    after = np.arange(1, len(cut.corners) + 1)
    after[cut.offsets[1:] - 1] = cut.offsets[:-1]
    x, y = cut.corners.T
    areas = np.add.reduceat((x * y[after] - x[after] * y) / 2, cut.offsets[:-1])
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(np.pi * (0.25 - 0.03**2), rel=0.01)
    assert np.allclose(cut.at[:, axis], 0.03)
    # every edge that two cells share is there from both sides, the others lie on the rim
    keys = np.sort(np.stack([cut.points, cut.points[after]], axis=1), axis=1)
    _, uses = np.unique(keys, axis=0, return_counts=True)
    assert uses.max() == 2
    assert (uses == 1).sum() == len(np.unique(cut.rim[:, 0]))


def test_estimates_come_near_what_is_made():
    for surface, sizes in (
        (elbow(), Sizes(0.03, around(elbow(), "", 0.015))),
        (round_ball(), Sizes(0.1, {"skin": 0.025})),
    ):
        areas = {n: surface.areas[surface.patch == k].sum() for k, n in enumerate(surface.patches)}
        assert estimate(surface.volume, areas, sizes).cells == pytest.approx(build(surface, sizes).cell_count, rel=0.4)


def test_of_two_chambers_with_a_neck_too_narrow_the_one_with_the_wet_point_is_meshed():
    parts = [cube(), cube(at=(1.3, 0, 0))]
    neck = cube()
    neck = neck.placed(neck.points * [0.5, 0.01, 0.01] + [0.9, 0.5, 0.5])
    parts[0] = parts[0].placed(parts[0].points * 1.1 - [0.1, 0, 0])
    made = combined(combined(parts[0], parts[1], "add"), neck, "add")
    assert build(made, Sizes(0.1)).points[:, 0].max() < 1.2
    assert build(made, Sizes(0.1), wet=np.array([1.8, 0.5, 0.5])).points[:, 0].min() > 1.2


def test_making_a_mesh_ends_where_somebody_wishes_it():
    heard = []

    def tell(words):
        heard.append(words)
        if words == "moving points within":
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        build(round_ball(), Sizes(0.1), tell=tell)
    assert heard[0] == "looking at sizes"
    assert len(heard) >= 6


def test_sizes_that_make_no_mesh_are_told():
    with pytest.raises(MeshError, match="smaller size"):
        build(cube(), Sizes(5.0))
    with pytest.raises(MeshError, match="larger than nothing"):
        build(cube(), Sizes(0.0))
    with pytest.raises(MeshError, match="at most 4096"):
        build(cube(), Sizes(0.1, {"west": 1e-6}))
    with pytest.raises(MeshError, match="million boxes"):
        build(cube(), Sizes(1e-3))
