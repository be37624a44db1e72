"""A slow, independent judge: rays against every triangle, derivatives by finite differences. Shares no code with the
engine; it reads the shot's faces and follows docs/geometry.md."""

from __future__ import annotations

import numpy as np

from roofline.core.camera import View
from roofline.core.massing.solids import faces_of
from roofline.model.shot import Shot


def fan(points: np.ndarray) -> np.ndarray:
    """Triangles of a convex loop."""
    return np.stack([[points[0], points[i], points[i + 1]] for i in range(1, len(points) - 1)])


class Reference:
    def __init__(self, shot: Shot, view: View, size: tuple[int, int]):
        self.shot, self.plate_view, self.size = shot, view, size
        tris, names, normals = [], [], []
        for solid in shot.solids:
            faces = faces_of(solid)
            for name, loop in zip(faces.names, faces.loops, strict=True):
                for t in fan(faces.vertices[loop]):
                    n = np.cross(t[1] - t[0], t[2] - t[0])
                    tris.append(t)
                    names.append(f"{solid.id}/{name}")
                    normals.append(n / np.linalg.norm(n))
        self.tris, self.names, self.normals = np.array(tris), names, np.array(normals)

    def first_hit(self, origin, direction, nearest=1e-9):
        """(distance along the direction, triangle) of the nearest hit, by Möller and Trumbore 1997; (inf, −1) if
        none."""
        e1, e2 = self.tris[:, 1] - self.tris[:, 0], self.tris[:, 2] - self.tris[:, 0]
        h = np.cross(direction, e2)
        a = (e1 * h).sum(1)
        with np.errstate(all="ignore"):
            s = origin - self.tris[:, 0]
            u = (s * h).sum(1) / a
            q = np.cross(s, e1)
            v = (q @ direction) / a
            t = (e2 * q).sum(1) / a
        ok = (np.abs(a) > 1e-15) & (u >= 0) & (v >= 0) & (u + v <= 1) & (t > nearest)
        if not ok.any():
            return np.inf, -1
        i = int(np.argmin(np.where(ok, t, np.inf)))
        return float(t[i]), i

    def plate_pixel(self, view: View, tri: int, x: float, y: float) -> np.ndarray:
        """Plate pixel that a view's pixel shows on the plane of a triangle."""
        ray = view.rays(np.array([x, y]))
        n = self.normals[tri]
        t = n @ (self.tris[tri, 0] - view.position) / (n @ ray)
        return self.plate_view.project(view.position + t * ray)

    def story(self, view: View, x: float, y: float) -> dict:
        ray = view.rays(np.array([x, y]))
        t, tri = self.first_hit(view.position, ray)
        if tri < 0:
            return {"verdict": "void"}
        point = view.position + t * ray
        out = {"surface": self.names[tri], "world": point, "depth": t, "verdict": "bare"}
        u = self.plate_view.project(point)
        eye = self.plate_view.position
        throw = next((k for k in self.shot.throws if out["surface"].split("/")[0] in k.targets), None)
        inside = not np.isnan(u).any() and 0 <= u[0] < self.size[0] and 0 <= u[1] < self.size[1]
        if throw is None or not inside:
            return out
        d, other = self.first_hit(eye, point - eye)
        seen = self.normals[tri] @ (eye - point) > 0 and (self.names[other] == out["surface"] or d > 1 - 1e-6)
        if not seen and throw.occlusion:
            return out
        e = 1e-4
        j = np.stack(
            [
                (self.plate_pixel(view, tri, x + e, y) - self.plate_pixel(view, tri, x - e, y)) / (2 * e),
                (self.plate_pixel(view, tri, x, y + e) - self.plate_pixel(view, tri, x, y - e)) / (2 * e),
            ],
            axis=1,
        )
        s = np.linalg.svd(j)[1]
        out |= {"plate_pixel": u, "stretch": s[0] / s[1], "magnification": 1 / s[1]}
        limits = self.shot.limits
        out["verdict"] = (
            "spilled"
            if not seen
            else "smeared"
            if out["stretch"] > limits.stretch
            else "soft"
            if out["magnification"] > limits.magnification
            else "sound"
        )
        return out
