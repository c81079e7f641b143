"""Meshes in files of open standards, in and out."""

from brook.core.mesh.files.registry import MESH_FORMATS, MeshFormat, is_mesh_file, read_mesh, write_mesh

__all__ = ["MESH_FORMATS", "MeshFormat", "is_mesh_file", "read_mesh", "write_mesh"]
