"""glTF 2.0, as one file: .glb, or .gltf with everything in it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pygltflib as g
from numpy.typing import NDArray

from roofline import __version__
from roofline.core.camera import Array, View
from roofline.formats.scenes.scene import Piece, SceneOut, Surface, centred, quaternion_of

UNLIT = "KHR_materials_unlit"
CLAMP, LINEAR, MIPS = 33071, 9729, 9987
FLOAT, SHORT, WORD = 5126, 5123, 5125
POINTS, INDICES = 34962, 34963
MODES = {"opaque": "OPAQUE", "mask": "MASK", "blend": "BLEND"}


class _Writer:
    """A document in the making, and its one buffer."""

    def __init__(self, scene: SceneOut):
        self.scene = scene
        self.doc = g.GLTF2(
            asset=g.Asset(version="2.0", generator=f"Roof Line {__version__}"), extensionsUsed=[UNLIT], scene=0
        )
        self.blob = bytearray()
        self.materials: dict[str | None, int] = {}
        self.times = -1  # the accessor of the frames' times, once something moves

    def view(self, data: bytes, target: int | None = None) -> int:
        self.blob.extend(b"\0" * (-len(self.blob) % 4))
        at = g.BufferView(buffer=0, byteOffset=len(self.blob), byteLength=len(data), target=target)
        self.doc.bufferViews.append(at)
        self.blob.extend(data)
        return len(self.doc.bufferViews) - 1

    def accessor(self, values: NDArray, kind: str, target: int | None = None, bounds: bool = False) -> int:
        if target == INDICES:
            many = values.max(initial=0) > 65_534
            component, v = (WORD, values.astype("<u4")) if many else (SHORT, values.astype("<u2"))
        else:
            component, v = FLOAT, np.ascontiguousarray(values, dtype="<f4")
        entry = g.Accessor(bufferView=self.view(v.tobytes(), target), componentType=component, count=len(v), type=kind)
        if bounds:
            flat = v.reshape(len(v), -1)
            entry.min, entry.max = flat.min(0).tolist(), flat.max(0).tolist()
        self.doc.accessors.append(entry)
        return len(self.doc.accessors) - 1

    def material(self, key: str | None) -> int:
        """The material of a picture, or of what nothing is thrown on: that is not to be seen."""
        if key in self.materials:
            return self.materials[key]
        shading = g.PbrMetallicRoughness(metallicFactor=0.0, roughnessFactor=1.0)
        name, mode = "bare", "MASK"
        if key is None:
            shading.baseColorFactor = [0.5, 0.5, 0.5, 0.0]
        else:
            image = self.scene.images[key]
            name, mode = image.name, MODES[image.alpha]
            self.doc.images.append(g.Image(name=name, mimeType=image.mime, bufferView=self.view(image.data)))
            self.doc.textures.append(g.Texture(source=len(self.doc.images) - 1, sampler=0))
            shading.baseColorTexture = g.TextureInfo(index=len(self.doc.textures) - 1)
        made = g.Material(
            name=name, doubleSided=True, alphaMode=mode, pbrMetallicRoughness=shading, extensions={UNLIT: {}}
        )
        made.alphaCutoff = 0.5 if mode == "MASK" else None
        self.doc.materials.append(made)
        self.materials[key] = len(self.doc.materials) - 1
        return self.materials[key]

    def node(self, **given: object) -> int:
        self.doc.nodes.append(g.Node(**given))
        return len(self.doc.nodes) - 1

    def surface(self, surface: Surface, pivot: Array) -> g.Primitive:
        attributes = g.Attributes(POSITION=self.accessor(surface.points - pivot, "VEC3", POINTS, True))
        if surface.uv is not None:
            attributes.TEXCOORD_0 = self.accessor(surface.uv, "VEC2", POINTS)
        if surface.normal is not None:
            normals = np.repeat(surface.normal[None], len(surface.points), axis=0)
            attributes.NORMAL = self.accessor(normals, "VEC3", POINTS)
        indices = self.accessor(surface.triangles.ravel(), "SCALAR", INDICES)
        extras = {"face": surface.name}
        return g.Primitive(
            attributes=attributes, indices=indices, material=self.material(surface.image), mode=4, extras=extras
        )

    def piece(self, piece: Piece) -> int:
        """A node with its pivot at the piece's foot, and its faces."""
        pivot = piece.pivot
        primitives = [self.surface(s, pivot) for s in piece.surfaces]
        self.doc.meshes.append(g.Mesh(name=piece.name, primitives=primitives))
        extras: dict[str, object] = {"id": piece.id} | ({"hidden": True} if piece.hidden else {})
        tracks, where = self.scene.tracks(piece), {"translation": pivot.tolist()}
        if tracks is not None:
            where = {"translation": tracks.positions[0].tolist(), "rotation": tracks.turns[0].tolist()}
            where["scale"] = [float(tracks.scales[0])] * 3
            if tracks.fades:  # plain glTF moves no opacity
                extras["opacity_by_frame"] = tracks.opacities.tolist()
        node = self.node(name=piece.name, mesh=len(self.doc.meshes) - 1, extras=extras, **where)
        if tracks is not None:
            scales = np.repeat(tracks.scales[:, None], 3, axis=1)
            self.animate(node, {"translation": tracks.positions, "rotation": tracks.turns, "scale": scales})
        return node

    def camera(self, name: str, view: View, extras: dict) -> int:
        """A camera that looks along the axis: where the principal point is not in the middle, with a larger frame.

        How the view's own frame is cut out of that is stated: a reader of plain glTF knows no principal point.
        """
        wide, tall, (left, top) = centred(view)
        near, far = self.scene.clipping()
        stated = {
            "focal_px": float(view.focal),
            "principal_point": list(view.centre),
            "frame": [view.width, view.height],
            "crop": {"left": left, "top": top, "width": view.width, "height": view.height, "of": [wide, tall]},
        }
        lens = g.Perspective(
            yfov=2 * float(np.arctan(tall / 2 / view.focal)), aspectRatio=wide / tall, znear=near, zfar=far
        )
        self.doc.cameras.append(g.Camera(name=name, type="perspective", perspective=lens, extras=stated | extras))
        where = {"translation": np.asarray(view.position).tolist(), "rotation": quaternion_of(view).tolist()}
        return self.node(name=name, camera=len(self.doc.cameras) - 1, **where)

    def animate(self, node: int, values: dict[str, Array]) -> None:
        """A node's part of the one animation, by what of it changes: a value for every frame."""
        if not self.doc.animations:
            self.doc.animations.append(g.Animation(name="move", samplers=[], channels=[]))
            self.times = self.accessor(self.scene.times()[:, None], "SCALAR", bounds=True)
        move = self.doc.animations[0]
        for path, track in values.items():
            output = self.accessor(track, f"VEC{track.shape[1]}")
            move.samplers.append(g.AnimationSampler(input=self.times, output=output, interpolation="LINEAR"))
            target = g.AnimationChannelTarget(node=node, path=path)
            move.channels.append(g.AnimationChannel(sampler=len(move.samplers) - 1, target=target))

    def move(self, node: int) -> None:
        """The animation of the camera."""
        positions, turns = self.scene.camera_tracks()
        self.animate(node, {"translation": positions, "rotation": turns})


def write_gltf(scene: SceneOut, out: Path) -> list[Path]:
    """Write a scene as one glTF file."""
    writer, frames, d = _Writer(scene), scene.frames, scene.shot.delivery
    top: list[int] = []
    groups: dict[str, list[int]] = {}
    for piece in scene.pieces:
        node = writer.piece(piece)
        (groups.setdefault(piece.group, []) if piece.group else top).append(node)
    top += [writer.node(name=name, children=children, extras={"group": True}) for name, children in groups.items()]
    moving = {
        "fps": d.fps,
        "first_frame": int(frames[0].frame),
        "focal_px_by_frame": [float(m.view.focal) for m in frames],
    }
    lens = writer.camera("lens", frames[0].view, moving)
    top.append(lens)
    top += [writer.camera(f"Photo {name}", view, {}) for name, view in scene.photographers.items()]
    writer.move(lens)
    if writer.doc.textures:
        writer.doc.samplers.append(g.Sampler(magFilter=LINEAR, minFilter=MIPS, wrapS=CLAMP, wrapT=CLAMP))
    writer.doc.scenes.append(g.Scene(name=scene.shot.name, nodes=top))
    writer.blob.extend(b"\0" * (-len(writer.blob) % 4))
    writer.doc.buffers.append(g.Buffer(byteLength=len(writer.blob)))
    writer.doc.set_binary_blob(bytes(writer.blob))
    if out.suffix.lower() == ".gltf":
        writer.doc.convert_buffers(g.BufferFormat.DATAURI)
        writer.doc.save_json(str(out))
    else:
        writer.doc.save_binary(str(out))
    return [out]
