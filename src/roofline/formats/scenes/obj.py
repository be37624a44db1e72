"""Wavefront OBJ with its materials. It knows no camera and no groups of pieces."""

from __future__ import annotations

from pathlib import Path

from roofline import __version__
from roofline.formats.scenes.scene import SceneOut, image_files, one_line


def write_obj(scene: SceneOut, out: Path) -> list[Path]:
    """Write a scene as OBJ, its MTL and its pictures; returns the files, the scene's first."""
    files = image_files(scene, out)
    for key, path in files.items():
        path.write_bytes(scene.images[key].data)
    materials = out.with_suffix(".mtl")
    lines = []
    for key, path in files.items():
        image = scene.images[key]
        lines += [f"newmtl {one_line(image.name)}", "Ka 0 0 0", "Kd 1 1 1", "illum 1", f"map_Kd {path.name}"]
        if image.alpha != "opaque":
            lines.append(f"map_d -imfchan m {path.name}")
    materials.write_text("\n".join([*lines, "newmtl bare", "Kd 0.5 0.5 0.5", "d 0", ""]), encoding="utf-8")
    body = [
        f"# Roof Line {__version__}: {one_line(scene.shot.name)}; metres, Y up. The camera is not part of OBJ.",
        f"mtllib {materials.name}",
    ]
    v, t, n = 1, 1, 1
    for piece in scene.pieces:
        body.append(f"o {one_line(piece.name)}")
        for surface in piece.surfaces:
            material = one_line(scene.images[surface.image].name) if surface.image else "bare"
            body += [f"g {one_line(surface.name)}", f"usemtl {material}"]
            body += ["v {:.6f} {:.6f} {:.6f}".format(*p) for p in surface.points]
            if surface.uv is not None:
                body += [f"vt {a:.7f} {1 - b:.7f}" for a, b in surface.uv]
            if surface.normal is not None:
                body.append("vn {:.6f} {:.6f} {:.6f}".format(*surface.normal))
            for triangle in surface.triangles:
                corners = []
                for i in triangle:
                    picture = str(t + i) if surface.uv is not None else ""
                    corners.append(f"{v + i}/{picture}" + (f"/{n}" if surface.normal is not None else ""))
                body.append("f " + " ".join(c.rstrip("/") for c in corners))
            v += len(surface.points)
            t += len(surface.points) if surface.uv is not None else 0
            n += surface.normal is not None
    out.write_text("\n".join(body) + "\n", encoding="utf-8")
    return [out, materials, *files.values()]
