"""Files that are small and mean: each is refused or read in a moment, and no page waits for it."""

import io
import socket
import threading
import time
import zipfile
import zlib

import h5py
import httpx
import numpy as np
import pytest

from brook.core.geometry.files import FileError, read_file
from brook.core.geometry.files.base import patch_name
from brook.core.geometry.outline_files import read_outline
from brook.core.mesh.files import read_mesh, write_mesh
from brook.core.results.reference import TableError, read_reference
from brook.core.study import DocumentError, read_study, study_text
from brook.core.units import DIMENSIONS
from brook.runs import gate
from brook.runs.gate import Gate
from brook.runs.side_process import SideProcessError
from tests.core.meshes import box_mesh
from tests.core.studies import tray

MOMENT = 10.0  # seconds; what these took before was from half a minute on


@pytest.fixture
def quick():
    begun = time.monotonic()
    yield
    assert time.monotonic() - begun < MOMENT


def refused(match, name, data):
    reader = read_mesh if name.endswith(("vtu", "cgns")) else read_file
    with pytest.raises(FileError, match=match):
        reader(name, data)


# -- time that grows faster than the file ------------------------------------------------------


@pytest.mark.parametrize("lines", [b"\n" * 30_000, b"0\n" * 15_000, b" \n" * 15_000, b"\n0\nLINE" * 5000])
def test_a_drawing_of_empty_lines(quick, lines):
    with pytest.raises(FileError):
        read_outline("a.dxf", lines, "mm", 200)


@pytest.mark.parametrize(
    "text", ["(" * 400_000, "[(" * 200_000, '"' * 400_001, ";" * 400_000, "\n" * 400_000, "1," * 200_000]
)
def test_a_table_of_brackets(quick, text):
    with pytest.raises(TableError):
        read_reference(text, DIMENSIONS["length"], DIMENSIONS["length"])


@pytest.mark.parametrize(
    "text",
    [b"<AppendedData" * 2000, b'<AppendedData encoding="raw"' * 1000, b'<AppendedData encoding="raw">' + b" " * 26_000],
)
def test_a_vtu_file_of_half_tags(quick, text):
    refused("VTU", "a.vtu", text)


def test_names_of_patches_that_become_the_same(quick):
    taken = []
    for _ in range(2000):
        taken.append(patch_name("!?", taken))
    assert len(set(taken)) == 2000


# -- files that unpack to far more than they are -----------------------------------------------


def vtu(arrays, packed=False, cells=1):
    """A VTU file of arrays (where, type, name, text or bytes)."""
    compressor = ' compressor="vtkZLibDataCompressor"' if packed else ""
    parts = {"Points": "", "Cells": "", "CellData": ""}
    for where, kind, name, text in arrays:
        form = "ascii" if isinstance(text, str) else "binary"
        body = text if isinstance(text, str) else text.decode()
        components = ' NumberOfComponents="3"' if where == "Points" else ""
        parts[where] += f'<DataArray type="{kind}" Name="{name}" format="{form}"{components}>{body}</DataArray>'
    inner = "".join(f"<{k}>{v}</{k}>" for k, v in parts.items())
    return (
        f'<VTKFile type="UnstructuredGrid" byte_order="LittleEndian" header_type="UInt32"{compressor}><UnstructuredGrid>'
        f'<Piece NumberOfPoints="4" NumberOfCells="{cells}">{inner}</Piece></UnstructuredGrid></VTKFile>'
    ).encode()


def bomb(size, blocks):
    """Zeros packed by zlib in blocks, in base64 with a header as VTU has it."""
    import base64

    one = zlib.compress(b"\0" * size, 9)
    head = np.array([blocks, size, size, *([len(one)] * blocks)], "<u4").tobytes()
    return base64.b64encode(head) + base64.b64encode(one * blocks)


def test_a_vtu_file_that_unpacks_to_gigabytes(quick):
    data = vtu([("Points", "Float64", "Points", bomb(20_000_000, 60))], packed=True)
    assert len(data) < 2_000_000
    refused("unpack to far more", "a.vtu", data)


@pytest.mark.parametrize(
    "sides", ["4 -1 -1 -1 -1", "9223372036854775807 -1", "4 3 0 1 2", "0", "1 2 0 1", "4 99999 0 1 2"]
)
def test_a_vtu_polyhedron_whose_sides_make_no_sense(quick, sides):
    ends = str(len(sides.split()))
    data = vtu([
        ("Points", "Float64", "Points", "0 0 0 1 0 0 0 1 0 0 0 1"), ("Cells", "Int64", "connectivity", "0 1 2 3"),
        ("Cells", "Int64", "offsets", "4"), ("Cells", "UInt8", "types", "42"), ("Cells", "Int64", "faces", sides),
        ("Cells", "Int64", "faceoffsets", ends),
    ])  # fmt: skip
    refused("do not fit together|VTU", "a.vtu", data)


def cgns(change):
    """A small sound CGNS file after a change of its tree."""
    import tempfile
    from pathlib import Path

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.cgns"
        write_mesh(path, box_mesh((2, 2, 2)))
        with h5py.File(path, "r+") as file:
            change(file["Base"]["fluid"], file)
        return path.read_bytes()


def swapped(group, **how):
    data = group[" data"][...]
    del group[" data"]
    group.create_dataset(" data", data.shape, data.dtype, **how)


def test_a_cgns_file_is_read_with_nothing_changed():
    assert read_mesh("a.cgns", cgns(lambda zone, file: None)).cell_count == 8


def test_a_cgns_file_that_unpacks_to_gigabytes(quick):
    def change(zone, file):
        grid = zone["GridCoordinates"]["CoordinateX"]
        del grid[" data"]
        grid.create_dataset(" data", (1_000_000_000,), "<f8", compression="gzip", chunks=(1_000_000,))

    data = cgns(change)
    assert len(data) < 1_000_000
    refused("unpack to far more", "a.cgns", data)


def test_a_cgns_file_that_reads_other_files_of_the_machine(quick, tmp_path):
    secret = tmp_path / "secret"
    secret.write_bytes(np.arange(27.0).tobytes())
    other = tmp_path / "other.h5"
    with h5py.File(other, "w") as file:
        file[" data"] = np.arange(27.0)

    def outside(zone, file):
        grid = zone["GridCoordinates"]["CoordinateX"]
        del grid[" data"]
        grid.create_dataset(" data", (27,), "<f8", external=[(str(secret), 0, 216)])

    def linked(zone, file):
        grid = zone["GridCoordinates"]["CoordinateX"]
        del grid[" data"]
        grid[" data"] = h5py.ExternalLink(str(other), " data")

    def soft(zone, file):
        grid = zone["GridCoordinates"]
        del grid["CoordinateX"]
        grid["CoordinateX"] = h5py.SoftLink("/Base/fluid/GridCoordinates/CoordinateY")

    def virtual(zone, file):
        grid = zone["GridCoordinates"]["CoordinateX"]
        del grid[" data"]
        layout = h5py.VirtualLayout((27,), "<f8")
        layout[:] = h5py.VirtualSource(str(other), " data", (27,))
        grid.create_virtual_dataset(" data", layout)

    for change in (outside, linked, soft, virtual):
        refused("which is not read", "a.cgns", cgns(change))


def test_a_cgns_file_that_holds_itself(quick):
    def change(zone, file):
        for k in range(5):
            zone[f"again {k}"] = file["Base"]

    refused("without end", "a.cgns", cgns(change))


def archive(model):
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr("3D/3dmodel.model", model)
    return made.getvalue()


def test_a_3mf_file_of_parts_within_parts(quick):
    space = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
    many = "".join('<component objectid="%d"/>' for _ in range(40))
    objects = "".join(
        f'<object id="{k}"><components>{many % ((k + 1,) * 40)}</components></object>' for k in range(1, 8)
    )
    points = "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in ((0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1)))
    mesh = f'<object id="8"><mesh><vertices>{points}</vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object>'
    text = f'<model xmlns="{space}"><resources>{objects}{mesh}</resources><build><item objectid="1"/></build></model>'
    refused("parts together", "a.3mf", archive(text))


def test_a_document_with_a_number_of_5000_digits(quick):
    with pytest.raises(DocumentError, match="too many digits"):
        read_study('{"format": ' + "9" * 5000 + "}")


# -- the gate ------------------------------------------------------------------------------------


def take_all(size):
    return len(bytearray(size))


def sleep(seconds):
    time.sleep(seconds)
    return True


def test_reading_has_limits_of_memory_and_time():
    reading = Gate(1)
    try:
        with pytest.raises(SideProcessError, match="more than 4 GB"):
            reading.ask(take_all, gate.MEMORY + 1)
        assert reading.ask(take_all, 1000) == 1000
        with pytest.raises(SideProcessError, match="longer than 1 s"):
            reading.ask(sleep, 30.0, seconds=1.0)
        assert reading.ask(take_all, 5) == 5
    finally:
        reading.close()


@pytest.mark.server
def test_uploads_at_once_block_no_page(brook_server, brook_app, monkeypatch):
    """45 files that each take long to read; a page comes at once, and whoever is too many is told."""
    from brook.web.routes import shapes

    slug = httpx.post(f"{brook_server}/api/studies", content=study_text(tray()), timeout=120).json()["slug"]
    document = httpx.get(f"{brook_server}/api/studies/{slug}/document", timeout=120).json()
    document["variants"][0]["geometry"] = {"kind": "space"}
    answer = httpx.put(f"{brook_server}/api/studies/{slug}/document", json=document, timeout=120)
    assert answer.status_code == 200, answer.text
    name = document["variants"][0]["name"]
    monkeypatch.setattr(shapes.shaping, "looked_at", slow_look)
    answers = []

    def bring():
        files = {"file": ("a.stl", b"solid a\nendsolid a\n")}
        answers.append(httpx.post(f"{brook_server}/api/studies/{slug}/shapes/{name}/files", files=files, timeout=240))

    crowd = [threading.Thread(target=bring) for _ in range(45)]
    for one in crowd:
        one.start()
    time.sleep(0.5)
    for _ in range(3):
        assert httpx.get(f"{brook_server}/api/studies/{slug}", timeout=60).status_code == 200
        assert len(answers) < 45  # most still wait, and the page did not
    for one in crowd:
        one.join()
    assert {a.status_code for a in answers} == {422}
    assert all("no shape in it" in a.text for a in answers)


def slow_look(name, path, deflection=1e-4):
    time.sleep(0.5)
    raise FileError("no shape in it")


@pytest.mark.server
def test_only_shape_files_may_be_large(brook_server):
    for path in (
        "/studies/x/files",
        "/api/files",
        "/import/files",
        "/studies/x/act/files",
        "/studies/a/b/geometry/c/files",
    ):
        with connection(brook_server) as other:
            other.sendall(f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 5000000\r\n\r\n".encode())
            assert other.recv(100).startswith(b"HTTP/1.1 413"), path


def connection(server):
    host, port = server.removeprefix("http://").split(":")
    made = socket.create_connection((host, int(port)))
    made.settimeout(10)
    return made


@pytest.mark.server
def test_half_a_head_is_not_waited_for(brook_server, monkeypatch):
    monkeypatch.setattr("brook.web.protocol.SECONDS", 0.5)
    with connection(brook_server) as half:
        half.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n")
        assert half.recv(100) == b""
    with connection(brook_server) as whole:  # and a second request on the same connection
        whole.sendall(b"GET /api/actions HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
        assert whole.recv(100).startswith(b"HTTP/1.1 200")
        time.sleep(0.8)
        whole.sendall(b"GET / HT")
        while whole.recv(100_000):
            pass
