"""Surfaces as files: PLY, and glTF as one file."""

from pathlib import Path
from typing import Literal

import numpy as np
import trimesh
from numpy.typing import NDArray
from trimesh.exchange.gltf import export_gltf

MeshKind = Literal["ply", "gltf"]


def write_mesh(
    path: Path,
    kind: MeshKind,
    corners_mm: NDArray[np.float64],
    triangles: NDArray[np.int64],
    colours: NDArray[np.uint8],
) -> None:
    """Corners (N, 3) in mm with their colours (N, 3) and the triangles between them (M, 3).

    glTF is binary, but for a path that ends with .gltf: then it is JSON, with all data in it.
    """
    opaque = np.column_stack([colours, np.full(len(colours), 255, np.uint8)])
    mesh = trimesh.Trimesh(corners_mm, triangles, vertex_colors=opaque, process=False, metadata={"unit": "mm"})
    if kind == "gltf" and path.suffix.lower() == ".gltf":
        path.write_bytes(export_gltf(trimesh.Scene(mesh), embed_buffers=True)["model.gltf"])  # type: ignore[no-untyped-call]
        return
    content = mesh.export(file_type="ply" if kind == "ply" else "glb")
    assert isinstance(content, bytes), "both are one file of bytes"
    path.write_bytes(content)
