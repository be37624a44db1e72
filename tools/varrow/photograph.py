"""Photograph the place: rays with Embree, sun with soft shadow, sky light with occlusion, then film.

python -m tools.varrow.photograph first OUT.jpg [--width 3240]
"""

from __future__ import annotations

import argparse
import time

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numba import njit, prange
from PIL import Image, ImageDraw, ImageFont
from scipy.ndimage import gaussian_filter

from roofline.core.camera import straighten

from . import truth
from .materials import BLADE, GLASS, LAMPGLASS, LEAF, NEEDLE, SIGN, fbm, surface
from .place import build

SUN = np.array([0.60, 0.40, 0.66])
SUN /= np.linalg.norm(SUN)
SUN_LIGHT = np.array([4.9, 3.95, 2.75])
HAZE = np.array([0.60, 0.66, 0.74])


@njit(cache=True)
def sky(dx, dy, dz, out):
    """Radiance of the sky in a direction."""
    up = max(dy, 0.0)
    t = np.exp(-3.2 * up)
    r, g, b = 0.20 + 0.52 * t, 0.36 + 0.44 * t, 0.66 + 0.20 * t
    s = max(dx * 0.614 + dy * 0.409 + dz * 0.675, 0.0)
    glow = s**6 * 0.35
    r, g, b = r + glow * 1.0, g + glow * 0.8, b + glow * 0.5
    if dy > 0.005:
        k = 1.0 / (dy + 0.09)
        x, z = dx * k, dz * k
        c = fbm(x * 0.62 + 4.1, 2.2, z * 0.95 + 1.7, 6)
        wisp = fbm(x * 0.4 + 9 + 0.5 * c, 6.2, z * 2.2, 5)
        cover = min(max((c - 0.435) * 4.6, 0.0), 1.0)
        cover = cover * cover * (3 - 2 * cover)
        lit = fbm(x * 0.62 + 4.1 + 0.10, 2.2, z * 0.95 + 1.7 + 0.14, 6)
        shade = min(max(0.62 + (c - lit) * 3.4, 0.32), 1.15)
        cr, cg, cb = 1.02 * shade + 0.06, 0.95 * shade + 0.07, 0.88 * shade + 0.12
        cover *= min(dy * 9, 1.0)
        r, g, b = r + (cr - r) * cover * 0.92, g + (cg - g) * cover * 0.92, b + (cb - b) * cover * 0.92
        w = min(max((wisp - 0.5) * 2.2, 0.0), 0.55) * (1 - cover) * min(dy * 7, 1.0)
        r, g, b = r + (0.98 - r) * w, g + (0.94 - g) * w, b + (0.92 - b) * w
    out[0], out[1], out[2] = r, g, b


@njit(cache=True, parallel=True)
def skies(d):
    out = np.empty((d.shape[0], 3))
    for i in prange(d.shape[0]):
        sky(d[i, 0], d[i, 1], d[i, 2], out[i])
    return out


@njit(cache=True, parallel=True)
def surfaces(mat, p, n, dist):
    out = np.empty((p.shape[0], 8))
    for i in prange(p.shape[0]):
        surface(mat[i], p[i, 0], p[i, 1], p[i, 2], n[i, 0], n[i, 1], n[i, 2], dist[i], out[i])
    return out


def lettering():
    """The name board as an (H, W) array, 1 where paint is dark."""
    image = Image.new("L", (1760, 176), 0)
    draw = ImageDraw.Draw(image)
    font = ImageFont.load_default(128)
    box = draw.textbbox((0, 0), "VARROW  HALT", font=font)
    draw.text(
        ((1760 - box[2] - box[0]) / 2, (176 - box[3] - box[1]) / 2), "VARROW  HALT", fill=255, font=font, stroke_width=3
    )
    return np.asarray(image, dtype=float) / 255


class Place:
    def __init__(self, bare=False):
        self.tris, self.mats = build(bare=bare)
        self.scene = rtcore_scene.EmbreeScene()
        TriangleMesh(self.scene, self.tris)
        e1, e2 = self.tris[:, 1] - self.tris[:, 0], self.tris[:, 2] - self.tris[:, 0]
        n = np.cross(e1, e2).astype(np.float64)
        self.normals = n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-12)
        self.board = lettering()

    def hit(self, o, d):
        r = self.scene.run(o.astype(np.float32), d.astype(np.float32), output=1)
        return r["primID"], r["tfar"].astype(np.float64)

    def blocked(self, o, d, far=1e30):
        r = self.scene.run(
            o.astype(np.float32), d.astype(np.float32), dists=np.full(len(o), far, np.float32), query="OCCLUDED"
        )
        return r != -1 if r.dtype != bool else r

    def light(self, o, d, rng, depth=0):
        """Radiance (N, 3) along rays."""
        prim, far = self.hit(o, d)
        out = skies(d)
        seen = np.flatnonzero(prim >= 0)
        if not len(seen):
            return out
        d, far, prim = d[seen], far[seen], prim[seen]
        p = o[seen] + d * far[:, None]
        n = self.normals[prim].copy()
        n *= -np.sign((n * d).sum(1))[:, None]
        mat = self.mats[prim]
        s = surfaces(mat, p, n, far)
        albedo, bump, gloss, sharp = s[:, :3], s[:, 3:6], s[:, 6], s[:, 7]
        sign = mat == SIGN
        if sign.any():
            u = np.clip((p[sign, 0] + 0.9) / 4.4, 0, 0.9999)
            v = np.clip((4.62 - p[sign, 1]) / 0.44, 0, 0.9999)
            dark = self.board[(v * 176).astype(int), (u * 1760).astype(int)][:, None]
            albedo[sign] = (1 - dark) * np.array([0.66, 0.62, 0.5]) + dark * np.array([0.04, 0.06, 0.055])
        start = p + n * (2e-3 + 2e-4 * far[:, None])
        soft = SUN + rng.normal(0, 0.011, (len(p), 3))
        sun = np.clip((bump * soft).sum(1), 0, None)
        leafy = (mat == LEAF) | (mat == NEEDLE) | (mat == BLADE)
        sun = np.where(leafy, 0.5 * np.abs((bump * soft).sum(1)) + 0.25, sun)
        sun *= np.where((n * SUN).sum(1) > 0, 1.0, np.where(leafy, 0.6, 0.0))
        facing = sun > 0
        shadow = np.zeros(len(p), bool)
        shadow[facing] = self.blocked(start[facing], soft[facing])
        sun[shadow] = 0
        ambient = np.zeros((len(p), 3))
        rays = 3 if depth == 0 else 1
        for _ in range(rays):
            w = rng.normal(0, 1, (len(p), 3))
            w /= np.linalg.norm(w, axis=1, keepdims=True)
            w = w + bump * 1.001
            w /= np.linalg.norm(w, axis=1, keepdims=True)
            w *= np.sign((w * n).sum(1))[:, None]
            q, t = self.hit(start, w)
            free = q < 0
            env = skies(np.where(w[:, 1:2] < 0, w * [1, -0.2, 1], w))
            # light that comes back from what stands in the way: its colour, lit about half
            near = ~free
            col = np.zeros((len(p), 3))
            if near.any():
                pos = start[near] + w[near] * t[near][:, None]
                bounced = surfaces(self.mats[q[near]], pos, self.normals[q[near]], t[near])[:, :3]
                col[near] = (
                    bounced
                    * (
                        0.34
                        + 0.95
                        * np.clip(np.abs((self.normals[q[near]] * SUN).sum(1)), 0, 1)[:, None]
                        * np.clip(t[near] / 4, 0, 1)[:, None]
                    )
                    * [1.1, 0.98, 0.85]
                )
            ambient += np.where(free[:, None], env, col)
        ambient /= rays
        colour = albedo * (sun[:, None] * SUN_LIGHT / np.pi * 1.55 + ambient * 1.0)
        half = SUN - d
        half /= np.linalg.norm(half, axis=1, keepdims=True)
        hot = np.where(sharp > 0, np.clip((bump * half).sum(1), 0, 1) ** np.maximum(sharp, 1), 0) * gloss
        colour += (hot * (sun > 0))[:, None] * SUN_LIGHT * 0.55
        if depth == 0:
            mirror = np.flatnonzero((mat == GLASS) | (mat == LAMPGLASS))
            if len(mirror):
                m = d[mirror] - 2 * (d[mirror] * bump[mirror]).sum(1, keepdims=True) * bump[mirror]
                m[:, 1] = np.abs(m[:, 1]) * 0.9 + 0.01
                cos = np.abs((d[mirror] * bump[mirror]).sum(1))
                k = (0.10 + 0.9 * (1 - cos) ** 4)[:, None]
                colour[mirror] = colour[mirror] * (1 - k) + k * self.light(start[mirror], m, rng, 1) * 0.9
        away = 1 - np.exp(-np.clip(far - 12, 0, None) / 420)
        glow = np.clip((d * SUN).sum(1), 0, 1) ** 3
        haze = HAZE * (0.92 + 0.45 * glow[:, None] * [1.1, 0.9, 0.6])
        out[seen] = colour * (1 - away[:, None]) + haze * away[:, None]
        return out


def expose(linear, exposure, balance, rng, scale):
    """Film: bloom, vignette, tone curve, grain."""
    h, w, _ = linear.shape
    x = linear * exposure * np.array(balance)
    bright = np.clip(x - 0.95, 0, 3)
    x = x + 0.05 * np.stack([gaussian_filter(bright[..., c], 10 * scale) for c in range(3)], -1)
    yy, xx = np.mgrid[0:h, 0:w]
    r2 = ((xx - w / 2) ** 2 + (yy - h / 2) ** 2) / ((w / 2) ** 2 + (h / 2) ** 2)
    x = x * (1 - 0.30 * r2 - 0.06 * r2**2)[..., None]
    a, b, c, d, e = 2.51, 0.03, 2.43, 0.59, 0.14  # filmic curve (Narkowicz 2015)
    x = x * 0.72
    x = np.clip(x * (a * x + b) / (x * (c * x + d) + e), 0, 1)
    s = np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(np.maximum(x, 1e-8), 1 / 2.4) - 0.055)
    s = np.stack([gaussian_filter(s[..., k], 0.42 * scale) for k in range(3)], -1)
    lum = s.mean(-1, keepdims=True)
    grain = gaussian_filter(rng.normal(0, 1, (h, w, 1)), (0.55, 0.55, 0)) * 1.7
    tint = gaussian_filter(rng.normal(0, 1, (h, w, 3)), (0.5, 0.5, 0)) * 0.6
    s = s + (grain + tint) * 0.0105 * (0.4 + np.sqrt(np.clip(lum * (1.1 - lum), 0, 1)))
    return np.clip(s, 0, 1)


def photograph(which, width, samples=4, seed=3, bare=False, stops=0.0):
    """One of the demo's two photographs, (H, W, 3) display values 0…1.

    bare: without the trolley and the lamp; stops: how much longer than the demo's it was exposed.
    """
    view = (truth.first_view if which == "first" else truth.second_view)(width)
    rng = np.random.default_rng(seed)
    place = Place(bare)
    print(len(place.tris), "triangles", flush=True)
    out = exposed_light(place, view, truth.LENS_SECOND if which == "second" else None, samples, rng, say=True)
    scale = width / truth.SIZE[0]
    if which == "first":
        return expose(out, 0.92 * 2**stops, (1.03, 1.0, 0.95), rng, scale)
    return expose(out, 0.66 * 2**stops, (0.95, 1.0, 1.09), rng, scale)


def exposed_light(place, view, lens, samples, rng, say=False):
    """Light (H, W, 3) that falls on the film of a view, through a lens that bends (None: it does not)."""
    out = np.zeros((view.height, view.width, 3))
    side = int(np.sqrt(samples))
    began = time.time()
    rows = max(1, 400_000 // view.width)
    for y0 in range(0, view.height, rows):
        yy, xx = np.mgrid[y0 : min(y0 + rows, view.height), 0 : view.width]
        for s in range(samples):
            jx, jy = rng.random(xx.shape), rng.random(xx.shape)
            px = np.stack([xx + (s % side + jx) / side, yy + (s // side + jy) / side], -1).reshape(-1, 2)
            if lens is not None:
                c = np.array(view.centre)
                px = straighten((px - c) / view.focal, lens, 8) * view.focal + c
            d = view.rays(px)
            d /= np.linalg.norm(d, axis=1, keepdims=True)
            got = place.light(np.broadcast_to(view.position, d.shape), d, rng)
            out[y0 : y0 + rows] += np.minimum(got, 6).reshape(*xx.shape, 3)
        if say and y0 // rows % 10 == 0:
            print(f"{y0}/{view.height} {time.time() - began:.0f} s", flush=True)
    return out / samples


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("which", choices=["first", "second"])
    parser.add_argument("out")
    parser.add_argument("--width", type=int, default=truth.SIZE[0])
    parser.add_argument("--samples", type=int, default=4)
    parser.add_argument("--quality", type=int, default=89)
    parser.add_argument("--bare", action="store_true", help="without the trolley and the lamp")
    parser.add_argument("--seed", type=int, default=3, help="of grain and light")
    parser.add_argument("--stops", type=float, default=0.0, help="exposed longer than the demo's")
    parser.add_argument("--part", type=int, nargs=4, metavar=("X0", "Y0", "X1", "Y1"), help="pixels to keep")
    args = parser.parse_args()
    display = photograph(args.which, args.width, args.samples, args.seed, args.bare, args.stops)
    image = Image.fromarray((display * 255 + 0.5).astype(np.uint8))
    if args.part:
        image = image.crop(args.part)
    exif = image.getexif()
    f = truth.first_view().focal if args.which == "first" else truth.second_view().focal
    ifd = exif.get_ifd(0x8769)
    ifd[0x920A] = round(f / truth.SIZE[0] * 36, 0)
    ifd[0xA405] = int(round(f / truth.SIZE[0] * 36))
    exif[0x0110] = "Varrow field camera"
    if args.out.endswith(".jpg"):
        image.save(args.out, quality=args.quality, subsampling=0, exif=exif)
    else:
        image.save(args.out)


if __name__ == "__main__":
    main()
