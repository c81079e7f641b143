import meshio
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.core.checks import prepare
from brook.core.mesh import PLANE_SIDES, Mesh, measure
from brook.core.mesh.lines import divide, estimate, plan_problems
from brook.core.numerics import Stencil
from brook.core.results.picture import polygons
from brook.core.solve import Fields
from brook.core.stages.meshing import make_mesh
from brook.core.study import Resolved
from tests.core.meshes import box_mesh
from tests.core.studies import tray


def tray_mesh(**plan):
    study = tray(**({"mesh_plan": plan} if plan else {}))
    prepared = prepare(study, study.variants[1])
    return prepared, make_mesh(prepared)


def assert_sound(mesh):
    quality = measure(mesh)
    assert quality.smallest_volume > 0
    assert quality.openness < 1e-12
    line = mesh.centre[mesh.neighbour] - mesh.centre[mesh.owner[: mesh.inner_count]]
    assert np.all(np.einsum("ij,ij->i", line, mesh.face_vector[: mesh.inner_count]) > 0)
    assert np.all(mesh.owner[: mesh.inner_count] < mesh.neighbour)
    order = np.lexsort((mesh.neighbour, mesh.owner[: mesh.inner_count]))
    assert np.array_equal(order, np.arange(mesh.inner_count))


def test_the_tray_mesh_fills_the_shape_and_keeps_its_patches():
    prepared, mesh = tray_mesh()
    assert_sound(mesh)
    assert mesh.volume.sum() == pytest.approx(prepared.shape.area * 0.1)
    assert [p.name for p in mesh.patches] == [*prepared.shape.patches, PLANE_SIDES]
    inlet = mesh.patch("inlet")
    assert mesh.face_vector[inlet.faces].sum(axis=0) == pytest.approx([-0.0015, 0, 0])
    assert mesh.cell_count == estimate(prepared.shape, prepared.plan).cells
    assert measure(mesh).verdict()[0] == "good"


@settings(max_examples=25, deadline=None)
@given(bulk=st.floats(2, 20), share=st.floats(0.1, 1), growth=st.floats(1.05, 2))
def test_sizes_keep_to_the_plan(bulk, share, growth):
    wall = bulk * share
    prepared, mesh = tray_mesh(bulk=f"{bulk} mm", wall=f"{wall} mm", growth=f"{growth}")
    assert_sound(mesh)
    x, y = divide(prepared.shape, prepared.plan)
    for steps in (np.diff(x), np.diff(y)):
        assert steps.max() <= 1e-3 * bulk * 1.001
        assert steps[0] <= 1e-3 * wall * 1.3
    assert mesh.cell_count == estimate(prepared.shape, prepared.plan).cells


def test_ten_million_cells_are_refused_with_the_count():
    prepared, _ = tray_mesh()
    plan = Resolved(bulk=2.6e-5, wall=2.6e-5, growth=1.2)
    problems = plan_problems(plan, [prepared.shape], "/mesh_plan")
    assert problems[0].path == "/mesh_plan/bulk"
    assert "million cells" in problems[0].message
    assert "GB" in problems[0].message


def test_walls_larger_than_the_bulk_are_refused():
    problems = plan_problems(Resolved(bulk=1e-3, wall=2e-3, growth=1.2), [], "/mesh_plan")
    assert problems[0].path == "/mesh_plan/wall"


@pytest.mark.parametrize("bend", [0.0, 0.04])
def test_a_box_in_three_dimensions(bend):
    mesh = box_mesh((5, 4, 3), (2, 1, 1), bend)
    assert_sound(mesh)
    assert mesh.volume.sum() == pytest.approx(2.0)
    assert np.average(mesh.centre, axis=0, weights=mesh.volume) == pytest.approx([1, 0.5, 0.5])
    assert (measure(mesh).worst()["non_orthogonality"] > 5) == bool(bend)


def test_a_mesh_survives_saving(tmp_path):
    _, mesh = tray_mesh()
    mesh.save(tmp_path / "mesh.npz")
    again = Mesh.load(tmp_path / "mesh.npz")
    assert again.patches == mesh.patches
    assert np.array_equal(again.face_points, mesh.face_points)
    assert np.array_equal(again.volume, mesh.volume)


def test_a_mesh_cannot_be_changed():
    _, mesh = tray_mesh()
    with pytest.raises(ValueError, match="read-only"):
        mesh.points[0, 0] = 1.0


def test_polygons_of_a_plane_mesh_have_the_cells_areas():
    _, mesh = tray_mesh()
    shapes = polygons(mesh)
    following = np.roll(shapes.corners.reshape(-1, 4, 2), -1, axis=1)
    corners = shapes.corners.reshape(-1, 4, 2)
    areas = 0.5 * np.sum(corners[..., 0] * following[..., 1] - corners[..., 1] * following[..., 0], axis=1)
    assert areas == pytest.approx(mesh.volume / 0.1)


def test_a_mesh_with_other_cells_is_written_as_polyhedra(tmp_path):
    from brook.core.mesh.files import vtu
    from brook.core.results.files import write_vtu

    mesh = box_mesh((3, 2, 2))
    # split one outer face in two triangles: its cell is no hexahedron any more
    face = mesh.patch("front").end - 1
    a, b, c, d = mesh.face_points[mesh.face_offsets[face] : mesh.face_offsets[face + 1]]
    split = Mesh(
        mesh.points.copy(), np.concatenate([mesh.face_points[: mesh.face_offsets[face]], [a, b, c, a, c, d]]),
        np.concatenate([mesh.face_offsets[: face + 1], [mesh.face_offsets[face] + 3, mesh.face_offsets[face] + 6]]),
        np.concatenate([mesh.owner, mesh.owner[-1:]]), mesh.neighbour.copy(),
        (*mesh.patches[:-1], type(mesh.patches[-1])("front", mesh.patches[-1].start, mesh.patches[-1].end + 1)),
        mesh.bodies, mesh.body.copy(),
    )  # fmt: skip
    stencil = Stencil(split)
    pressure = np.arange(split.cell_count, dtype=float)
    fields = Fields(stencil, 1.0, 1.0, np.zeros((12, 3)), pressure, np.zeros(stencil.active),
                    np.zeros((stencil.boundary_count, 3)), np.zeros(stencil.boundary_count))  # fmt: skip
    write_vtu(tmp_path / "fields.vtu", fields)
    read = meshio.read(tmp_path / "fields.vtu")
    kinds = {block.type: len(block) for block in read.cells}
    assert set(kinds) == {"polyhedron8"}
    assert sum(kinds.values()) == 12
    assert np.sort(np.concatenate(read.cell_data["pressure"])) == pytest.approx(pressure)
    again = vtu.read((tmp_path / "fields.vtu").read_bytes())  # it is a mesh too
    assert [(p.name, p.count) for p in again.patches] == [(p.name, p.count) for p in split.patches]
    assert again.volume.sum() == pytest.approx(split.volume.sum())
