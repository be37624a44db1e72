"""Scenes out: glTF 2.0 (.glb, .gltf), Wavefront OBJ and USD (.usda), with the animated camera.

All share one cutting of the surfaces (see core.throw.unwrap): the picture stays where it was thrown, to half a plate
pixel, in any program that interpolates texture coordinates.
"""

from __future__ import annotations

import base64
import json
import os
import struct
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from roofline import __version__
from roofline.core.camera import matrix_to_quaternion
from roofline.core.handoff.unwrap import Patch
from roofline.core.moment import Moment
from roofline.errors import FormatError
from roofline.formats.package import slug
from roofline.model.shot import Shot

FLIP = np.diag([1.0, -1.0, -1.0])  # our camera axes → those of glTF, OBJ viewers and USD
FORMS = (".glb", ".gltf", ".obj", ".usda")


@dataclass
class Texture:
    data: bytes
    suffix: str
    alpha: bool

    @property
    def mime(self) -> str:
        return "image/jpeg" if self.suffix == ".jpg" else "image/png"


@dataclass
class SceneOut:
    """All that a scene file holds."""

    shot: Shot
    patches: list[Patch]
    textures: dict[str, Texture]
    frames: list[Moment]


def write_scene(scene: SceneOut, out: Path) -> list[Path]:
    """Write a scene file by its suffix; returns all files written. Nothing that exists is overwritten."""
    suffix = out.suffix.lower()
    if suffix not in FORMS:
        raise FormatError(f"Scenes are written as {', '.join(FORMS)}; not as '{suffix or out.name}'.")
    if out.exists():
        raise FormatError(f"{out.name} is there already; nothing was overwritten.")
    out.parent.mkdir(parents=True, exist_ok=True)
    if suffix in (".glb", ".gltf"):
        return _write_gltf(scene, out)
    if suffix == ".obj":
        return _write_obj(scene, out)
    return _write_usda(scene, out)


def _camera_tracks(scene: SceneOut) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Seconds (N,), positions (N, 3), quaternions x, y, z, w (N, 4) of a camera that looks along −Z."""
    first = scene.frames[0].frame
    times = np.array([(m.frame - first) / scene.shot.delivery.fps for m in scene.frames])
    positions = np.array([m.view.position for m in scene.frames])
    turns: list[np.ndarray] = []
    for view in (m.view for m in scene.frames):
        w, x, y, z = matrix_to_quaternion(view.rotation.T @ FLIP)
        q = np.array([x, y, z, w])
        turns.append(-q if turns and q @ turns[-1] < 0 else q)
    return times, positions, np.array(turns)


def _write_gltf(scene: SceneOut, out: Path) -> list[Path]:
    blob = bytearray()
    views: list[dict] = []
    accessors: list[dict] = []

    def store(data: bytes, target: int | None = None) -> int:
        blob.extend(b"\0" * (-len(blob) % 4))
        views.append(
            {"buffer": 0, "byteOffset": len(blob), "byteLength": len(data)} | ({"target": target} if target else {})
        )
        blob.extend(data)
        return len(views) - 1

    def accessor(values: np.ndarray, kind: str, target: int | None = None, bounds: bool = False) -> int:
        v = np.ascontiguousarray(values, dtype="<f4")
        entry = {"bufferView": store(v.tobytes(), target), "componentType": 5126, "count": len(v), "type": kind}
        if bounds:
            flat = v.reshape(len(v), -1)
            entry |= {"min": flat.min(0).tolist(), "max": flat.max(0).tolist()}
        accessors.append(entry)
        return len(accessors) - 1

    names = {s.id: s.name for s in scene.shot.solids}
    plate_names = {p.id: p.name for p in scene.shot.plates}
    material_of: dict[str | None, int] = {}
    materials: list[dict] = []
    images: list[dict] = []
    textures: list[dict] = []
    for plate, texture in scene.textures.items():
        images.append({"name": plate_names[plate], "mimeType": texture.mime, "bufferView": store(texture.data)})
        textures.append({"source": len(images) - 1, "sampler": 0})
        material_of[plate] = len(materials)
        materials.append(
            {
                "name": plate_names[plate],
                "doubleSided": True,
                "extensions": {"KHR_materials_unlit": {}},
                "alphaMode": "BLEND" if texture.alpha else "OPAQUE",
                "pbrMetallicRoughness": {
                    "baseColorTexture": {"index": len(textures) - 1},
                    "metallicFactor": 0,
                    "roughnessFactor": 1,
                },
            }
        )
    if any(p.plate is None for p in scene.patches):
        material_of[None] = len(materials)
        materials.append(
            {
                "name": "bare",
                "doubleSided": True,
                "extensions": {"KHR_materials_unlit": {}},
                "pbrMetallicRoughness": {
                    "baseColorFactor": [0.21, 0.21, 0.21, 1],
                    "metallicFactor": 0,
                    "roughnessFactor": 1,
                },
            }
        )
    meshes, nodes = [], []
    for solid in dict.fromkeys(p.solid for p in scene.patches):
        primitives = []
        for patch in (p for p in scene.patches if p.solid == solid):
            attributes = {"POSITION": accessor(patch.corners.reshape(-1, 3), "VEC3", 34962, True)}
            if patch.plate is not None:
                attributes["TEXCOORD_0"] = accessor(patch.uv.reshape(-1, 2), "VEC2", 34962)
            primitives.append({"attributes": attributes, "material": material_of[patch.plate], "mode": 4})
        meshes.append({"name": names[solid], "primitives": primitives})
        nodes.append({"name": names[solid], "mesh": len(meshes) - 1})
    times, positions, turns = _camera_tracks(scene)
    view = scene.frames[0].view
    d = scene.shot.delivery
    camera = len(nodes)
    nodes.append({"name": "lens", "camera": 0, "translation": positions[0].tolist(), "rotation": turns[0].tolist()})
    time = accessor(times[:, None], "SCALAR", bounds=True)
    document = {
        "asset": {"version": "2.0", "generator": f"Roof Line {__version__}"},
        "extensionsUsed": ["KHR_materials_unlit"],
        "scene": 0,
        "scenes": [{"name": scene.shot.name, "nodes": list(range(len(nodes)))}],
        "nodes": nodes,
        "meshes": meshes,
        "materials": materials,
        "cameras": [
            {
                "name": "lens",
                "type": "perspective",
                "perspective": {
                    "yfov": 2 * float(np.arctan(d.height / 2 / view.focal)),
                    "aspectRatio": d.width / d.height,
                    "znear": 0.05,
                },
                "extras": {
                    "focal_px": [float(m.view.focal) for m in scene.frames],
                    "fps": d.fps,
                    "first_frame": int(scene.frames[0].frame),
                    "principal_point": list(view.centre),
                },
            }
        ],
        "animations": [
            {
                "name": "move",
                "samplers": [
                    {"input": time, "output": accessor(positions, "VEC3"), "interpolation": "LINEAR"},
                    {"input": time, "output": accessor(turns, "VEC4"), "interpolation": "LINEAR"},
                ],
                "channels": [
                    {"sampler": 0, "target": {"node": camera, "path": "translation"}},
                    {"sampler": 1, "target": {"node": camera, "path": "rotation"}},
                ],
            }
        ],
        "accessors": accessors,
        "bufferViews": views,
    }
    if images:
        document |= {
            "images": images,
            "textures": textures,
            "samplers": [{"magFilter": 9729, "minFilter": 9987, "wrapS": 33071, "wrapT": 33071}],
        }
    blob.extend(b"\0" * (-len(blob) % 4))
    if out.suffix.lower() == ".gltf":
        document["buffers"] = [
            {"byteLength": len(blob), "uri": "data:application/octet-stream;base64," + base64.b64encode(blob).decode()}
        ]
        _finish(out, json.dumps(document, allow_nan=False).encode())
        return [out]
    document["buffers"] = [{"byteLength": len(blob)}]
    text = json.dumps(document, allow_nan=False).encode()
    text += b" " * (-len(text) % 4)
    total = 12 + 8 + len(text) + 8 + len(blob)
    _finish(
        out,
        struct.pack("<4sII", b"glTF", 2, total)
        + struct.pack("<I4s", len(text), b"JSON")
        + text
        + struct.pack("<I4s", len(blob), b"BIN\0")
        + bytes(blob),
    )
    return [out]


def _finish(path: Path, data: bytes) -> None:
    part = path.with_name(path.name + ".part")
    part.write_bytes(data)
    os.replace(part, path)


def _texture_files(scene: SceneOut, out: Path) -> dict[str, Path]:
    """Where the pictures go that lie beside a scene file, by plate; none of them is there yet.

    Their names are plain: what an id may hold (``@``, quotes), a path in a scene file may not.
    """
    taken: set[str] = set()
    files = {
        plate: out.with_name(slug(f"{out.stem}-{plate}", taken, texture.suffix))
        for plate, texture in scene.textures.items()
    }
    _all_new(*files.values())
    return files


def _all_new(*files: Path) -> None:
    for path in files:
        if path.exists():
            raise FormatError(f"{path.name} is there already; nothing was overwritten.")


def _save_textures(scene: SceneOut, files: dict[str, Path]) -> None:
    for plate, path in files.items():
        path.write_bytes(scene.textures[plate].data)


def _write_obj(scene: SceneOut, out: Path) -> list[Path]:
    files = _texture_files(scene, out)
    mtl = out.with_suffix(".mtl")
    _all_new(mtl)
    _save_textures(scene, files)
    lines = []
    for plate, path in files.items():
        lines += [f"newmtl {plate}", "Kd 1 1 1", f"map_Kd {path.name}"]
        if scene.textures[plate].alpha:
            lines.append(f"map_d -imfchan m {path.name}")
    mtl.write_text("\n".join([*lines, "newmtl bare", "Kd 0.5 0.5 0.5", ""]))
    body = [
        f"# Roof Line {__version__}: {scene.shot.name}; metres, Y up. The camera is not part of OBJ.",
        f"mtllib {mtl.name}",
    ]
    n = 1
    for patch in scene.patches:
        body += [f"o {patch.solid}.{patch.plate or 'bare'}", f"usemtl {patch.plate or 'bare'}"]
        body += ["v {:.6f} {:.6f} {:.6f}".format(*p) for p in patch.corners.reshape(-1, 3)]
        body += [f"vt {u:.7f} {1 - v:.7f}" for u, v in patch.uv.reshape(-1, 2)]
        for t in range(len(patch.corners)):
            a = n + 3 * t
            body.append(f"f {a}/{a} {a + 1}/{a + 1} {a + 2}/{a + 2}")
        n += 3 * len(patch.corners)
    _finish(out, ("\n".join(body) + "\n").encode())
    return [out, mtl, *files.values()]


def _write_usda(scene: SceneOut, out: Path) -> list[Path]:
    files = _texture_files(scene, out)
    _save_textures(scene, files)
    prims = prim_names([*files, *{p.solid for p in scene.patches}])
    d = scene.shot.delivery
    first, last = int(scene.frames[0].frame), int(scene.frames[-1].frame)
    text = [
        "#usda 1.0",
        "(",
        '    defaultPrim = "shot"',
        "    metersPerUnit = 1",
        '    upAxis = "Y"',
        f"    startTimeCode = {first}",
        f"    endTimeCode = {last}",
        f"    timeCodesPerSecond = {d.fps:g}",
        ")",
        "",
        'def Xform "shot"',
        "{",
    ]
    back = d.width * 0.01  # film back such that one delivered pixel is a hundredth of a unit
    text += [
        '    def Camera "lens"',
        "    {",
        f"        float horizontalAperture = {back:.6g}",
        f"        float verticalAperture = {d.height * 0.01:.6g}",
        f"        float horizontalApertureOffset = {(d.width / 2 - scene.frames[0].view.centre[0]) * 0.01:.6g}",
        f"        float verticalApertureOffset = {(scene.frames[0].view.centre[1] - d.height / 2) * 0.01:.6g}",
        "        float2 clippingRange = (0.05, 100000)",
        "        float focalLength.timeSamples = {",
    ]
    text += [f"            {int(m.frame)}: {m.view.focal * 0.01:.8g}," for m in scene.frames]
    text += ["        }", "        matrix4d xformOp:transform.timeSamples = {"]
    for f, v in ((int(m.frame), m.view) for m in scene.frames):
        m = np.eye(4)
        m[:3, :3] = (v.rotation.T @ FLIP).T
        m[3, :3] = v.position
        text.append(
            f"            {f}: ( " + ", ".join("(" + ", ".join(f"{x:.9g}" for x in row) + ")" for row in m) + " ),"
        )
    text += ["        }", '        uniform token[] xformOpOrder = ["xformOp:transform"]', "    }"]
    for plate, path in files.items():
        safe = prims[plate]
        text += [
            f'    def Material "plate_{safe}"',
            "    {",
            f"        token outputs:surface.connect = </shot/plate_{safe}/surface.outputs:surface>",
            '        def Shader "surface"',
            "        {",
            '            uniform token info:id = "UsdPreviewSurface"',
            "            color3f inputs:diffuseColor = (0, 0, 0)",
            f"            color3f inputs:emissiveColor.connect = </shot/plate_{safe}/picture.outputs:rgb>",
            f"            float inputs:opacity.connect = </shot/plate_{safe}/picture.outputs:a>"
            if scene.textures[plate].alpha
            else "            float inputs:opacity = 1",
            "            float inputs:roughness = 1",
            "            token outputs:surface",
            "        }",
            '        def Shader "picture"',
            "        {",
            '            uniform token info:id = "UsdUVTexture"',
            f"            asset inputs:file = @{path.name}@",
            '            token inputs:sourceColorSpace = "sRGB"',
            f"            float2 inputs:st.connect = </shot/plate_{safe}/st.outputs:result>",
            "            float3 outputs:rgb",
            "            float outputs:a",
            "        }",
            '        def Shader "st"',
            "        {",
            '            uniform token info:id = "UsdPrimvarReader_float2"',
            '            string inputs:varname = "st"',
            "            float2 outputs:result",
            "        }",
            "    }",
        ]
    for i, patch in enumerate(scene.patches):
        count = len(patch.corners)
        points = ", ".join("({:.6f}, {:.6f}, {:.6f})".format(*p) for p in patch.corners.reshape(-1, 3))
        st = ", ".join(f"({u:.7f}, {1 - v:.7f})" for u, v in patch.uv.reshape(-1, 2))
        text += [
            f'    def Mesh "{prims[patch.solid]}_{i}"'
            + (' (prepend apiSchemas = ["MaterialBindingAPI"])' if patch.plate is not None else ""),
            "    {",
            "        uniform bool doubleSided = 1",
            '        uniform token subdivisionScheme = "none"',
            f"        int[] faceVertexCounts = [{', '.join(['3'] * count)}]",
            f"        int[] faceVertexIndices = [{', '.join(map(str, range(3 * count)))}]",
            f"        point3f[] points = [{points}]",
            f'        texCoord2f[] primvars:st = [{st}] (interpolation = "vertex")',
        ]
        if patch.plate is not None:
            text.append(f"        rel material:binding = </shot/plate_{prims[patch.plate]}>")
        text.append("    }")
    text += ["}", ""]
    _finish(out, "\n".join(text).encode())
    return [out, *files.values()]


def prim_names(names: Iterable[str]) -> dict[str, str]:
    """USD identifiers for names: letters, digits and underscores, not beginning with a digit, no two alike."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for name in dict.fromkeys(names):
        plain = "".join(c if c.isalnum() and c.isascii() else "_" for c in name)
        base = plain if plain and not plain[0].isdigit() else f"_{plain}"
        ident, n = base, 2
        while ident in taken:
            ident, n = f"{base}_{n}", n + 1
        taken.add(ident)
        found[name] = ident
    return found
