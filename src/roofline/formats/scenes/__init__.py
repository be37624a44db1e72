"""Scenes out: glTF 2.0 (.glb, .gltf), Wavefront OBJ and USD (.usda), with the animated camera.

All are written from one `SceneOut`: pieces with their faces, each face with a picture of its own on it.
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from roofline.errors import FormatError
from roofline.formats.face_pictures import Depth
from roofline.formats.scenes.gltf import write_gltf
from roofline.formats.scenes.obj import write_obj
from roofline.formats.scenes.scene import SceneOut
from roofline.formats.scenes.usd import write_usd

WRITERS = {".glb": write_gltf, ".gltf": write_gltf, ".obj": write_obj, ".usda": write_usd}
FORMS = tuple(WRITERS)


def can_hold(out: Path, depth: Depth) -> None:
    """Raise FormatError when a scene file's format does not hold pictures of such a kind."""
    if depth == "exr" and out.suffix.lower() in (".glb", ".gltf"):
        raise FormatError("glTF holds PNG pictures; OpenEXR pictures go with .usda and .obj.")


def write_scene(scene: SceneOut, out: Path) -> list[Path]:
    """Write a scene file by its suffix; returns all files written. Nothing that exists is overwritten.

    All is written aside first, so that what goes wrong leaves nothing.
    """
    suffix = out.suffix.lower()
    if suffix not in FORMS:
        raise FormatError(f"Scenes are written as {', '.join(FORMS)}; not as '{suffix or out.name}'.")
    can_hold(out, "exr" if any(image.suffix == ".exr" for image in scene.images.values()) else "png")
    if out.exists():
        raise FormatError(f"{out.name} is there already; nothing was overwritten.")
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out.parent, prefix=".scene-") as folder:
        made = WRITERS[suffix](scene, Path(folder) / out.name)
        files = [out.parent / path.name for path in made]
        for path in files:
            if path.exists():
                raise FormatError(f"{path.name} is there already; nothing was overwritten.")
        for path, target in zip(reversed(made), reversed(files), strict=True):  # the scene file comes last
            shutil.move(path, target)
    return files
