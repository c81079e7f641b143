"""Meshes in files: round trips, cells of all kinds, packed numbers, damaged files, and a run on one."""

import base64
import zlib
from dataclasses import replace

import h5py
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from brook.cli import app
from brook.core.geometry.files import FileError
from brook.core.geometry.solids import solid
from brook.core.mesh import measure
from brook.core.mesh.boxes import Sizes, build
from brook.core.mesh.files import MESH_FORMATS, read_mesh, write_mesh
from brook.core.mesh.kernels import chosen_faces
from brook.core.mesh.renumbering import renumbered
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study import Resolved, study_text
from tests.core.meshes import box_mesh
from tests.core.test_bodies import chip_in_a_duct
from tests.core.test_mesh import assert_sound
from tests.core.test_ordered import areas, made, sheet, study


def ball():
    part = Resolved(kind="sphere", x=0.0, y=0.0, z=0.0, diameter=1.0, around=24, patch="skin", pattern=None)
    return build(solid(part), Sizes(0.2))


MESHES = {"bent": lambda: box_mesh((4, 5, 6), bend=0.05), "slice": lambda: made(sheet()), "ball": ball,
          "wedge": lambda: made(sheet(becomes="wedge"))}  # fmt: skip


@pytest.mark.parametrize("suffix", MESH_FORMATS)
@pytest.mark.parametrize("name", MESHES)
def test_a_mesh_comes_back_as_it_was(tmp_path, name, suffix):
    mesh = MESHES[name]()
    path = tmp_path / f"mesh.{suffix}"
    write_mesh(path, mesh)
    back = read_mesh(path.name, path.read_bytes())
    assert back.volume == pytest.approx(mesh.volume, rel=1e-12)
    assert areas(back) == pytest.approx(areas(mesh))
    assert back.inner_count == mesh.inner_count
    assert measure(back).openness < 1e-12


@pytest.mark.parametrize("suffix", MESH_FORMATS)
def test_bodies_and_the_names_of_their_walls_come_back(tmp_path, suffix):
    mesh = chip_in_a_duct(0.1)
    path = tmp_path / f"mesh.{suffix}"
    write_mesh(path, mesh)
    back = read_mesh(path.name, path.read_bytes())
    assert set(back.bodies) == set(mesh.bodies)
    volumes, again = (dict(zip(m.bodies, np.bincount(m.body, m.volume), strict=True)) for m in (mesh, back))
    assert again == pytest.approx(volumes)
    assert sorted(wall_areas(back).items()) == [(n, pytest.approx(a)) for n, a in sorted(wall_areas(mesh).items())]


def wall_areas(mesh):
    faces, names, which = mesh.between_bodies
    return dict(zip(names, np.bincount(which, mesh.face_areas()[faces]), strict=True))


def halved(cells, bodies, wall=""):
    """A box of two bodies side by side along x."""
    mesh = box_mesh(cells)
    body = (mesh.centre[:, 0] > 0.5).astype(int)
    between = body[mesh.owner[: mesh.inner_count]] != body[mesh.neighbour]
    return replace(mesh, bodies=bodies, body=body, wall=np.where(between, 0, -1) if wall else -np.ones(mesh.inner_count, int), walls=(wall,))  # fmt: skip


def run_on(mesh, path, materials=None, heat=None, **set_up):
    """What `brook run` would find on a mesh in a file."""
    write_mesh(path, mesh)
    part = {"kind": "file", "name": "mesh", "file": path.name, "unit": "m"}
    case = study(part, set_up.pop("boundaries", []))
    more = {"materials": materials or {}, "heat": heat, **set_up}
    case = case.model_validate(case.model_dump() | {"set_up": case.set_up.model_dump() | more})
    prepared, surface = ready(case, "a", path.parent)
    assert prepared.ready, prepared.problems
    return solve(case, prepared, meshed(case, prepared, surface, lambda _: None, path.parent))


@pytest.mark.parametrize("suffix", MESH_FORMATS)
def test_heat_goes_through_two_solids_of_a_file_and_what_lies_between(tmp_path, suffix):
    solids = {
        name: {"kind": "own_solid", "density": "1000 kg/m^3", "heat_capacity": "1 kJ/(kg K)", "conductivity": f"{k} W/(m K)"}
        for name, k in (("hot", 2.0), ("cold", 0.5))
    }  # fmt: skip
    sides = [
        {"kind": "temperature", "patch": name, "temperature": t} for name, t in (("left", "400 K"), ("right", "300 K"))
    ]
    heat = {"start": "300 K", "patches": sides, "contacts": [{"patch": "joint", "resistance": "0.75 m^2 K/W"}]}
    mesh = halved((8, 2, 2), ("hot", "cold"), "joint")
    found = run_on(mesh, tmp_path / f"bar.{suffix}", solids, heat)
    assert found.state == "converged", found.message
    x, t = found.fields.mesh.centre[:, 0], found.fields.more["temperature"][0]
    flux = 100 / (0.25 + 0.75 + 1.0)
    assert t == pytest.approx(np.where(x < 0.5, 400 - flux * x / 2, 300 + flux * (1 - x) / 0.5), abs=1e-5)


@pytest.mark.slow
@pytest.mark.parametrize("suffix", MESH_FORMATS)
def test_zones_of_one_fluid_are_parted_only_by_what_is_named(tmp_path, suffix):
    """A file in zones is one fluid; where one is said of a zone, or a wall has a name, that is a wall."""
    flow = {
        "boundaries": [
            {"kind": "pressure", "patch": "left", "pressure": "1 Pa"},
            {"kind": "pressure", "patch": "right"},
        ]
    }
    through = run_on(halved((8, 4, 4), ("one", "two")), tmp_path / f"open.{suffix}", **flow)
    one = run_on(box_mesh((8, 4, 4)), tmp_path / f"one.{suffix}", **flow)
    assert through.fields.velocity[:, 0].mean() == pytest.approx(one.fields.velocity[:, 0].mean(), rel=1e-6)
    shut = run_on(halved((8, 4, 4), ("one", "two"), "shutter"), tmp_path / f"shut.{suffix}", **flow)
    assert np.abs(shut.fields.velocity).max() < 1e-6 * one.fields.velocity[:, 0].mean()


def test_cells_of_a_file_come_into_an_order_in_which_neighbours_are_near(tmp_path):
    """A file may list its cells in any order; what is far apart in memory takes several times as long."""

    def nearness(mesh):
        return np.abs(mesh.owner[: mesh.inner_count] - mesh.neighbour).mean()

    tidy = chip_in_a_duct(0.1)
    order = np.random.default_rng(5).permutation(tidy.cell_count)
    inner = tidy.inner_count
    one, two = order[tidy.owner[:inner]], order[tidy.neighbour]
    turned = np.where(one < two, 1, -1)
    flat, offsets = chosen_faces(tidy.face_points, tidy.face_offsets, np.arange(tidy.face_count), np.append(turned, np.ones(tidy.face_count - inner)) < 0)  # fmt: skip
    mixed = replace(
        tidy, face_points=flat, face_offsets=offsets, neighbour=np.maximum(one, two), body=tidy.body[np.argsort(order)],
        owner=np.concatenate([np.minimum(one, two), order[tidy.owner[inner:]]]),
    )  # fmt: skip
    assert nearness(mixed) > 5 * nearness(tidy)
    back = renumbered(mixed)
    assert_sound(back)
    assert nearness(back) < 1.5 * nearness(tidy)
    assert (np.diff(back.body) >= 0).all()
    assert np.bincount(back.body, back.volume) == pytest.approx(np.bincount(tidy.body, tidy.volume))
    assert areas(back) == pytest.approx(areas(tidy))
    assert wall_areas(back) == pytest.approx(wall_areas(tidy))
    assert np.sort(back.centre, axis=0) == pytest.approx(np.sort(tidy.centre, axis=0))
    assert renumbered(back) is back


VTU = """<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian"{attributes}><UnstructuredGrid>
<Piece NumberOfPoints="{points}" NumberOfCells="{cells}"><Points><DataArray type="Float64" NumberOfComponents="3" {at}</DataArray></Points>
<Cells><DataArray type="Int64" Name="connectivity" format="ascii">{flat}</DataArray><DataArray type="Int64" Name="offsets" format="ascii">{ends}</DataArray>
<DataArray type="UInt8" Name="types" format="ascii">{kinds}</DataArray></Cells>{data}</Piece></UnstructuredGrid>{appended}</VTKFile>"""
CUBE = np.array([[x, y, z] for z in (0, 1) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))], float)
# a hexahedron with a pyramid on it, a wedge beside it, a tetrahedron on the wedge
POINTS = np.concatenate([CUBE, [[0.5, 0.5, 1.7], [2, 0, 0], [2, 0, 1], [1.4, 0.3, 1.6]]])
CELLS = [(12, [0, 1, 2, 3, 4, 5, 6, 7]), (14, [4, 5, 6, 7, 8]), (13, [1, 9, 2, 5, 10, 6]), (10, [5, 10, 6, 11]), (9, [0, 3, 2, 1]),
         (5, [1, 2, 9])]  # fmt: skip


def vtu(at, attributes="", appended=""):
    flat, kinds = [c for _, cell in CELLS for c in cell], [k for k, _ in CELLS]
    ends = np.cumsum([len(cell) for _, cell in CELLS])
    data = '<CellData><DataArray type="Int32" Name="zone" format="ascii">0 0 0 0 7 7</DataArray></CellData>'
    words = {name: " ".join(map(str, of)) for name, of in (("flat", flat), ("ends", ends), ("kinds", kinds))}
    return VTU.format(
        points=len(POINTS), cells=len(CELLS), at=at, attributes=attributes, appended=appended, data=data, **words
    ).encode()


def test_cells_of_all_straight_kinds_are_read_however_their_numbers_are_written():
    raw = POINTS.tobytes()
    packed = zlib.compress(raw)
    header = np.array([1, len(raw), 0, len(packed)], np.uint32).tobytes()
    ways = {
        "ascii": vtu('format="ascii">' + " ".join(map(str, POINTS.ravel()))),
        "binary": vtu('format="binary">' + base64.b64encode(np.uint32(len(raw)).tobytes() + raw).decode()),
        "packed": vtu('format="binary">' + base64.b64encode(header).decode() + base64.b64encode(packed).decode(),
                      ' compressor="vtkZLibDataCompressor"'),
        "appended": vtu('format="appended" offset="0">', ' header_type="UInt64"', '<AppendedData encoding="base64">_'
                        + base64.b64encode(np.uint64(len(raw)).tobytes() + raw).decode() + "</AppendedData>"),
    }  # fmt: skip
    for data in ways.values():
        mesh = read_mesh("mesh.vtu", data)
        assert_sound(mesh)
        assert mesh.cell_count == 4
        assert mesh.volume.sum() == pytest.approx(1 + 0.7 / 3 + 0.5 + 0.5 * 0.6 / 3)
        assert areas(mesh)["patch_7"] == pytest.approx(1.5)


@pytest.mark.parametrize(("said", "told"), [("0 0 0 0.5 0 0", "by a whole number"), ("0 0", "of each cell")])
def test_bodies_that_cannot_be_told_are_no_silent_loss(said, told):
    good = vtu('format="ascii">' + " ".join(map(str, POINTS.ravel()))).decode()
    body = f'<DataArray type="Float64" Name="body" format="ascii">{said}</DataArray></CellData>'
    with pytest.raises(FileError, match=told):
        read_mesh("mesh.vtu", good.replace("</CellData>", body).encode())


def test_cgns_of_standard_cells_with_conditions_on_points(tmp_path):
    path = tmp_path / "cube.cgns"
    with h5py.File(path, "w") as file:

        def node(parent, name, label, data=None):
            group = parent.create_group(name)
            group.attrs["label"] = np.bytes_(label)
            if data is not None:
                group.create_dataset(" data", data=data)
            return group

        text = lambda words: np.frombuffer(words.encode(), np.int8)  # noqa: E731
        zone = node(node(file, "B", "CGNSBase_t", np.array([3, 3], np.int32)), "Z", "Zone_t", np.array([[8], [1], [0]]))
        node(zone, "ZoneType", "ZoneType_t", text("Unstructured"))
        grid = node(zone, "GridCoordinates", "GridCoordinates_t")
        for i, axis in enumerate("XYZ"):
            node(grid, f"Coordinate{axis}", "DataArray_t", CUBE[:, i])
        for name, kind, first, cells in (("C", 17, 1, [range(1, 9)]), ("Q", 7, 2, [[1, 4, 3, 2], [5, 6, 7, 8]])):
            section = node(zone, name, "Elements_t", np.array([kind, 0], np.int32))
            node(section, "ElementRange", "IndexRange_t", np.array([first, first + len(cells) - 1]))
            node(section, "ElementConnectivity", "DataArray_t", np.array([list(c) for c in cells]).ravel())
        conditions = node(zone, "ZoneBC", "ZoneBC_t")
        below = node(conditions, "Below", "BC_t", text("BCInflow"))
        node(below, "PointList", "IndexArray_t", np.array([[1], [2], [3], [4]]))
        above = node(conditions, "Above", "BC_t", text("BCOutflow"))
        node(above, "PointRange", "IndexRange_t", np.array([[3], [3]]))
        node(above, "GridLocation", "GridLocation_t", text("FaceCenter"))
    mesh = read_mesh("cube.cgns", path.read_bytes())
    assert {name: round(area, 9) for name, area in areas(mesh).items()} == {"below": 1.0, "above": 1.0, "outside": 4.0}
    assert mesh.face_vector[mesh.patch("below").faces][0] == pytest.approx([0, 0, -1])


@pytest.mark.parametrize("suffix", MESH_FORMATS)
@settings(max_examples=25, deadline=None)
@given(data=st.data())
def test_a_damaged_file_is_told_in_one_line(tmp_path_factory, suffix, data):
    path = tmp_path_factory.getbasetemp() / f"damaged.{suffix}"
    write_mesh(path, box_mesh((2, 2, 2)))
    content = bytearray(path.read_bytes())
    for _ in range(data.draw(st.integers(1, 20))):
        content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    content = content[: data.draw(st.integers(1, len(content)))]
    told = ""
    try:
        assert (read_mesh(path.name, bytes(content)).volume > 0).all()
    except FileError as error:
        told = str(error)
    assert "\n" not in told


def test_three_cells_at_one_side_are_no_mesh():
    rows = [(10, [0, 1, 2, 4]), (10, [0, 1, 2, 5]), (10, [0, 1, 2, 6])]
    flat = " ".join(str(c) for _, cell in rows for c in cell)
    at = 'format="ascii">' + " ".join(map(str, CUBE.ravel()))
    text = VTU.format(
        points=8, cells=3, at=at, attributes="", appended="", data="", flat=flat, ends="4 8 12", kinds="10 10 10"
    )
    with pytest.raises(FileError, match="more than two cells have the side at"):
        read_mesh("mesh.vtu", text.encode())


def test_a_study_runs_on_a_mesh_from_a_file(tmp_path):
    write_mesh(tmp_path / "pipe.cgns", made(sheet()))
    part = {"kind": "file", "name": "pipe", "file": "pipe.cgns", "unit": "m", "names": {"left": "inlet"}}
    boundaries = [{"kind": "velocity", "patch": "inlet", "speed": "0.1 m/s"}, {"kind": "pressure", "patch": "right"}]
    (tmp_path / "study.json").write_text(study_text(study(part, boundaries)))
    done = CliRunner().invoke(app, ["run", str(tmp_path / "study.json")])
    assert done.exit_code == 0, done.output
    assert '"state": "converged"' in done.output
    (tmp_path / "pipe.cgns").write_bytes(b"nothing")
    told = CliRunner().invoke(app, ["run", str(tmp_path / "study.json")])
    assert told.exit_code == 1
    assert "no CGNS file" in told.output


def test_a_mesh_is_made_and_written_by_the_command_line(tmp_path):
    case = study(sheet().model_dump(), [{"kind": "velocity", "patch": "left"}, {"kind": "pressure", "patch": "right"}])
    (tmp_path / "study.json").write_text(study_text(case))
    done = CliRunner().invoke(app, ["mesh", str(tmp_path / "study.json"), "--out", str(tmp_path / "sheet.vtu")])
    assert done.exit_code == 0, done.output
    assert "286 cells in fluid" in done.output
    assert read_mesh("sheet.vtu", (tmp_path / "sheet.vtu").read_bytes()).cell_count == 286
    wrong = CliRunner().invoke(app, ["mesh", str(tmp_path / "study.json"), "--out", str(tmp_path / "sheet.stl")])
    assert wrong.exit_code == 1
    assert ".cgns" in wrong.output


@pytest.mark.parametrize("suffix", MESH_FORMATS)
def test_a_cell_without_volume_is_told(tmp_path, suffix):
    mesh = box_mesh((2, 2, 2))
    path = tmp_path / f"flat.{suffix}"
    write_mesh(path, replace(mesh, points=np.where(mesh.points > 0.6, 0.5, mesh.points)))
    with pytest.raises(FileError, match="have no volume"):
        read_mesh(path.name, path.read_bytes())


def test_a_common_reader_takes_meshes_that_are_written(tmp_path):
    """It cannot mix polyhedra with others."""
    import meshio

    for mesh in (box_mesh((3, 2, 2)), boxes_of_two_sizes()):
        path = tmp_path / "a.vtu"
        write_mesh(path, mesh)
        read = meshio.read(path)
        assert sum(len(block.data) for block in read.cells) == mesh.cell_count
        assert np.allclose(read.points, mesh.points)
        again = read_mesh("a.vtu", path.read_bytes())
        assert [(p.name, p.count) for p in again.patches] == [(p.name, p.count) for p in mesh.patches]


def boxes_of_two_sizes():
    """Polyhedra where small boxes meet large ones."""
    from brook.core.checks import prepare
    from brook.core.stages.meshing import make_mesh
    from tests.core.studies import tray

    study = tray(mesh_plan={"way": "boxes", "bulk": "12 mm", "wall": "6 mm", "growth": "1.5"})
    return make_mesh(prepare(study, study.variant("hanging")))
