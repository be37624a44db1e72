"""USD as text (.usda), its pictures beside it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt

from roofline import __version__
from roofline.core.camera import Array, View
from roofline.core.move.focus import focus_at, pixel_mm
from roofline.core.move.path import shot_path
from roofline.formats.scenes.scene import FLIP, Image, Piece, SceneOut, Surface, image_files, prim_names

TENTH = 100.0  # millimetres in a tenth of a scene unit, which is a metre: apertures and focal lengths are given so


def _matrix(view: View) -> Gf.Matrix4d:
    m = np.eye(4)
    m[:3, :3] = (view.rotation.T @ FLIP).T
    m[3, :3] = view.position
    return Gf.Matrix4d(m.tolist())


def _camera(
    stage: Usd.Stage, path: str, name: str, scene: SceneOut, views: list[tuple[float | None, View]], mm: float
) -> None:
    """A camera for a time each, or for all times (None); ``mm``: millimetres of film back that a pixel of it takes."""
    camera, first = UsdGeom.Camera.Define(stage, path), views[0][1]
    camera.CreateHorizontalApertureAttr(first.width * mm / TENTH)
    camera.CreateVerticalApertureAttr(first.height * mm / TENTH)
    camera.CreateHorizontalApertureOffsetAttr((first.width / 2 - first.centre[0]) * mm / TENTH)
    camera.CreateVerticalApertureOffsetAttr((first.centre[1] - first.height / 2) * mm / TENTH)
    camera.CreateClippingRangeAttr(Gf.Vec2f(*scene.clipping()))
    focal, move = camera.CreateFocalLengthAttr(), camera.AddTransformOp()
    for time, view in views:
        at = Usd.TimeCode.Default() if time is None else Usd.TimeCode(time)
        focal.Set(view.focal * mm / TENTH, at)
        move.Set(_matrix(view), at)
    prim = camera.GetPrim()
    prim.SetDisplayName(name)
    prim.SetCustomDataByKey("filmBackMillimetres", Gf.Vec2f(first.width * mm, first.height * mm))


def _focus(camera: UsdGeom.Camera, scene: SceneOut) -> None:
    """Focus distance and f-stop of every frame, where keys have them."""
    shot, path = scene.shot, shot_path(scene.shot)
    for m in scene.frames:
        focus = focus_at(shot, path, m.frame, m.view.focal * m.view.unit)
        if focus is None:
            return
        camera.CreateFocusDistanceAttr().Set(focus.focus_m, Usd.TimeCode(int(m.frame)))
        if focus.f_stop is not None:
            camera.CreateFStopAttr().Set(focus.f_stop, Usd.TimeCode(int(m.frame)))


def _shader(stage: Usd.Stage, path: str, kind: str) -> UsdShade.Shader:
    shader = UsdShade.Shader.Define(stage, path)
    shader.CreateIdAttr(kind)
    return shader


def _material(
    stage: Usd.Stage, path: str, image: Image | None, file: Path | None, fade: dict[int, float]
) -> UsdShade.Material:
    """A material that shines with its picture; without one, what nothing is thrown on, which is not to be seen.

    ``fade``: how opaque it is besides, by frame, where that changes.
    """
    material = UsdShade.Material.Define(stage, path)
    surface = _shader(stage, f"{path}/surface", "UsdPreviewSurface")
    surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(0, 0, 0))
    surface.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(1.0)
    surface.CreateInput("specularColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(0, 0, 0))
    surface.CreateInput("useSpecularWorkflow", Sdf.ValueTypeNames.Int).Set(1)
    material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    opacity = surface.CreateInput("opacity", Sdf.ValueTypeNames.Float)
    if image is None or file is None:
        material.GetPrim().SetDisplayName("bare")
        opacity.Set(0.0)
        return material
    material.GetPrim().SetDisplayName(image.name)
    picture = _shader(stage, f"{path}/picture", "UsdUVTexture")
    st = _shader(stage, f"{path}/st", "UsdPrimvarReader_float2")
    st.CreateInput("varname", Sdf.ValueTypeNames.String).Set("st")
    st.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    picture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath(f"./{file.name}"))
    picture.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB" if image.display else "raw")
    for wrap in ("wrapS", "wrapT"):
        picture.CreateInput(wrap, Sdf.ValueTypeNames.Token).Set("clamp")
    picture.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(st.ConnectableAPI(), "result")
    picture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
    picture.CreateOutput("a", Sdf.ValueTypeNames.Float)
    surface.CreateInput("emissiveColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(picture.ConnectableAPI(), "rgb")
    if image.alpha == "opaque":
        opacity.Set(1.0)
        for frame, share in fade.items():
            opacity.Set(share, Usd.TimeCode(frame))
    else:
        opacity.ConnectToSource(picture.ConnectableAPI(), "a")
        for frame, share in fade.items():
            scale = picture.CreateInput("scale", Sdf.ValueTypeNames.Float4)
            scale.Set(Gf.Vec4f(1, 1, 1, share), Usd.TimeCode(frame))
    if image.alpha == "mask" and not fade:
        surface.CreateInput("opacityThreshold", Sdf.ValueTypeNames.Float).Set(0.5)
    return material


def _mesh(stage: Usd.Stage, path: str, surface: Surface, pivot: Array, material: UsdShade.Material) -> None:
    mesh = UsdGeom.Mesh.Define(stage, path)
    points = Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(surface.points - pivot, dtype=np.float32))
    mesh.CreatePointsAttr(points)
    mesh.CreateFaceVertexCountsAttr([3] * len(surface.triangles))
    mesh.CreateFaceVertexIndicesAttr(surface.triangles.ravel().tolist())
    mesh.CreateExtentAttr(UsdGeom.PointBased.ComputeExtent(points))
    mesh.CreateSubdivisionSchemeAttr("none")
    mesh.CreateDoubleSidedAttr(True)
    if surface.normal is not None:
        mesh.CreateNormalsAttr([Gf.Vec3f(*surface.normal.tolist())] * len(surface.points))
        mesh.SetNormalsInterpolation("vertex")
    if surface.uv is not None:
        st = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "vertex")
        upright = np.column_stack([surface.uv[:, 0], 1 - surface.uv[:, 1]])
        st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(upright, dtype=np.float32)))
    mesh.GetPrim().SetDisplayName(surface.name)
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)


def _fades(scene: SceneOut) -> dict[str, dict[int, float]]:
    """How opaque the pictures of pieces that fade are, by frame; what other pieces show as well does not fade."""
    out: dict[str, dict[int, float]] = {}
    owners: dict[str, set[str]] = {}
    for piece in scene.pieces:
        tracks, images = scene.tracks(piece), {s.image for s in piece.surfaces if s.image}
        for image in images:
            owners.setdefault(image, set()).add(piece.id)
        if tracks is not None and tracks.fades:
            by_frame = {int(m.frame): float(o) for m, o in zip(scene.frames, tracks.opacities, strict=True)}
            out |= dict.fromkeys(images, by_frame)
    return {image: by_frame for image, by_frame in out.items() if len(owners[image]) == 1}


def _moves(holder: UsdGeom.Xform, piece: Piece, scene: SceneOut) -> None:
    """Where a piece's pivot is, and how it is turned and scaled about it, at every frame if it moves."""
    move, tracks = holder.AddTranslateOp(UsdGeom.XformOp.PrecisionDouble), scene.tracks(piece)
    if tracks is None:
        move.Set(Gf.Vec3d(*piece.pivot.tolist()))
        return
    turn = holder.AddOrientOp(UsdGeom.XformOp.PrecisionDouble)
    scale = holder.AddScaleOp(UsdGeom.XformOp.PrecisionDouble)
    for n, m in enumerate(scene.frames):
        at = Usd.TimeCode(int(m.frame))
        move.Set(Gf.Vec3d(*tracks.positions[n].tolist()), at)
        x, y, z, w = tracks.turns[n].tolist()
        turn.Set(Gf.Quatd(w, x, y, z), at)
        scale.Set(Gf.Vec3d(*[float(tracks.scales[n])] * 3), at)


def _piece(
    stage: Usd.Stage, path: str, piece: Piece, materials: dict[str | None, UsdShade.Material], scene: SceneOut
) -> None:
    """A transform with its pivot at the piece's foot, and its faces."""
    pivot = piece.pivot
    holder = UsdGeom.Xform.Define(stage, path)
    _moves(holder, piece, scene)
    prim = holder.GetPrim()
    prim.SetDisplayName(piece.name)
    if piece.hidden:
        prim.SetCustomDataByKey("hidden", True)
    for number, surface in enumerate(piece.surfaces):  # by number: names of parts of a face may be alike
        ident = next(iter(prim_names([f"{surface.name.split(' / ')[-1]}_{number}"]).values()))
        _mesh(stage, f"{path}/{ident}", surface, pivot, materials[surface.image])


def write_usd(scene: SceneOut, out: Path) -> list[Path]:
    """Write a scene as USD text and its pictures; returns the files, the scene's first."""
    files = image_files(scene, out)
    for key, path in files.items():
        path.write_bytes(scene.images[key].data)
    stage, d = Usd.Stage.CreateNew(str(out)), scene.shot.delivery
    first, last = int(scene.frames[0].frame), int(scene.frames[-1].frame)
    UsdGeom.SetStageUpAxis(stage, "Y")
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    stage.SetTimeCodesPerSecond(d.fps)
    stage.SetFramesPerSecond(d.fps)
    stage.GetRootLayer().comment = f"Roof Line {__version__}"
    top = UsdGeom.Xform.Define(stage, "/shot").GetPrim()
    top.SetDisplayName(scene.shot.name)
    stage.SetDefaultPrim(top)
    delivered_mm = pixel_mm(scene.shot) * scene.frames[0].view.unit
    _camera(stage, "/shot/lens", "lens", scene, [(int(m.frame), m.view) for m in scene.frames], delivered_mm)
    _focus(UsdGeom.Camera.Get(stage, "/shot/lens"), scene)
    taken = ["lens", "materials"]
    backs = {p.name: p.mm_a_pixel for p in scene.shot.photos}
    for ident, (name, view) in zip(
        prim_names([f"photo {n}" for n in scene.photographers]).values(), scene.photographers.items(), strict=True
    ):
        _camera(stage, f"/shot/{ident}", f"Photo {name}", scene, [(None, view)], backs[name])
        taken.append(ident)
    stage.DefinePrim("/shot/materials", "Scope")
    used = {s.image for p in scene.pieces for s in p.surfaces}
    keys, fades = prim_names(scene.images), _fades(scene)
    materials: dict[str | None, UsdShade.Material] = {
        k: _material(stage, f"/shot/materials/{keys[k]}", scene.images[k], files[k], fades.get(k, {}))
        for k in scene.images
        if k in used
    }
    if None in used:
        materials[None] = _material(stage, "/shot/materials/bare_", None, None, {})
    groups = dict.fromkeys(p.group for p in scene.pieces if p.group)
    prims = prim_names([*taken, *(f"group {g}" for g in groups), *(p.id for p in scene.pieces)])
    for group in groups:
        holder = UsdGeom.Xform.Define(stage, f"/shot/{prims[f'group {group}']}").GetPrim()
        holder.SetDisplayName(group)
    for piece in scene.pieces:
        under = f"/shot/{prims[f'group {piece.group}']}" if piece.group else "/shot"
        _piece(stage, f"{under}/{prims[piece.id]}", piece, materials, scene)
    stage.GetRootLayer().Save()
    return [out, *files.values()]
