"""glTF 2.0 in one binary file (ISO/IEC 12113): one mesh for each patch, in m. Only written."""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

from brook.core.geometry.files.base import FileFormat
from brook.core.geometry.surface import Surface

FLOAT, UINT = 5126, 5125
VERTICES, INDICES = 34962, 34963


def write(surface: Surface) -> bytes:
    """The surface with its patches as named meshes; y is up there, as the format wants it."""
    pieces: list[bytes] = []
    views: list[dict[str, Any]] = []
    accessors: list[dict[str, Any]] = []

    def put(array: np.ndarray, target: int, **more: Any) -> int:
        data = np.ascontiguousarray(array).tobytes()
        offset = sum(map(len, pieces))
        pieces.append(data + b"\0" * (-len(data) % 4))
        views.append({"buffer": 0, "byteOffset": offset, "byteLength": len(data), "target": target})
        accessors.append({"bufferView": len(views) - 1, **more})
        return len(accessors) - 1

    meshes = []
    for number, name in enumerate(surface.patches):
        part = surface.only(surface.patch == number)
        if not part.count:
            continue
        points = part.points[:, [0, 2, 1]].astype("<f4") * np.array([1, 1, -1], "<f4")
        low, high = points.min(axis=0).tolist(), points.max(axis=0).tolist()
        position = put(points, VERTICES, componentType=FLOAT, count=len(points), type="VEC3", min=low, max=high)
        index = put(part.triangles.astype("<u4"), INDICES, componentType=UINT, count=3 * part.count, type="SCALAR")
        meshes.append({"name": name, "primitives": [{"attributes": {"POSITION": position}, "indices": index}]})
    binary = b"".join(pieces)
    document = {
        "asset": {"version": "2.0", "generator": "Brook"}, "scene": 0,
        "scenes": [{"nodes": list(range(len(meshes)))}],
        "nodes": [{"name": mesh["name"], "mesh": k} for k, mesh in enumerate(meshes)], "meshes": meshes,
        "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": len(binary)}],
    }  # fmt: skip
    text = json.dumps(document, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    whole = 12 + 8 + len(text) + 8 + len(binary)
    return (
        struct.pack("<4sII", b"glTF", 2, whole) + struct.pack("<I4s", len(text), b"JSON") + text
        + struct.pack("<I4s", len(binary), b"BIN\0") + binary
    )  # fmt: skip


GLB = FileFormat("glb", "glTF", "model/gltf-binary", None, write, "m")
