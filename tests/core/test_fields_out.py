"""Fields in files, read again by the common readers of each kind."""

import zipfile
from dataclasses import replace
from xml.etree import ElementTree

import meshio
import numpy as np
import pytest
import trimesh
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonExecutionModel import vtkStreamingDemandDrivenPipeline
from vtkmodules.vtkFiltersVerdict import vtkCellSizeFilter
from vtkmodules.vtkIOCGNSReader import vtkCGNSReader
from vtkmodules.vtkIOGeometry import vtkGLTFReader
from vtkmodules.vtkIOHDF import vtkHDFReader
from vtkmodules.vtkIOXML import vtkXMLUnstructuredGridReader

from brook.core.numerics import Stencil
from brook.core.results.files import FIELD_FORMATS, Moment, Series, cell_values, cgns, dimensions_of, patch_values
from brook.core.results.pictures import Seen
from brook.core.results.pictures.gltf import clipped
from brook.core.results.pictures.plates import scene_of
from brook.core.results.quantities import QUANTITIES, View
from brook.core.results.space import Locator
from brook.core.solve import Fields
from brook.core.study.layers import CutLayer, LineLayer, PatchLayer
from brook.core.study.views import Plate
from tests.core.meshes import box_mesh

CELLS, TIMES = 24, (0.0, 0.5, 0.75)


def view_of(mesh):
    """Pressure 100 x in Pa, and a flow along x of 1 + y m/s."""
    stencil = Stencil(mesh)
    at = mesh.face_centres(slice(stencil.inner, stencil.active))
    cells, faces = (np.zeros((n, 3)) for n in (mesh.cell_count, stencil.boundary_count))
    cells[:, 0], faces[:, 0] = 1 + mesh.centre[:, 1], 1 + at[:, 1]
    flux = np.zeros(stencil.active)
    flux[stencil.inner :] = faces[:, 0] * stencil.area[stencil.inner :, 0]
    ones = np.ones(mesh.cell_count)
    return View(Fields(stencil, ones, ones, cells, 100 * mesh.centre[:, 0], flux, faces, 100 * at[:, 0]))


@pytest.fixture(scope="module")
def view():
    """Of a box of 24 cells in two bodies."""
    mesh = box_mesh((4, 3, 2))
    return view_of(
        replace(mesh, bodies=("left", "right"), body=(mesh.centre[:, 0] > mesh.centre[:, 0].mean()).astype(np.int32))
    )


@pytest.fixture(scope="module")
def series(view):
    """Three moments whose pressure grows with the time; at the first one nothing was averaged yet."""
    values, words = cell_values(view, ["vorticity_size", "total_pressure"])
    assert words == []

    def moments():
        for k, time in enumerate(TIMES):
            more = {"averaged_pressure": values["pressure"]} if k else {}
            yield Moment(values | {"pressure": values["pressure"] * (1 + time)} | more, time)

    return Series(view.fields.mesh, moments, len(TIMES), "cells", dimensions_of(view, list(values)))


def grid_of(reader, path, time=None):
    """What a reader of VTK gives, at a time."""
    reader.SetFileName(str(path))
    reader.UpdateInformation()
    if time is not None:
        reader.GetOutputInformation(0).Set(vtkStreamingDemandDrivenPipeline.UPDATE_TIME_STEP(), time)
    reader.Update()
    return reader.GetOutputDataObject(0)


def array_of(grid, name):
    return vtk_to_numpy(grid.GetCellData().GetArray(name))


def volumes_of(grid):
    sizes = vtkCellSizeFilter()
    sizes.SetInputData(grid)
    sizes.Update()
    return array_of(sizes.GetOutput(), "Volume")


def times_of(reader):
    key = vtkStreamingDemandDrivenPipeline.TIME_STEPS()
    info = reader.GetOutputInformation(0)
    return [info.Get(key, k) for k in range(info.Length(key))]


def test_hdf_holds_polyhedra_and_every_moment(tmp_path, view, series):
    path = tmp_path / "a.vtkhdf"
    FIELD_FORMATS["vtkhdf"].write(path, series)
    mesh = view.fields.mesh
    reader = vtkHDFReader()
    grid = grid_of(reader, path, 0.75)
    assert times_of(reader) == list(TIMES)
    assert volumes_of(grid) == pytest.approx(mesh.volume)
    assert array_of(grid, "pressure") == pytest.approx(1.75 * view.fields.pressure)
    assert array_of(grid, "velocity") == pytest.approx(view.fields.velocity)
    assert array_of(grid, "body").tolist() == mesh.body.tolist()
    assert array_of(grid, "averaged_pressure") == pytest.approx(view.fields.pressure)
    first = grid_of(reader, path, 0.0)
    assert array_of(first, "pressure") == pytest.approx(view.fields.pressure)
    assert np.isnan(array_of(first, "averaged_pressure")).all()  # there was none yet


def test_hdf_holds_patches(tmp_path, view):
    values, _ = patch_values(view)
    path = tmp_path / "p.vtkhdf"
    FIELD_FORMATS["vtkhdf"].write(path, Series(view.fields.mesh, lambda: iter([Moment(values)]), of="patches"))
    grid = grid_of(vtkHDFReader(), path)
    mesh = view.fields.mesh
    centres = mesh.face_centres(slice(mesh.inner_count, mesh.face_count))
    assert array_of(grid, "pressure") == pytest.approx(100 * centres[:, 0])
    sizes = vtkCellSizeFilter()
    sizes.SetInputData(grid)
    sizes.Update()
    areas = mesh.face_areas(slice(mesh.inner_count, mesh.face_count))
    assert array_of(sizes.GetOutput(), "Area") == pytest.approx(areas)


def test_patches_are_written_with_what_is_known_of_them(tmp_path, view):
    """Pressure 100 x on the sides of a box, each side by its name."""
    values, _ = patch_values(view)
    path = tmp_path / "patches.vtu"
    FIELD_FORMATS["vtu"].write(path, Series(view.fields.mesh, lambda: iter([Moment(values)]), of="patches"))
    read = meshio.read(path)
    (block,) = read.cells
    assert (block.type, len(block)) == ("quad", view.fields.stencil.boundary_count)
    middles = read.points[block.data].mean(axis=1)
    np.testing.assert_allclose(read.cell_data["pressure"][0], 100 * middles[:, 0], atol=1e-9)
    assert read.cell_data["friction"][0].shape == (view.fields.stencil.boundary_count, 3)
    names = [p.name for p in view.fields.mesh.patches]
    left = read.cell_data["patch"][0] == names.index("left")
    assert (middles[left, 0] == 0).all()
    assert left.sum() == 6


def test_cgns_holds_solutions_of_each_body_under_the_standards_names(tmp_path, view, series):
    path = tmp_path / "a.cgns"
    FIELD_FORMATS["cgns"].write(path, series)
    reader = vtkCGNSReader()
    reader.SetFileName(str(path))
    reader.UpdateInformation()
    reader.EnableAllCellArrays()
    blocks = grid_of(reader, path, 0.5)
    assert times_of(reader) == list(TIMES)
    zones = blocks.GetBlock(0)
    found, sizes = [], []
    for k in range(2):
        zone = zones.GetBlock(k)
        found.append(array_of(zone, "Pressure"))
        sizes.append(volumes_of(zone))
        assert array_of(zone, "Velocity").shape == (12, 3)
    mesh = view.fields.mesh
    for k in range(2):
        here = mesh.body == k
        assert sizes[k] == pytest.approx(mesh.volume[here])
        assert found[k] == pytest.approx(1.5 * view.fields.pressure[here])


def test_vtu_of_every_moment_stands_in_a_zip_with_its_times(tmp_path, view, series):
    path = tmp_path / "a.zip"
    FIELD_FORMATS["vtu"].write(path, series)
    with zipfile.ZipFile(path) as packed:
        packed.extractall(tmp_path)
    told = ElementTree.parse(tmp_path / "cells.pvd").getroot().findall(".//DataSet")
    assert [float(t.attrib["timestep"]) for t in told] == list(TIMES)
    grid = grid_of(vtkXMLUnstructuredGridReader(), tmp_path / told[2].attrib["file"])
    assert array_of(grid, "pressure") == pytest.approx(1.75 * view.fields.pressure)
    assert volumes_of(grid) == pytest.approx(view.fields.mesh.volume)
    read = meshio.read(tmp_path / told[1].attrib["file"])
    assert np.concatenate(read.cell_data["pressure"]) == pytest.approx(1.5 * view.fields.pressure)


def test_what_is_not_known_there_is_told(view):
    values, words = cell_values(view, ["film_coefficient", "speed"])
    assert "film_coefficient" not in values
    assert len(words) == 1
    with pytest.raises(KeyError):
        cell_values(view, ["wish"])


def test_the_standards_names_are_of_what_there_is():
    assert set(cgns.NAMES) <= {*QUANTITIES, "velocity", "viscosity", "eddy_viscosity"}
    assert len(set(cgns.NAMES.values())) == len(cgns.NAMES)


def test_a_name_that_cgns_cannot_hold_is_refused(tmp_path, view):
    values = {"x" * 33: view.fields.pressure}
    with pytest.raises(ValueError, match="32 letters"):
        FIELD_FORMATS["cgns"].write(tmp_path / "a.cgns", Series(view.fields.mesh, lambda: iter([Moment(values)])))


def scene(view, *layers):
    plate = Plate(name="p", title="P", quantity="speed", layers=layers)
    mesh = view.fields.mesh
    return scene_of(plate, Seen(view, Locator(mesh), "speed"), "Box")


def test_a_scene_holds_surfaces_and_lines_with_colours(tmp_path):
    view = view_of(box_mesh((4, 3, 2)))
    low, high = view.fields.mesh.points.min(axis=0), view.fields.mesh.points.max(axis=0)
    middle = tuple(((low + high) / 2).tolist())
    data, words = scene(view, CutLayer(through=middle, across=(0, 0, 1)), LineLayer(begin="places", places=(middle,)))
    assert words == []
    path = tmp_path / "a.glb"
    path.write_bytes(data)
    loaded = trimesh.load(path)
    assert sorted(name.split(" ", 1)[1] for name in loaded.geometry) == ["cut", "streamlines lines"]
    cut = next(g for name, g in loaded.geometry.items() if name.endswith("cut"))
    assert cut.area == pytest.approx((high - low)[0] * (high - low)[1])
    assert len(np.unique(cut.visual.vertex_colors, axis=0)) >= 3  # of the three rows of cells
    assert loaded.bounds[:, 1] == pytest.approx([middle[2]] * 2, abs=0.02)  # the vertical is y there
    assert loaded.metadata["unit"] == "mm/s"
    assert loaded.metadata["to"] == pytest.approx(1000 * view.fields.velocity[:, 0].max(), rel=0.1)
    blocks = grid_of(vtkGLTFReader(), path)
    assert blocks.GetNumberOfBlocks() >= 1


def test_what_a_cut_takes_away_is_not_in_the_scene():
    view = view_of(box_mesh((4, 3, 2)))
    mesh = view.fields.mesh
    middle = tuple(mesh.centre.mean(axis=0).tolist())
    data, _ = scene(view, CutLayer(through=middle, across=(1, 0, 0), clips="above"), PatchLayer())
    loaded = trimesh.load(trimesh.util.wrap_as_stream(data), file_type="glb")
    assert loaded.bounds[1][0] == pytest.approx(middle[0], abs=1e-6)


def test_triangles_are_cut_where_a_plane_passes():
    at = np.array([[0.0, 0, 0], [2, 0, 0], [0, 2, 0]])
    for way, area in ((1, 0.5), (-1, 1.5)):
        plane = np.array([way, 0.0, 0.0, -way * 1.0])
        places, triangles, colours = clipped(at, np.array([[0, 1, 2]]), at / 2, plane)
        a, b, c = np.moveaxis(places[triangles], 1, 0)
        assert np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2 == pytest.approx(area)
        assert colours == pytest.approx(places / 2)
