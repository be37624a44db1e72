"""A reference for scenes: reads GLB and USD with other people's readers and casts rays by Embree."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pygltflib
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from PIL import Image
from pxr import Gf, Usd, UsdGeom, UsdShade

LAYERS = 8


def linear_of(display: np.ndarray) -> np.ndarray:
    return np.where(display <= 0.04045, display / 12.92, ((display + 0.055) / 1.055) ** 2.4)


@dataclass
class Picture:
    pixels: np.ndarray  # (H, W, 4) linear, straight
    mode: str

    @staticmethod
    def of(data: bytes, mode: str) -> Picture:
        given = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA")).astype(np.float64) / 255
        return Picture(np.dstack([linear_of(given[..., :3]), given[..., 3]]), mode)

    def at(self, uv: np.ndarray) -> np.ndarray:
        """Bilinear, clamped: (N, 2) from the top left → (N, 4)."""
        h, w = self.pixels.shape[:2]
        x, y = np.clip(uv[:, 0] * w - 0.5, 0, w - 1), np.clip(uv[:, 1] * h - 0.5, 0, h - 1)
        i, j = np.floor(x).astype(int), np.floor(y).astype(int)
        i2, j2 = np.minimum(i + 1, w - 1), np.minimum(j + 1, h - 1)
        fx, fy = (x - i)[:, None], (y - j)[:, None]
        p = self.pixels
        out = (p[j, i] * (1 - fx) + p[j, i2] * fx) * (1 - fy) + (p[j2, i] * (1 - fx) + p[j2, i2] * fx) * fy
        if self.mode == "MASK":
            out[:, 3] = out[:, 3] >= 0.5
        if self.mode == "OPAQUE":
            out[:, 3] = 1
        return out


@dataclass
class Scene:
    triangles: list[np.ndarray] = field(default_factory=list)  # (T, 3, 3) world
    uv: list[np.ndarray] = field(default_factory=list)  # (T, 3, 2)
    pictures: list[Picture | None] = field(default_factory=list)

    def add(self, points: np.ndarray, uv: np.ndarray | None, index: np.ndarray, picture: Picture | None) -> None:
        self.triangles.append(points[index])
        self.uv.append(uv[index] if uv is not None else np.zeros((len(index), 3, 2)))
        self.pictures.append(picture)

    def render(self, position: np.ndarray, rays: np.ndarray) -> np.ndarray:
        """Picture (N, 4), linear and premultiplied, along rays (N, 3) from a position."""
        embree = rtcore_scene.EmbreeScene()
        corners = np.concatenate(self.triangles)
        TriangleMesh(embree, corners.astype(np.float32))
        uv = np.concatenate(self.uv)
        owner = np.repeat(np.arange(len(self.triangles)), [len(t) for t in self.triangles])
        out, through = np.zeros((len(rays), 4)), np.ones(len(rays))
        directions = rays / np.linalg.norm(rays, axis=1, keepdims=True)
        start = np.broadcast_to(position, rays.shape).copy()
        for _ in range(LAYERS):
            live = np.flatnonzero(through > 1e-3)
            if not len(live):
                break
            got = embree.run(start[live].astype(np.float32), directions[live].astype(np.float32), output=1)
            hit = got["primID"] >= 0
            through[live[~hit]] = 0
            live, prim = live[hit], got["primID"][hit]
            # exact places on the plane: single precision would shift large faces' pictures
            a, b, c = (corners[prim, i] for i in range(3))
            normal = np.cross(b - a, c - a)
            slope = np.einsum("ij,ij->i", normal, directions[live])
            t = np.einsum("ij,ij->i", normal, a - start[live]) / np.where(np.abs(slope) < 1e-12, 1e-12, slope)
            spot, size = start[live] + directions[live] * t[:, None], np.einsum("ij,ij->i", normal, normal)
            v = np.einsum("ij,ij->i", np.cross(spot - a, c - a), normal) / size
            w = np.einsum("ij,ij->i", np.cross(b - a, spot - a), normal) / size
            at = uv[prim, 0] * (1 - v - w)[:, None] + uv[prim, 1] * v[:, None] + uv[prim, 2] * w[:, None]
            colour = np.zeros((len(live), 4))
            for number in np.unique(owner[prim]):
                mine, picture = owner[prim] == number, self.pictures[number]
                if picture is not None:
                    colour[mine] = picture.at(at[mine])
            share = (through[live] * colour[:, 3])[:, None]
            out[live] += share * np.c_[colour[:, :3], np.ones(len(live))]
            through[live] *= 1 - colour[:, 3]
            start[live] = spot + directions[live] * 1e-4
        return out


def read_glb(path: Path) -> tuple[Scene, pygltflib.GLTF2]:
    """A GLB's triangles and pictures in the world."""
    g = pygltflib.GLTF2().load(str(path))
    blob, scene = g.binary_blob(), Scene()
    kinds = {5126: "<f4", 5123: "<u2", 5125: "<u4"}
    wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}

    def array(i: int) -> np.ndarray:
        a = g.accessors[i]
        start = (g.bufferViews[a.bufferView].byteOffset or 0) + (a.byteOffset or 0)
        return np.frombuffer(blob, kinds[a.componentType], a.count * wide[a.type], start).reshape(-1, wide[a.type])

    pictures: dict[int, Picture | None] = {}
    for i, material in enumerate(g.materials):
        texture, pictures[i] = material.pbrMetallicRoughness.baseColorTexture, None
        if texture is not None:
            view = g.bufferViews[g.images[g.textures[texture.index].source].bufferView]
            data = blob[view.byteOffset : view.byteOffset + view.byteLength]
            pictures[i] = Picture.of(data, material.alphaMode or "OPAQUE")

    def visit(number: int, shift: np.ndarray) -> None:
        node = g.nodes[number]
        here = shift + np.array(node.translation or [0, 0, 0])
        for p in g.meshes[node.mesh].primitives if node.mesh is not None else []:
            uv = array(p.attributes.TEXCOORD_0).astype(float) if p.attributes.TEXCOORD_0 is not None else None
            points = array(p.attributes.POSITION).astype(float) + here
            scene.add(points, uv, array(p.indices).ravel().reshape(-1, 3).astype(int), pictures[p.material])
        for child in node.children or []:
            visit(child, here)

    for top in g.scenes[0].nodes:
        visit(top, np.zeros(3))
    return scene, g


def glb_rays(g: pygltflib.GLTF2, frame: int) -> tuple[np.ndarray, np.ndarray, tuple[int, int]]:
    """Position, rays (N, 3) and size of a frame (its number from 0) by the first camera and the animation."""
    node = next(n for n in g.nodes if n.camera == 0)
    blob, animation = g.binary_blob(), g.animations[0]
    values = {}
    for channel in animation.channels:
        a = g.accessors[animation.samplers[channel.sampler].output]
        count = 3 if a.type == "VEC3" else 4
        start = g.bufferViews[a.bufferView].byteOffset
        values[channel.target.path] = np.frombuffer(blob, "<f4", a.count * count, start).reshape(-1, count)[frame]
    assert g.nodes[animation.channels[0].target.node] is node
    camera, extras = g.cameras[0].perspective, g.cameras[0].extras
    crop = extras["crop"]
    wide, tall = crop["of"]
    scale = np.tan(camera.yfov / 2) / (tall / 2) * extras["focal_px"] / extras["focal_px_by_frame"][frame]
    y, x = np.mgrid[0 : crop["height"], 0 : crop["width"]] + 0.5
    local = np.stack(
        [(x + crop["left"] - wide / 2) * scale, -(y + crop["top"] - tall / 2) * scale, -np.ones_like(x)], axis=-1
    )
    a, b, c, d = values["rotation"].astype(float)
    turn = np.array(
        [
            [1 - 2 * (b * b + c * c), 2 * (a * b - c * d), 2 * (a * c + b * d)],
            [2 * (a * b + c * d), 1 - 2 * (a * a + c * c), 2 * (b * c - a * d)],
            [2 * (a * c - b * d), 2 * (b * c + a * d), 1 - 2 * (a * a + b * b)],
        ]
    )
    return values["translation"].astype(float), local.reshape(-1, 3) @ turn.T, (crop["width"], crop["height"])


def read_usd(path: Path) -> tuple[Scene, Usd.Stage]:
    """A USD stage's triangles and pictures in the world."""
    stage, scene = Usd.Stage.Open(str(path)), Scene()
    pictures: dict[str, Picture | None] = {}
    for prim in stage.Traverse():
        if not prim.IsA(UsdGeom.Mesh):
            continue
        mesh = UsdGeom.Mesh(prim)
        to_world = UsdGeom.XformCache().GetLocalToWorldTransform(prim)
        points = np.array([tuple(to_world.Transform(Gf.Vec3d(*map(float, p)))) for p in mesh.GetPointsAttr().Get()])
        index = np.array(mesh.GetFaceVertexIndicesAttr().Get()).reshape(-1, 3)
        st = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st")
        uv = np.array(st.Get(), dtype=float) * [1, -1] + [0, 1] if st else None
        material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        key = str(material.GetPath())
        if key not in pictures:
            pictures[key] = None
            surface = material.ComputeSurfaceSource()[0]
            emissive = surface.GetInput("emissiveColor")
            if emissive and emissive.HasConnectedSource():
                texture = UsdShade.Shader(emissive.GetConnectedSource()[0].GetPrim())
                opacity, threshold = surface.GetInput("opacity"), surface.GetInput("opacityThreshold")
                mode = "OPAQUE" if not opacity.HasConnectedSource() else ("MASK" if threshold else "BLEND")
                pictures[key] = Picture.of(Path(texture.GetInput("file").Get().resolvedPath).read_bytes(), mode)
        scene.add(points, uv, index, pictures[key])
    return scene, stage


def usd_rays(stage: Usd.Stage, frame: float, size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """Position and rays (N, 3) of a frame by its time code."""
    frustum = UsdGeom.Camera(stage.GetPrimAtPath("/shot/lens")).GetCamera(frame).frustum
    window = frustum.GetWindow()
    low, high = np.array(window.GetMin()), np.array(window.GetMax())
    y, x = np.mgrid[0 : size[1], 0 : size[0]] + 0.5
    local = np.stack(
        [
            low[0] + (high[0] - low[0]) * x / size[0],
            high[1] - (high[1] - low[1]) * y / size[1],
            -np.ones_like(x),
        ],
        axis=-1,
    ).reshape(-1, 3)
    turn = np.array(Gf.Matrix3d(frustum.GetRotation()))
    return np.array(frustum.GetPosition()), local @ turn
