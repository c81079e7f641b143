"""Files of surfaces: nothing is lost on the way, and bad ones end in one clear line."""

import io
import time
import tracemalloc
import zipfile

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from brook.core.geometry.files import FORMATS, FileError, file_colours, read_file, write_file
from brook.core.geometry.files.threemf import CORE
from brook.core.geometry.surface import surface_of
from brook.core.geometry.surface.rounding import joined
from tests.core.surfaces import cube, tube


def by_place(surface):
    """Triangles as sets of corners with the names of their patches, in an order of their own."""
    corners = surface.points[surface.triangles]
    turned = [tuple(map(tuple, np.roll(c, -int(np.lexsort(c.T[::-1])[0]), axis=0))) for c in corners]
    return sorted(zip(turned, (surface.patches[k] for k in surface.patch), strict=True))


BOTH_WAYS = sorted(suffix for suffix, f in FORMATS.items() if f.read and f.write)


@pytest.mark.parametrize("suffix", BOTH_WAYS)
@pytest.mark.parametrize("make", [cube, tube])
def test_round_trips_keep_names_counts_and_places(suffix, make):
    there = make()
    if suffix == "bin.stl":  # single precision
        there = there.placed(there.points.astype("f4").astype(float))
    back = read_file(f"shape.{suffix}", write_file(f"shape.{suffix}", there))
    assert back.is_closed
    assert len(back.points) == len(there.points)
    assert by_place(back) == by_place(there)
    assert back.volume == pytest.approx(there.volume)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.floats(-1e6, 1e6, allow_subnormal=False), min_size=9, max_size=36),
    st.sampled_from(["stl", "obj", "ply", "3mf"]),
)
@example([0.0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1, 0, 0, 2, 2.3e-308, 0, 0], "stl")
def test_every_digit_of_a_coordinate_comes_back(values, suffix):
    points = np.reshape(values[: len(values) // 9 * 9], (-1, 3))
    there = surface_of(points, np.arange(len(points)).reshape(-1, 3), np.zeros(len(points) // 3), ["skin"])
    back = read_file(f"a.{suffix}", write_file(f"a.{suffix}", there))
    if back.joined:  # points that differ by rounding alone are made one, which is told
        there = joined(there)
        points = there.points[there.triangles].reshape(-1, 3)
    # a triangle with one corner twice is left out, where others are left
    whole = np.array([len(np.unique(corners + 0.0, axis=0)) == 3 for corners in points.reshape(-1, 3, 3)])
    assert by_place(back) == by_place(there.only(whole) if whole.any() else there)


def test_text_as_people_write_it():
    text = """SOLID Inlet 63 mm
      FACET NORMAL 0 0 1
        OUTER LOOP
          VERTEX 0 0 0
          VERTEX 1.5E+00 0.0 -0
          VERTEX .5\t+2e0 0
        ENDLOOP
      ENDFACET
    ENDSOLID Inlet 63 mm
    solid\r\nfacet normal 0 0 0\r\nouter loop\r\nvertex 0 0 0\r\nvertex 0 1 0\r\nvertex 0 0 1\r\nendloop\r\nendfacet\r\nendsolid"""
    surface = read_file("pipe.STL", text.encode())
    assert surface.patches == ("inlet_63_mm", "part_2")
    assert surface.area == pytest.approx(0.5 * 1.5 * 2 + 0.5)
    assert len(surface.points) == 5


def test_faces_of_many_corners_and_counting_backwards():
    text = b"g top side\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1/1/1 2//2 3 4\no rest\nv 0 0 1\nf -1 -5 -4\n"
    surface = read_file("a.obj", text)
    assert surface.patches == ("top_side", "rest")
    assert np.bincount(surface.patch).tolist() == [2, 1]
    square = b"ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_index\nend_header\n0 0 0\n2 0 0\n2 2 0\n0 2 0\n4 0 1 2 3\n"
    assert read_file("a.ply", square).area == pytest.approx(4)


def archive(parts):
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as made:
        for name, text in parts.items():
            made.writestr(name, text)
    return data.getvalue()


def test_parts_of_a_3mf_file_are_placed_and_in_its_unit():
    corner = "<vertices><vertex x='0' y='0' z='0'/><vertex x='1' y='0' z='0'/><vertex x='0' y='1' z='0'/></vertices>"
    text = f"""<model unit="inch" xmlns="{CORE[1:-1]}"><resources>
      <object id="1" name="Leaf"><mesh>{corner}<triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object>
      <object id="2"><components><component objectid="1"/><component objectid="1" transform="1 0 0 0 1 0 0 0 1 0 0 5"/></components></object>
      </resources><build><item objectid="2" transform="2 0 0 0 2 0 0 0 2 1 0 0"/></build></model>"""
    surface = read_file("a.3mf", archive({"3D/3dmodel.model": text}))
    assert surface.patches == ("leaf",)
    assert surface.area == pytest.approx(2 * 2 * 25.4**2)
    assert surface.box[0] == pytest.approx([25.4, 0, 0])
    assert surface.box[1] == pytest.approx([3 * 25.4, 2 * 25.4, 10 * 25.4])


GOOD = {suffix: write_file(f"a.{suffix}", tube(48, 20)) for suffix in BOTH_WAYS}
HUGE = (2**32 - 1).to_bytes(4, "little")
HOSTILE = {
    "empty.stl": b"",
    "header only.stl": b"\0" * 60,
    "promises.stl": b"\0" * 80 + HUGE + b"\0" * 500,
    "no triangle.stl": b"\0" * 84,
    "no triangle too.stl": b"solid a\nendsolid a\n",
    "nan.stl": GOOD["bin.stl"][:96] + b"\xff\xff\xff\x7f" + GOOD["bin.stl"][100:],
    "two vertices.stl": b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nendloop\nendfacet\nendsolid a\n",
    "words.stl": b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 zero 0\nvertex 1 0 0\nvertex 1 1 0\nendloop\nendfacet\nendsolid a\n",
    "too long a number.stl": b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 1e9999 0\nvertex 1 0 0\nvertex 1 1 0\nendloop\nendfacet\nendsolid a\n",
    "not there.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n",
    "before.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf -1 -2 -9\n",
    "zero.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n",
    "two corners.obj": b"v 0 0 0\nv 1 0 0\nf 1 2\n",
    "no number.obj": b"v 0 0 here\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "no faces.obj": b"v 0 0 0\n" * 1000,
    "many.ply": b"ply\nformat ascii 1.0\nelement vertex 99999999999\nproperty float x\nend_header\n",
    "negative.ply": b"ply\nformat ascii 1.0\nelement vertex -4\nproperty float x\nend_header\n",
    "format.ply": b"ply\nformat fancy 1.0\nend_header\n",
    "header.ply": b"ply\nformat ascii 1.0\nelement vertex\nend_header\n",
    "endless header.ply": b"ply\n" + b"comment\n" * 100000,
    "list.ply": b"ply\nformat binary_little_endian 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uint int vertex_index\nend_header\n" + b"\0" * 36 + HUGE,
    "no points.ply": b"ply\nformat ascii 1.0\nelement face 1\nproperty list uchar int vertex_index\nend_header\n3 0 1 2\n",
    "what.xyz": b"1 2 3",
    "no archive.3mf": b"PK\3\4" + b"\0" * 50,
    "no shape.3mf": archive({"readme.txt": "nothing"}),
    "bomb.3mf": archive({"3D/3dmodel.model": " " * 300_000_000}),
    "words.3mf": archive({"3D/3dmodel.model": "<!DOCTYPE m [<!ENTITY a 'b'>]><model>&a;</model>"}),
    "damaged.3mf": archive({"3D/3dmodel.model": "<model><resources>"}),
    "encoding.3mf": archive({"3D/3dmodel.model": "<?xml version='1.0' encoding='UTF0'?><model/>"}),
    "unit.3mf": archive({"../../3D/3dmodel.model": "<model unit='league'/>"}),
    "circle.3mf": archive({"3D/3dmodel.model": f"<model xmlns='{CORE[1:-1]}'><resources><object id='1'><components><component objectid='1'/></components></object></resources><build><item objectid='1'/></build></model>"}),
    "points.step": b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n" + b"".join(b"#%d=CARTESIAN_POINT('',(0.,0.,%d.));\n" % (k, k) for k in range(1, 50000)) + b"ENDSEC;\nEND-ISO-10303-21;\n",
    "nowhere.3mf": archive({"3D/3dmodel.model": f"<model xmlns='{CORE[1:-1]}'><build><item objectid='7'/></build></model>"}),
    "point.3mf": archive({"3D/3dmodel.model": f"<model xmlns='{CORE[1:-1]}'><resources><object id='1'><mesh><vertices><vertex x='a' y='0' z='0'/></vertices><triangles><triangle v1='0' v2='1' v3='2'/></triangles></mesh></object></resources></model>"}),
}  # fmt: skip


@pytest.mark.parametrize("name", sorted(HOSTILE))
def test_a_bad_file_ends_in_one_line(name):
    begun = time.perf_counter()
    tracemalloc.start()
    with pytest.raises(FileError) as refused:
        read_file(name, HOSTILE[name])
    assert tracemalloc.get_traced_memory()[1] < 100e6
    tracemalloc.stop()
    assert time.perf_counter() - begun < 30  # compiled on the way
    assert "\n" not in str(refused.value)
    assert len(str(refused.value)) < 200


@settings(max_examples=120, deadline=None)
@given(st.sampled_from(BOTH_WAYS), st.floats(0, 1), st.binary(max_size=6), st.booleans())
def test_damaged_files_are_refused_or_read_but_never_break(suffix, share, junk, cut):
    whole = GOOD[suffix]
    at = int(share * (len(whole) - 1))
    try:
        surface = read_file(f"a.{suffix}", whole[:at] if cut else whole[:at] + junk + whole[at + len(junk) :])
    except FileError:
        return
    assert surface.count
    assert np.isfinite(surface.points).all()
    assert surface.triangles.max() < len(surface.points)


@pytest.mark.parametrize("suffix", ["stl", "bin.stl", "ply", "3mf"])
def test_a_file_cut_short_is_never_taken_for_whole(suffix):
    for share in (0.3, 0.7, 0.97):
        with pytest.raises(FileError):
            read_file(f"a.{suffix}", GOOD[suffix][: int(share * len(GOOD[suffix]))])


def test_step_faces_become_patches_with_their_names(tmp_path):
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

    block = BRepPrimAPI_MakeBox(100.0, 60.0, 40.0).Shape()
    bore = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(50, 30, -5), gp_Dir(0, 0, 1)), 12.0, 60.0).Shape()
    writer = STEPControl_Writer()
    writer.Transfer(BRepAlgoAPI_Cut(block, bore).Shape(), STEPControl_AsIs)
    writer.Write(str(tmp_path / "block.step"))
    data = (tmp_path / "block.step").read_bytes().replace(b"ADVANCED_FACE(''", b"ADVANCED_FACE('Side West'", 1)
    exact = 100 * 60 * 40 - np.pi * 144 * 40
    errors = []
    for deflection in (2e-4, 2e-5):
        surface = read_file("block.STEP", data, deflection)
        assert surface.is_closed
        assert surface.volume > 0
        assert len(surface.patches) == 7
        assert surface.patches[0] == "side_west"
        errors.append(abs(surface.volume - exact))
    assert errors[1] < errors[0] / 3
    assert errors[1] < 2e-4 * exact
    with pytest.raises(FileError, match="ends too early"):
        read_file("block.stp", data[: len(data) // 2])
    nested = data.replace(b"DATA;", b"DATA;\n#9999=A(" + b"(" * 200_000 + b")" * 200_000 + b");", 1)
    with pytest.raises(FileError, match="too deeply"):  # it would end the process that reads it
        read_file("block.step", nested)
    with pytest.raises(FileError, match="only read"):
        write_file("block.step", surface)


def test_colours_of_a_step_file_are_those_of_its_faces_or_else_of_the_solid(tmp_path):
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.STEPControl import STEPControl_AsIs
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopAbs import TopAbs_FACE
    from OCP.TopExp import TopExp_Explorer
    from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_ColorSurf, XCAFDoc_DocumentTool

    document = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    shapes, colours = (getattr(XCAFDoc_DocumentTool, f"{kind}Tool_s")(document.Main()) for kind in ("Shape", "Color"))
    block = BRepPrimAPI_MakeBox(10.0, 20.0, 30.0).Shape()
    label = shapes.AddShape(block)
    first = shapes.AddSubShape(label, TopExp_Explorer(block, TopAbs_FACE).Current())
    colours.SetColor(label, Quantity_Color(0.2, 0.4, 0.6, Quantity_TOC_sRGB), XCAFDoc_ColorGen)
    colours.SetColor(first, Quantity_Color(1.0, 0.5, 0.0, Quantity_TOC_sRGB), XCAFDoc_ColorSurf)
    writer = STEPCAFControl_Writer()
    writer.Transfer(document, STEPControl_AsIs)
    writer.Write(str(tmp_path / "block.step"))
    found = file_colours("block.step", (tmp_path / "block.step").read_bytes())
    assert found == {"face_1": "#ff8000", **{f"face_{k}": "#336699" for k in range(2, 7)}}


def test_colours_of_a_3mf_file_are_those_of_the_materials_of_its_objects():
    mesh = "<mesh><vertices><vertex x='0' y='0' z='0'/><vertex x='1' y='0' z='0'/><vertex x='0' y='1' z='0'/></vertices><triangles><triangle v1='0' v2='1' v3='2'/></triangles></mesh>"
    text = (
        f"<model xmlns='{CORE[1:-1]}'><resources><basematerials id='9'><base name='a' displaycolor='#112233FF'/>"
        f"<base name='b' displaycolor='#A0B0C0'/></basematerials><object id='1' name='pipe' pid='9' pindex='1'>{mesh}"
        f"</object><object id='2' name='cap'>{mesh}</object></resources></model>"
    )
    data = archive({"3D/3dmodel.model": text})
    assert read_file("a.3mf", data).patches == ("pipe", "cap")
    assert file_colours("a.3mf", data) == {"pipe": "#a0b0c0"}


def test_gltf_says_what_it_holds():
    import json
    import struct

    data = write_file("tube.glb", tube())
    magic, version, size = struct.unpack_from("<4sII", data)
    assert (magic, version, size) == (b"glTF", 2, len(data))
    length = struct.unpack_from("<I", data, 12)[0]
    told = json.loads(data[20 : 20 + length])
    assert [m["name"] for m in told["meshes"]] == ["near", "far", "wall"]
    counts = [told["accessors"][m["primitives"][0]["indices"]]["count"] for m in told["meshes"]]
    assert sum(counts) == 3 * tube().count
    assert told["accessors"][0]["max"][1] == pytest.approx(0.5)  # y is up there
    with pytest.raises(FileError, match="only written"):
        read_file("tube.glb", data)
