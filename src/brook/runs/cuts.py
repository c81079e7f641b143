"""Questions to the result reader about meshes in space: where a plane cuts their cells, and what these are like."""

from __future__ import annotations

import os
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path

import numpy as np

from brook.core.mesh import Mesh, measure
from brook.core.mesh.files import write_mesh
from brook.core.mesh.quality import per_cell
from brook.core.results.picture import PlanePolygons, section
from brook.core.results.pictures import boundary
from brook.store.files import ResultFiles

MOST_MESHES, MOST_CUTS = 2, 8
VALUES: dict[str, Callable[[Mesh], np.ndarray]] = {
    "size": lambda mesh: np.cbrt(mesh.volume),
    "layer": lambda mesh: mesh.layer.astype(float),
    "aspect_ratio": lambda mesh: measure(mesh).aspect_ratio,
    "non_orthogonality": lambda mesh: per_cell(mesh, measure(mesh).non_orthogonality),
    "skewness": lambda mesh: per_cell(mesh, measure(mesh).skewness),
}

_meshes: OrderedDict[str, tuple[Mesh, dict[str, np.ndarray]]] = OrderedDict()
_cuts: OrderedDict[tuple[str, int, float], PlanePolygons] = OrderedDict()


def _mesh(root: str, key: str) -> tuple[Mesh, dict[str, np.ndarray]]:
    if key not in _meshes:
        _meshes[key] = Mesh.load(ResultFiles(Path(root)).folder("mesh", key) / "mesh.npz"), {}
        while len(_meshes) > MOST_MESHES:
            _meshes.popitem(last=False)
    _meshes.move_to_end(key)
    return _meshes[key]


def mesh_boundary(root: str, key: str) -> bytes:
    """The boundary of a mesh in space, packed for a canvas."""
    return boundary(_mesh(root, key)[0]).packed()


def cut_array(root: str, key: str, axis: int, at: float, name: str) -> bytes:
    """`corners`, `offsets` or the values of cells at the corners of a cut across an axis at a place in m.

    Raises `KeyError` for another name, `ValueError` where the plane misses the mesh.
    """
    mesh, values = _mesh(root, key)
    if (key, axis, at) not in _cuts:
        low, high = mesh.points[:, axis].min(), mesh.points[:, axis].max()
        if not low < at < high:
            raise ValueError("the plane does not cut this mesh")
        _cuts[key, axis, at] = section(mesh, axis, at)
        while len(_cuts) > MOST_CUTS:
            _cuts.popitem(last=False)
    cut = _cuts[key, axis, at]
    if name == "corners":
        return np.ascontiguousarray(cut.corners, "<f4").tobytes()
    if name == "offsets":
        return cut.offsets.astype("<u4").tobytes()
    if name not in values:
        values[name] = VALUES[name](mesh)
    return np.repeat(values[name][cut.cell], np.diff(cut.offsets)).astype("<f4").tobytes()


def write_mesh_file(root: str, key: str, suffix: str) -> None:
    """Writes a mesh in a format beside its arrays, whole or not at all."""
    folder = ResultFiles(Path(root)).folder("mesh", key)
    part = folder / f".{os.getpid()}.{suffix}"
    try:
        write_mesh(part, _mesh(root, key)[0])
        part.replace(folder / f"mesh.{suffix}")
    finally:
        part.unlink(missing_ok=True)
