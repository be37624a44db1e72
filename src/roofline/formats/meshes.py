"""Meshes in: OBJ and glTF, read to triangles; kept as GLB."""

from __future__ import annotations

import io
import re
from typing import Any

import numpy as np

from roofline.core.massing.solids import Triangles
from roofline.errors import FormatError

MOST = 2_000_000  # triangles
FLATTEST = 1e-14  # m²: smaller triangles cover nothing


def read(data: bytes, name: str) -> Triangles:
    """Triangles of an OBJ, GLB or glTF file, in its own metres; nodes' placements are applied.

    Raises
    ------
    FormatError
        With one sentence: what is wrong with the file, and what is wanted.
    """
    import trimesh  # slow to load, and seldom needed

    form = _form(data, name)
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=form, process=False, skip_materials=True)
        mesh = loaded.to_mesh() if isinstance(loaded, trimesh.Scene) else loaded
    except Exception as error:  # readers of damaged files fail in every way there is
        raise FormatError(f"'{name}' cannot be read as {form.upper()}: {_short(error)}") from None
    if not isinstance(mesh, trimesh.Trimesh) or not len(mesh.faces):
        raise FormatError(f"'{name}' contains no faces: a mesh of triangles or polygons is wanted.")
    if len(mesh.faces) > MOST:
        raise FormatError(f"'{name}' has {len(mesh.faces)} triangles; up to {MOST} can be brought in.")
    vertices = np.asarray(mesh.vertices, dtype=np.float64)
    indices = np.asarray(mesh.faces, dtype=np.int64)
    if not np.isfinite(vertices).all():
        raise FormatError(f"'{name}' has corners that are not numbers.")
    if indices.min() < 0 or indices.max() >= len(vertices):
        raise FormatError(f"'{name}' names corners that it does not have.")
    p = vertices[indices]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 2
    indices = indices[area > FLATTEST]
    if not len(indices):
        raise FormatError(f"'{name}' contains no faces with an area.")
    return Triangles(vertices, indices)


def packed(mesh: Triangles) -> bytes:
    """A mesh as a GLB file."""
    import trimesh

    out: Any = trimesh.Trimesh(mesh.vertices, mesh.indices, process=False).export(file_type="glb")
    return bytes(out)


def _form(data: bytes, name: str) -> str:
    """The file's form by what it contains."""
    if data[:4] == b"glTF":
        return "glb"
    head = data[:65536]
    if head.lstrip()[:1] == b"{" and b'"asset"' in data:
        if re.search(rb'"uri"\s*:\s*"(?!data:)', data):
            raise FormatError(f"'{name}' needs other files beside it: bring it as one GLB file.")
        return "gltf"
    if re.search(rb"^\s*v\s+[-+0-9.]", head, re.M) and re.search(rb"^\s*f\s+\d", data, re.M):
        return "obj"
    if re.search(rb"^\s*v\s+[-+0-9.]", head, re.M):
        raise FormatError(f"'{name}' contains no faces: a mesh of triangles or polygons is wanted.")
    raise FormatError(f"'{name}' is no mesh that can be read: bring an OBJ or a glTF file (.obj, .glb, .gltf).")


def _short(error: Exception) -> str:
    text = str(error).strip().split("\n")[0][:120]
    return text or type(error).__name__
