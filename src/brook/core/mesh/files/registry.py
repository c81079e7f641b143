"""Which formats of meshes there are. A new one is a module beside this one and a line here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from brook.core.geometry.files import FileError
from brook.core.geometry.files.base import MOST_BYTES
from brook.core.mesh.assembling import AssemblyError
from brook.core.mesh.files import cgns, cgns_out, vtu
from brook.core.mesh.polyhedral import Mesh


@dataclass(frozen=True)
class MeshFormat:
    """`read` takes bytes and gives a mesh in the file's own unit, or raises `FileError`; `write` writes one in m."""

    suffix: str
    words: str
    media_type: str
    read: Callable[[bytes], Mesh]
    write: Callable[[Path, Mesh], None]


MESH_FORMATS = {
    f.suffix: f
    for f in (
        MeshFormat("vtu", "mesh as VTU (XML)", "application/xml", vtu.read, vtu.write),
        MeshFormat("cgns", "mesh as CGNS (HDF5)", "application/x-hdf5", cgns.read, cgns_out.write),
    )
}


def is_mesh_file(name: str) -> bool:
    """Whether a file of that name holds a mesh."""
    return name.lower().rsplit(".", 1)[-1] in MESH_FORMATS


def read_mesh(name: str, data: bytes) -> Mesh:
    """The mesh of a file, in the file's own unit. Raises `FileError`."""
    if len(data) > MOST_BYTES:
        raise FileError(f"the file has {len(data) / 1e6:.0f} MB; at most {MOST_BYTES / 1e6:.0f} MB are taken in")
    try:
        mesh = MESH_FORMATS[name.lower().rsplit(".", 1)[-1]].read(data)
    except AssemblyError as error:
        raise FileError(f"the cells of the file do not make a mesh: {error}") from None
    except MemoryError:
        raise FileError("the file needs more memory than there is; write a coarser mesh") from None
    bad = int((mesh.volume <= 0).sum())
    if bad:
        x, y, z = mesh.centre[int(mesh.volume.argmin())]
        raise FileError(f"{bad} cells of the file have no volume, the worst near ({x:.4g}, {y:.4g}, {z:.4g})")
    return mesh


def write_mesh(path: Path, mesh: Mesh) -> None:
    """Writes a mesh in the format that the name of a file says. Raises `KeyError` for another."""
    MESH_FORMATS[path.suffix[1:].lower()].write(path, mesh)
