"""Scenes for the next program, read back by other people's readers."""

from __future__ import annotations

import base64
import json
from dataclasses import replace

import numpy as np
import pygltflib
import pytest
import trimesh
from pxr import Sdf, Usd, UsdGeom, UsdShade
from tests.conftest import houses, key_of, looking, photographed

from roofline.core.camera import matrix_to_quaternion
from roofline.core.handoff.unwrap import unwrap
from roofline.core.massing.kinds import Block, Flat, Ground
from roofline.core.moment import still
from roofline.core.move.focus import focus_at, pixel_mm
from roofline.core.move.path import Path, moments
from roofline.core.throw.engine import engine_of
from roofline.errors import FormatError
from roofline.formats import scenes
from roofline.formats.pictures import png, read, to_linear
from roofline.formats.scenes.scene import Piece, prim_names
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Move
from roofline.model.plates import Throw
from roofline.work.engines import Engines
from roofline.work.kept import Kept
from roofline.work.scene import gather, texture_of

PLATE = looking(320, 200, 260, 20, -5, (0, 1.7, 0))
END = looking(160, 100, 140, 30, -8, (1.0, 2.0, -1.0))


@pytest.fixture(scope="module")
def scene():
    shot, pictures = houses(8, [key_of(looking(160, 100, 130, 20, -5, (0, 1.7, 0)), 1), key_of(END, 8)])
    engine = engine_of(shot, pictures)
    data = png((pictures["plate"].colour() * 255).astype(np.uint8))
    return shot, engine, gather(shot, engine, moments(shot), lambda name: data)


def test_texture_coordinates_keep_the_picture_in_place(scene):
    """Interpolated in the middle of every edge, they stray less than a pixel from the exact projection."""
    shot, engine, _ = scene
    patches = [p for p in unwrap(engine) if p.plate]
    worst = 0.0
    for p in patches:
        middle = p.corners.mean(1)
        exact = PLATE.project(middle)
        uv = p.uv.mean(1) * [320, 200]
        inside = ((exact > 0) & (exact < [320, 200])).all(1)
        worst = max(worst, np.abs(uv - exact)[inside].max())
    assert worst < 1.0
    assert sum(len(p.corners) for p in patches) > 50


def test_patches_carry_a_plate_exactly_where_it_reaches(scene):
    shot, engine, _ = scene
    for p in unwrap(engine):
        for c in p.corners[:: max(1, len(p.corners) // 12)]:
            m = c.mean(0)
            if PLATE.homogeneous(m)[2] <= 0.1:
                assert p.plate is None
                continue
            u = PLATE.project(m)
            story = engine.probe(still(PLATE), tuple(u)) if (u > 0).all() and (u < [320, 200]).all() else None
            if story and np.linalg.norm(np.array(story.world or (1e9,) * 3) - m) < 1e-3:
                assert p.plate == "plate"


def test_photos_as_they_are_lie_in_place_or_are_refused(scene, monkeypatch):
    """Half a pixel at most, the ground under the camera included; what cannot be cut so finely is named."""
    shot, engine, _ = scene
    data = png(np.full((200, 320, 3), 90, np.uint8))
    made = gather(shot, engine, moments(shot), lambda name: data, "photo")
    assert set(made.images) == {"plate"} and made.images["plate"].data == data
    assert max(p.stray for p in unwrap(engine)) <= 0.5
    monkeypatch.setattr("roofline.core.handoff.unwrap.MAX_SPLITS", 2)
    with pytest.raises(FormatError, match="On 'Ground' a plate would lie .* px off"):
        gather(shot, engine, moments(shot), lambda name: data, "photo")


@pytest.mark.parametrize(("depth", "suffix"), [("png16", ".png"), ("exr", ".exr")])
def test_faces_pictures_may_be_deeper(scene, tmp_path, depth, suffix):
    shot, engine, eight = scene
    deep = gather(shot, engine, moments(shot), lambda name: b"", "faces", depth)
    key = "house/front#1"
    assert deep.images[key].suffix == suffix
    a, b = (to_linear(read(made.images[key].data)) for made in (eight, deep))
    assert a.shape == b.shape and np.abs(a[..., :3] - b[..., :3]).max() < 0.01
    assert len(np.unique(b[..., 0])) > 2 * len(np.unique(a[..., 0]))
    if depth == "exr":
        with pytest.raises(FormatError, match="glTF holds PNG"):
            scenes.write_scene(deep, tmp_path / "a.glb")
    assert Usd.Stage.Open(str(scenes.write_scene(deep, tmp_path / "a.usda")[0]))


def test_area_is_neither_lost_nor_doubled(scene):
    _, engine, _ = scene
    area = {}
    for p in unwrap(engine):
        a = (
            np.linalg.norm(np.cross(p.corners[:, 1] - p.corners[:, 0], p.corners[:, 2] - p.corners[:, 0]), axis=1).sum()
            / 2
        )
        area[p.solid] = area.get(p.solid, 0) + a
    assert area["ground"] == pytest.approx(3600)
    assert area["house"] == pytest.approx(2 * (4 * 3 + 4 * 3 + 3 * 3))


@pytest.mark.parametrize("suffix", ["glb", "gltf"])
def test_gltf_holds_meshes_textures_and_the_moving_camera(scene, tmp_path, suffix):
    shot, _, out = scene
    path = tmp_path / f"scene.{suffix}"
    assert scenes.write_scene(out, path) == [path]
    g = pygltflib.GLTF2().load(str(path))
    blob = g.binary_blob() if suffix == "glb" else base64.b64decode(g.buffers[0].uri.split(",")[1])

    def array(i, columns):
        a = g.accessors[i]
        start = g.bufferViews[a.bufferView].byteOffset
        return np.frombuffer(blob, "<f4", a.count * columns, start).reshape(-1, columns)

    positions, turns = (array(s.output, c) for s, c in zip(g.animations[0].samplers, (3, 4), strict=True))
    assert len(positions) == 8
    assert np.allclose(positions[-1], END.position, atol=1e-6)
    want = matrix_to_quaternion(END.rotation.T @ np.diag([1, -1, -1]))[[1, 2, 3, 0]]
    assert abs(turns[-1] @ want) == pytest.approx(1, abs=1e-6)
    first = moments(shot)[0].view
    assert 2 * first.focal * np.tan(g.cameras[0].perspective.yfov / 2) == pytest.approx(100)
    assert array(g.animations[0].samplers[0].input, 1)[-1, 0] == pytest.approx(7 / 24)
    assert {m.name for m in g.meshes} == {"Ground", "House"}
    assert "House / front" in {m.name for m in g.materials} and g.images[0].bufferView is not None
    house = next(n for n in g.nodes if n.name == "House")
    assert house.translation == pytest.approx([3, 0, -10.5]) and house.extras["id"] == "house"
    assert len(array(next(m for m in g.meshes if m.name == "House").primitives[0].attributes.POSITION, 3)) == 4
    assert {c.name for c in g.cameras} == {"lens", "Photo photo"}
    loaded = trimesh.load(path, process=False)
    assert {"Ground", "House"} <= {n.split("_")[0] for n in loaded.graph.nodes_geometry} | set(loaded.graph.nodes)
    with pytest.raises(Exception, match="overwritten"):
        scenes.write_scene(out, path)


def test_usd_opens_with_the_camera_in_place(scene, tmp_path):
    shot, _, out = scene
    files = scenes.write_scene(out, tmp_path / "scene.usda")
    stage = Usd.Stage.Open(str(files[0]))
    assert UsdGeom.GetStageUpAxis(stage) == "Y" and UsdGeom.GetStageMetersPerUnit(stage) == 1
    camera = UsdGeom.Camera(stage.GetPrimAtPath("/shot/lens")).GetCamera(8)
    frustum = camera.frustum
    world = frustum.GetPosition()
    assert np.allclose(tuple(world), END.position, atol=1e-6)
    assert np.allclose(tuple(frustum.ComputeViewDirection()), END.rotation[2], atol=1e-6)
    # a world point projects to the same place as in our own view
    point = END.position + END.rays(np.array([120.0, 30.0])) * 5
    ndc = camera.frustum.ComputeViewMatrix() * camera.frustum.ComputeProjectionMatrix()
    p = ndc.Transform(tuple(point))
    assert np.allclose([(p[0] + 1) / 2 * 160, (1 - p[1]) / 2 * 100], (120, 30), atol=1e-2)
    meshes = [p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert len(meshes) == sum(len(p.surfaces) for p in out.pieces)
    assert {"House / front", "Ground / top 1"} & {p.GetDisplayName() for p in meshes}
    assert stage.GetFramesPerSecond() == 24 and all(UsdGeom.Mesh(p).GetExtentAttr().Get() for p in meshes)
    assert camera.horizontalAperture * 100 == pytest.approx(
        36 * out.shot.framing.scale * 160 / 320
    )  # millimetres, a unit being a metre


def test_obj_is_read_with_its_texture(scene, tmp_path):
    _, _, out = scene
    files = scenes.write_scene(out, tmp_path / "scene.obj")
    assert {f.suffix for f in files} == {".obj", ".mtl", ".png"}
    lines = files[0].read_text().splitlines()
    assert [x for x in lines if x.startswith("o ")] == ["o Ground", "o House"] and "g House / front" in lines
    loaded = trimesh.load(files[0], process=False)
    total = sum(g.area for g in loaded.geometry.values())
    assert total == pytest.approx(3600 + 66, rel=1e-4)
    assert json.dumps(str(files[2].name)) and files[2].name in (tmp_path / "scene.mtl").read_text()


def test_odd_ids_give_a_usd_that_opens_and_names_that_differ(scene, tmp_path):
    made = scene[2]
    names = ["1-front", "a-b", "a_b", "a@b", 'a"b', "ü", "9"]
    idents = prim_names(names)
    assert len(set(idents.values())) == len(names)
    assert all(Sdf.Path.IsValidIdentifier(i) for i in idents.values())
    (key, picture), *_ = made.images.items()
    surface = next(s for p in made.pieces for s in p.surfaces if s.image)
    pieces = [Piece(n, n, None, False, [replace(surface, name=f"{n} / {n}", image=n)]) for n in names]
    out = tmp_path / "odd.usda"
    written = scenes.write_scene(
        replace(made, pieces=pieces, images={n: replace(picture, name=f"{n} / top") for n in names}), out
    )
    stage = Usd.Stage.Open(str(out))
    assert stage and len([p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]) == len(names)
    assert all(path.is_file() and "@" not in path.name for path in written)
    shaders = [UsdShade.Shader(p) for p in stage.Traverse() if p.IsA(UsdShade.Shader)]
    files = [s.GetInput("file").Get().resolvedPath for s in shaders if s.GetInput("file")]
    assert len(files) == len(names) and all(files)


@pytest.mark.parametrize("suffix", [".obj", ".usda"])
def test_nothing_that_stands_beside_a_scene_is_overwritten(scene, tmp_path, suffix):
    first = scenes.write_scene(scene[2], tmp_path / f"set{suffix}")
    before = {path: path.read_bytes() for path in first}
    (tmp_path / f"set{suffix}").unlink()  # what lies beside it stays
    with pytest.raises(FormatError, match="nothing was overwritten"):
        scenes.write_scene(scene[2], tmp_path / f"set{suffix}")
    for path in first[1:]:
        assert path.read_bytes() == before[path]
    assert not (tmp_path / f"set{suffix}").exists()


def test_a_plate_keeps_its_own_alpha(scene):
    shot = scene[0]
    clear = np.zeros((200, 320, 4), np.uint8)
    clear[:, 60:] = (200, 100, 50, 255)
    for stored in (clear, clear.astype(np.uint16) * 257):
        held = Engines(lambda name, stored=stored: png(stored), Kept())
        texture = texture_of(shot, shot.plates[0], held.read, held.engine(shot))
        assert texture.alpha == "blend" and texture.suffix == ".png"
        assert (read(texture.data) == clear).all()
    held = Engines(lambda name: png(clear[..., :3]), Kept())
    opaque = texture_of(shot, shot.plates[0], held.read, held.engine(shot))
    assert opaque.alpha == "opaque" and opaque.data == png(clear[..., :3])


def test_focus_goes_out_with_the_lens_and_blurs_as_many_pixels(scene, tmp_path):
    shot, engine, _ = scene
    keys = [shot.move.keys[0].model_copy(update={"focus_m": 4.0, "f_stop": 2.0}), shot.move.keys[1]]
    keys[1] = keys[1].model_copy(update={"focus_m": 12.0})
    shot = shot.model_copy(update={"move": Move(keys=keys)})
    out = gather(shot, engine, moments(shot), lambda name: b"", "faces")
    stage = Usd.Stage.Open(str(scenes.write_scene(out, tmp_path / "a.usda")[0]))
    lens = UsdGeom.Camera(stage.GetPrimAtPath("/shot/lens"))
    for frame, wanted in ((1, 4.0), (8, 12.0)):
        distance, stop = lens.GetFocusDistanceAttr().Get(frame), lens.GetFStopAttr().Get(frame)
        focal = lens.GetFocalLengthAttr().Get(frame) * 100  # tenths of a metre are a millimetre's hundredfold
        pitch = lens.GetHorizontalApertureAttr().Get() * 100 / 160  # millimetres of a pixel
        assert distance == pytest.approx(wanted)
        # how wide the far distance's cone is on the film: aperture · magnification, in pixels
        theirs = focal / stop * focal / (1000 * distance - focal) / pitch
        told = focus_at(shot, Path(keys, shot.home_px), frame, focal / pitch)
        own = focal / pitch * pixel_mm(shot)
        ours = own / told.f_stop * own / (1000 * told.focus_m - own) / pixel_mm(shot)
        assert theirs == pytest.approx(ours, rel=0.02)  # a longer lens focuses a little otherwise on what is near
    plain = scenes.write_scene(scene[2], tmp_path / "b.usda")[0]
    without = Usd.Stage.Open(str(plain))
    bare = UsdGeom.Camera(without.GetPrimAtPath("/shot/lens"))
    assert not bare.GetFStopAttr().HasAuthoredValue()


# ---------------------------------------------------------------- pieces that move


@pytest.fixture(scope="module")
def moving():
    """A block that slides, turns and grows, and a flat that fades, each with the set's own poses to compare with."""
    turned = (float(np.cos(0.4)), 0.0, float(np.sin(0.4)), 0.0)
    slide = Motion(keys=[MotionKey(frame=1), MotionKey(frame=8, offset=(2, 0, 1), rotation=turned, scale=1.5)])
    fade = Motion(keys=[MotionKey(frame=1), MotionKey(frame=8, opacity=0.25)])
    solids = [
        Ground(id="ground", name="Ground", size=(60, 60)),
        Block(id="cart", name="Cart", corner=(1, 0, -12), size=(4, 3, 3), motion=slide, group="Train"),
        Flat(id="mist", name="Mist", foot=(0, 0, -9), heading_deg=10, extent=(-2, 3, 0, 3), motion=fade),
    ]
    shot, pictures = photographed(
        PLATE,
        solids,
        [Throw(plate="plate", targets=["ground", "cart", "mist"])],
        delivery=Delivery(width=160, height=100, frames=8, fps=24),
        move=Move(keys=[key_of(looking(160, 100, 130, 20, -5, (0, 1.7, 0)), 1), key_of(END, 8)]),
    )
    frames = moments(shot)
    data = png((pictures["plate"].colour() * 255).astype(np.uint8))
    return frames, gather(shot, engine_of(shot, pictures), frames, lambda name: data)


def true_corners(frames, made, ident, frame):
    """Corners of a piece by the engine's own pose at a frame."""
    points = np.concatenate([s.points for s in next(p for p in made.pieces if p.id == ident).surfaces])
    pose = next(m for m in frames if m.frame == frame).poses[ident]
    return pose.shift + pose.scale * points @ pose.rotation.T


@pytest.mark.parametrize("frame", [1, 4, 8])
def test_usd_moves_what_moves(moving, tmp_path, frame):
    frames, made = moving
    scenes.write_scene(made, tmp_path / "s.usda")
    stage = Usd.Stage.Open(str(tmp_path / "s.usda"))
    holder = next(p for p in stage.Traverse() if p.GetDisplayName() == "Cart")
    corners = []
    for prim in Usd.PrimRange(holder):
        if prim.IsA(UsdGeom.Mesh):
            to_world = np.array(UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(frame))
            points = np.array(UsdGeom.Mesh(prim).GetPointsAttr().Get())
            corners.append(points @ to_world[:3, :3] + to_world[3, :3])
    assert np.allclose(np.concatenate(corners), true_corners(frames, made, "cart", frame), atol=1e-5)
    wanted = next(m for m in frames if m.frame == frame).poses["mist"].opacity
    shown = [
        float(UsdShade.Shader(p).GetInput("opacity").Get(frame) or UsdShade.Shader(p).GetInput("opacity").Get())
        for p in stage.Traverse()
        if p.GetName() == "surface" and "Mist" in p.GetParent().GetDisplayName()
        if UsdShade.Shader(p).GetInput("opacity").GetAttr().Get(frame) is not None
    ]
    scaled = [
        float(UsdShade.Shader(p).GetInput("scale").Get(frame)[3])
        for p in stage.Traverse()
        if p.GetName() == "picture"
        and "Mist" in p.GetParent().GetDisplayName()
        and UsdShade.Shader(p).GetInput("scale")
    ]
    assert [*shown, *scaled] and np.allclose([*shown, *scaled], wanted, atol=1e-6)


def test_gltf_moves_what_moves(moving, tmp_path):
    frames, made = moving
    scenes.write_scene(made, tmp_path / "s.glb")
    doc = pygltflib.GLTF2().load(str(tmp_path / "s.glb"))
    blob = doc.binary_blob()

    def values(index):
        a = doc.accessors[index]
        view = doc.bufferViews[a.bufferView]
        data = np.frombuffer(blob[view.byteOffset : view.byteOffset + view.byteLength], "<f4")
        return data.reshape(a.count, -1)

    node = next(i for i, n in enumerate(doc.nodes) if n.name == "Cart")
    move = doc.animations[0]
    tracks = {c.target.path: values(move.samplers[c.sampler].output) for c in move.channels if c.target.node == node}
    assert set(tracks) == {"translation", "rotation", "scale"} and len(doc.animations) == 1
    assert {c.target.node for c in move.channels} >= {node}
    piece = next(p for p in made.pieces if p.id == "cart")
    points = np.concatenate([s.points for s in piece.surfaces])
    for n, frame in enumerate((1, 2, 3, 4, 5, 6, 7, 8)):
        turn = trimesh.transformations.quaternion_matrix(np.roll(tracks["rotation"][n], 1))[:3, :3]
        there = tracks["translation"][n] + tracks["scale"][n] * (points - piece.pivot) @ turn.T
        assert np.allclose(there, true_corners(frames, made, "cart", frame), atol=1e-4)
    mist = next(n for n in doc.nodes if n.name == "Mist")
    assert mist.extras["opacity_by_frame"][-1] == pytest.approx(0.25)
