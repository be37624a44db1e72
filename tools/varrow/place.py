"""The modelled place as triangles with a surface each."""

from __future__ import annotations

import numpy as np

from . import truth as t
from .land import land
from .materials import (
    BOARDS,
    BRASS,
    BRICK,
    COPING,
    GLASS,
    GRAVEL,
    GREEN,
    IRON,
    LAMPGLASS,
    LEATHER,
    PLANKS,
    PLASTER,
    RUBBLE,
    RUST,
    SIGN,
    SLATE,
    SLEEPER,
    STONE,
    WHITE,
    WOODBARE,
    ZINC,
)


class Builder:
    """Collects triangles."""

    def __init__(self):
        self.tris, self.mats = [], []

    def add(self, tris, mat):
        tris = np.asarray(tris, dtype=np.float32).reshape(-1, 3, 3)
        self.tris.append(tris)
        self.mats.append(np.full(len(tris), mat, dtype=np.int32))

    def quad(self, a, b, c, d, mat):
        self.add([[a, b, c], [a, c, d]], mat)

    def box(self, lo, hi, mat, top=None):
        (x0, y0, z0), (x1, y1, z1) = lo, hi
        q = self.quad
        q((x0, y0, z1), (x1, y0, z1), (x1, y1, z1), (x0, y1, z1), mat)
        q((x1, y0, z0), (x0, y0, z0), (x0, y1, z0), (x1, y1, z0), mat)
        q((x1, y0, z1), (x1, y0, z0), (x1, y1, z0), (x1, y1, z1), mat)
        q((x0, y0, z0), (x0, y0, z1), (x0, y1, z1), (x0, y1, z0), mat)
        q((x0, y1, z1), (x1, y1, z1), (x1, y1, z0), (x0, y1, z0), mat if top is None else top)
        q((x0, y0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1), mat)

    def tube(self, a, b, ra, rb, mat, n=14, caps=True):
        a, b = np.array(a, float), np.array(b, float)
        d = (b - a) / np.linalg.norm(b - a)
        s = np.cross(d, [0, 1, 0] if abs(d[1]) < 0.9 else [1, 0, 0])
        s /= np.linalg.norm(s)
        w = np.cross(d, s)
        ang = np.arange(n + 1) * 2 * np.pi / n
        ring = np.cos(ang)[:, None] * s + np.sin(ang)[:, None] * w
        p, q = a + ra * ring, b + rb * ring
        for i in range(n):
            self.quad(p[i], p[i + 1], q[i + 1], q[i], mat)
            if caps:
                self.add([[a, p[i + 1], p[i]], [b, q[i], q[i + 1]]], mat)

    def wheel(self, centre, radius, mat, n=28):
        """A spoked wheel upright in the run–rise plane."""
        c = np.array(centre, float)
        ang = np.arange(n + 1) * 2 * np.pi / n
        ring = np.stack([np.cos(ang), np.sin(ang), np.zeros(n + 1)], 1)
        for i in range(n):
            self.tube(c + radius * ring[i], c + radius * ring[i + 1], 0.022, 0.022, mat, 6, False)
        for i in range(0, n, 4):
            self.tube(c, c + radius * ring[i], 0.014, 0.012, mat, 6, False)
        self.tube(c - [0, 0, 0.05], c + [0, 0, 0.05], 0.045, 0.045, mat, 12)

    def arrays(self):
        return np.concatenate(self.tris), np.concatenate(self.mats)


def roof(b, spec, ridge, mat, under):
    (x0, y0, z0), (x1, y1, z1) = spec["lo"], spec["hi"]
    k = 0.055
    if ridge == "run":
        zm = (z0 + z1) / 2
        b.quad((x0, y0, z1), (x1, y0, z1), (x1, y1, zm), (x0, y1, zm), mat)
        b.quad((x1, y0, z0), (x0, y0, z0), (x0, y1, zm), (x1, y1, zm), mat)
        for x, _f in ((x0, -1), (x1, 1)):  # barge boards
            for za, zb in ((z1, zm), (z0, zm)):
                b.add(
                    [
                        [(x, y0 - 0.16, za), (x, y0, za), (x, y1, zb)],
                        [(x, y0 - 0.16, za), (x, y1, zb), (x, y1 - 0.16, zb)],
                    ],
                    under,
                )
        b.tube((x0, y1 + 0.02, zm), (x1, y1 + 0.02, zm), 0.1, 0.1, SLATE, 10)
    else:
        xm = (x0 + x1) / 2
        b.quad((x1, y0, z1), (x1, y0, z0), (xm, y1, z0), (xm, y1, z1), mat)
        b.quad((x0, y0, z0), (x0, y0, z1), (xm, y1, z1), (xm, y1, z0), mat)
        for z in (z0, z1):
            for xa in (x0, x1):
                b.add(
                    [
                        [(xa, y0 - 0.14, z), (xa, y0, z), (xm, y1, z)],
                        [(xa, y0 - 0.14, z), (xm, y1, z), (xm, y1 - 0.14, z)],
                    ],
                    under,
                )
        b.tube((xm, y1 + 0.02, z0), (xm, y1 + 0.02, z1), 0.08, 0.08, SLATE, 10)
    b.quad((x0, y0 - k * 0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1), under)


def window(b, x0, x1, y0, y1, z, frame=WHITE, bars=(2, 3), sill=True):
    """A sash window on a wall facing +return at depth z: stands 6 cm in, bars and glass."""
    zi = z - 0.0
    b.quad((x0, y0, zi + 0.012), (x1, y0, zi + 0.012), (x1, y1, zi + 0.012), (x0, y1, zi + 0.012), GLASS)
    w = 0.07
    b.box((x0 - w, y0 - w, zi), (x0, y1 + w, zi + 0.05), frame)
    b.box((x1, y0 - w, zi), (x1 + w, y1 + w, zi + 0.05), frame)
    b.box((x0 - w, y1, zi), (x1 + w, y1 + w, zi + 0.05), frame)
    b.box((x0 - w, y0 - w, zi), (x1 + w, y0, zi + 0.05), frame)
    for i in range(1, bars[0]):
        x = x0 + (x1 - x0) * i / bars[0]
        b.box((x - 0.016, y0, zi), (x + 0.016, y1, zi + 0.035), frame)
    for j in range(1, bars[1]):
        y = y0 + (y1 - y0) * j / bars[1]
        b.box((x0, y - 0.016, zi), (x1, y + 0.016, zi + 0.035), frame)
    if sill:
        b.box((x0 - 0.16, y0 - w - 0.11, zi), (x1 + 0.16, y0 - w, zi + 0.13), COPING)
        b.box((x0 - 0.14, y1 + w, zi), (x1 + 0.14, y1 + w + 0.2, zi + 0.035), COPING)


def side_window(b, z0, z1, y0, y1, x, frame=WHITE):
    """A window on a wall facing −run."""
    b.quad((x - 0.012, y0, z0), (x - 0.012, y0, z1), (x - 0.012, y1, z1), (x - 0.012, y1, z0), GLASS)
    w = 0.07
    b.box((x - 0.05, y0 - w, z0 - w), (x, y1 + w, z0), frame)
    b.box((x - 0.05, y0 - w, z1), (x, y1 + w, z1 + w), frame)
    b.box((x - 0.05, y1, z0), (x, y1 + w, z1), frame)
    b.box((x - 0.05, y0 - w, z0), (x, y0, z1), frame)
    zm, ym = (z0 + z1) / 2, (y0 + y1) / 2
    b.box((x - 0.035, y0, zm - 0.016), (x, y1, zm + 0.016), frame)
    b.box((x - 0.035, ym - 0.016, z0), (x, ym + 0.016, z1), frame)
    b.box((x - 0.13, y0 - w - 0.11, z0 - 0.16), (x, y0 - w, z1 + 0.16), COPING)


def station(b):
    h = t.HOUSE
    b.box(h["lo"], h["hi"], BRICK)
    (x0, y0, z0), (x1, y1, z1) = h["lo"], h["hi"]
    r = t.HOUSE_ROOF
    zm, ry = (r["lo"][2] + r["hi"][2]) / 2, r["hi"][1]
    slope = (ry - r["lo"][1]) / (r["hi"][2] - zm)
    gy = r["lo"][1] + slope * (r["hi"][2] - z1)
    for x in (x0, x1):  # brick gables
        b.add([[(x, y1, z1), (x, y1, z0), (x, ry - 0.25, zm)]], BRICK)
        b.quad((x, y1, z1), (x, gy, z1), (x, ry - 0.02, zm), (x, y1, zm), BRICK)
        b.quad((x, y1, zm), (x, ry - 0.02, zm), (x, gy, z0), (x, y1, z0), BRICK)
    roof(b, r, "run", SLATE, WHITE)
    b.box((x0 - 0.035, y0, z0 - 0.035), (x1 + 0.035, y0 + 0.42, z1 + 0.035), COPING)  # plinth
    b.box((x0 - 0.03, y1 - 0.3, z0 - 0.03), (x1 + 0.03, y1 - 0.12, z1 + 0.03), COPING)  # string course
    for ya in np.arange(y0 + 0.45, y1 - 0.5, 0.62):  # quoins
        for xq, dx in ((x0, 0.34), (x1, -0.34)):
            lo, hi = sorted((xq - 0.025 * np.sign(dx), xq + dx))
            b.box((lo, ya, z1 - 0.2), (hi, ya + 0.3, z1 + 0.025), COPING)
    c = t.CHIMNEY
    b.box(c["lo"], c["hi"], BRICK)
    (cx0, _, cz0), (cx1, cy1, cz1) = c["lo"], c["hi"]
    b.box((cx0 - 0.07, cy1 - 0.42, cz0 - 0.07), (cx1 + 0.07, cy1 - 0.24, cz1 + 0.07), BRICK)
    for x in (cx0 + 0.25, cx1 - 0.25):
        b.tube((x, cy1, (cz0 + cz1) / 2), (x, cy1 + 0.42, (cz0 + cz1) / 2), 0.13, 0.11, LEATHER, 16)
    for x in (-2.45, 4.0):
        window(b, x, x + 1.05, 1.95, 3.35, z1, bars=(2, 4))
    for x in (-0.55, 2.05):  # doors
        b.box((x, y0, z1 - 0.02), (x + 1.05, y0 + 2.15, z1 + 0.03), GREEN)
        for px in (x + 0.12, x + 0.58):
            for py, ph in ((y0 + 0.2, 0.7), (y0 + 1.05, 0.85)):
                b.box((px, py, z1 + 0.03), (px + 0.35, py + ph, z1 + 0.045), GREEN)
        b.quad(
            (x, y0 + 2.2, z1 + 0.02),
            (x + 1.05, y0 + 2.2, z1 + 0.02),
            (x + 1.05, y0 + 2.55, z1 + 0.02),
            (x, y0 + 2.55, z1 + 0.02),
            GLASS,
        )
        b.box((x - 0.1, y0, z1), (x, y0 + 2.65, z1 + 0.06), WHITE)
        b.box((x + 1.05, y0, z1), (x + 1.15, y0 + 2.65, z1 + 0.06), WHITE)
        b.box((x - 0.1, y0 + 2.55, z1), (x + 1.15, y0 + 2.66, z1 + 0.06), WHITE)
        b.box((x - 0.1, y0 + 2.14, z1), (x + 1.15, y0 + 2.2, z1 + 0.05), WHITE)
        b.tube((x + 0.94, y0 + 1.05, z1 + 0.03), (x + 0.94, y0 + 1.05, z1 + 0.11), 0.03, 0.03, BRASS, 10)
    side_window(b, -5.75, -4.55, 1.95, 3.45, x0)
    b.tube((x0 + 0.12, y0, z1 + 0.09), (x0 + 0.12, y1 - 0.05, z1 + 0.09), 0.05, 0.05, IRON, 12)
    b.tube(
        (r["lo"][0], r["lo"][1] - 0.05, r["hi"][2] + 0.05),
        (r["hi"][0], r["lo"][1] - 0.05, r["hi"][2] + 0.05),
        0.075,
        0.075,
        IRON,
        12,
    )
    # name board below the eaves: lettering is drawn by the surface
    b.box((-0.95, 4.13, z1 - 0.01), (3.55, 4.67, z1 + 0.05), WHITE)
    b.quad((-0.9, 4.18, z1 + 0.055), (3.5, 4.18, z1 + 0.055), (3.5, 4.62, z1 + 0.055), (-0.9, 4.62, z1 + 0.055), SIGN)
    # bench
    b.box((-0.0 + 3.35, y0 + 0.42, z1 + 0.2), (3.95 + 0.0, y0 + 0.47, z1 + 0.65), WOODBARE)


def canopy(b):
    c = t.CANOPY
    (x0, y0, z0), (x1, y1, z1) = c["lo"], c["hi"]
    b.box((x0, y1 - 0.05, z0), (x1, y1, z1), PLANKS, top=ZINC)
    for z in np.linspace(z0 + 0.1, z1 - 0.15, 3):
        b.box((x0, y0 - 0.02, z), (x1, y1 - 0.05, z + 0.08), GREEN)
    for x in np.arange(x0 + 0.3, x1, 0.62):
        b.box((x, y0 + 0.02, z0), (x + 0.07, y1 - 0.05, z1), WHITE)
    n = int((x1 - x0) / 0.14)  # the valance: a row of pointed boards
    for i in range(n):
        xa = x0 + (x1 - x0) * i / n
        xb = x0 + (x1 - x0) * (i + 0.94) / n
        yb = y0 - 0.16
        b.box((xa, yb, z1), (xb, y1, z1 + 0.03), GREEN if i % 2 else WHITE)
        b.add(
            [[(xa, yb, z1 + 0.03), ((xa + xb) / 2, yb - 0.1, z1 + 0.03), (xb, yb, z1 + 0.03)]],
            GREEN if i % 2 else WHITE,
        )
    m = int((z1 - z0) / 0.14)
    for i in range(m):
        za = z0 + (z1 - z0) * i / m
        zb = z0 + (z1 - z0) * (i + 0.94) / m
        for x in (x0 - 0.03, x1):
            b.box((x, y0 - 0.16, za), (x + 0.03, y1, zb), GREEN if i % 2 else WHITE)
            b.add([[(x, y0 - 0.16, za), (x, y0 - 0.26, (za + zb) / 2), (x, y0 - 0.16, zb)]], GREEN if i % 2 else WHITE)
    for x in t.POSTS_X:
        foot = t.HOUSE["lo"][1]
        b.box((x - 0.13, foot, t.POST_Z - 0.13), (x + 0.13, foot + 0.3, t.POST_Z + 0.13), COPING)
        b.box((x - 0.07, foot + 0.3, t.POST_Z - 0.07), (x + 0.07, y0, t.POST_Z + 0.07), GREEN)
        b.box((x - 0.1, y0 - 0.75, t.POST_Z - 0.1), (x + 0.1, y0 - 0.68, t.POST_Z + 0.1), GREEN)
        for s in (-1, 1):
            b.tube((x + s * 0.06, y0 - 0.7, t.POST_Z), (x + s * 0.62, y0 - 0.02, t.POST_Z), 0.045, 0.045, GREEN, 8)
        b.tube((x, y0 - 0.7, t.POST_Z - 0.06), (x, y0 - 0.02, t.POST_Z - 0.66), 0.045, 0.045, GREEN, 8)
    # a hanging clock
    b.tube((1.4, y0 - 0.45, -0.95), (1.4, y0 - 0.45, -0.83), 0.27, 0.27, IRON, 30)
    b.tube((1.4, y0 - 0.45, -0.83), (1.4, y0 - 0.45, -0.825), 0.235, 0.235, WHITE, 30)
    b.box((1.39, y0 - 0.46, -0.825), (1.41, y0 - 0.27, -0.82), IRON)
    b.box((1.395, y0 - 0.46, -0.825), (1.53, y0 - 0.44, -0.82), IRON)
    b.tube((1.4, y0 - 0.2, -0.9), (1.4, y0, -0.9), 0.02, 0.02, IRON, 6)


def hut(b):
    h = t.HUT
    (x0, y0, z0), (x1, y1, z1) = h["lo"], h["hi"]
    b.box(h["lo"], h["hi"], BOARDS)
    r = t.HUT_ROOF
    xm, ry = (x0 + x1) / 2, r["hi"][1]
    for z in (z0, z1):
        b.add([[(x0, y1, z), (x1, y1, z), (xm, ry - 0.18, z)]], BOARDS)
    roof(b, r, "return", SLATE, WHITE)
    for x in (x0, x1):
        for z in (z0, z1):
            b.box((x - 0.06, y0, z - 0.06), (x + 0.06, y1, z + 0.06), WHITE)
    b.box((x0 - 0.03, y0, z0 - 0.03), (x1 + 0.03, y0 + 0.16, z1 + 0.03), SLEEPER)
    window(b, x0 + 0.45, x0 + 2.85, 2.15, 3.25, z1, bars=(6, 2), sill=False)
    side_window(b, z0 + 0.5, z1 - 0.5, 2.15, 3.25, x0)
    # a stove pipe and a lever frame's rodding box
    b.tube((x1 - 0.6, y1 + 0.4, -4.9), (x1 - 0.6, ry + 0.55, -4.9), 0.07, 0.07, IRON, 12)
    b.box((x0 + 0.9, y0, z1 + 0.1), (x0 + 2.2, y0 + 0.5, z1 + 0.6), WOODBARE)


def tower(b):
    w, k = t.TOWER, t.TANK
    (cx, cz) = w["centre"]
    b.tube((cx, w["y0"], cz), (cx, w["y1"], cz), w["foot_radius"], w["top_radius"], STONE, 72)
    b.tube((cx, w["y1"] - 0.2, cz), (cx, w["y1"], cz), 2.0, 2.0, COPING, 72)
    b.tube((cx, k["y0"], cz), (cx, k["y1"], cz), k["radius"], k["radius"], ZINC, 96)
    for y in (k["y0"] + 0.05, k["y0"] + 1.3, k["y1"] - 0.08):
        b.tube((cx, y, cz), (cx, y + 0.07, cz), k["radius"] + 0.03, k["radius"] + 0.03, IRON, 96)
    b.tube((cx, k["y1"], cz), (cx, k["y1"] + 0.85, cz), k["radius"] + 0.12, 0.12, SLATE, 72)
    b.tube((cx + 1.2, 5.1, cz + 1.85), (cx + 1.9, 4.3, cz + 3.9), 0.11, 0.11, IRON, 12)
    b.tube((cx + 1.9, 4.3, cz + 3.9), (cx + 1.9, 3.2, cz + 3.9), 0.12, 0.15, LEATHER, 12)


def track(b, rng):
    b.quad((-70, 0.012, 4.7), (75, 0.012, 4.7), (75, 0.012, 0.0), (-70, 0.012, 0.0), RUBBLE)
    for x in np.arange(-60, 62, 0.68):
        dz, dy = rng.normal(0, 0.03), rng.normal(0, 0.008)
        b.box((x, -0.05, 0.95 + dz), (x + 0.24, 0.10 + dy, 3.65 + dz), SLEEPER)
        for z in (1.55, 3.05):
            b.box((x + 0.03, 0.10, z - 0.14), (x + 0.2, 0.13, z + 0.14), RUST)
    for z in (1.55, 3.05):
        b.box((-70, 0.12, z - 0.065), (75, 0.14, z + 0.065), RUST)
        b.box((-70, 0.14, z - 0.012), (75, 0.24, z + 0.012), RUST)
        b.box((-70, 0.24, z - 0.034), (75, 0.275, z + 0.034), RUST)
    for _ in range(5200):  # loose stones on the ballast
        x, z, s = rng.uniform(-14, 22), rng.uniform(0.1, 4.9), rng.uniform(0.015, 0.045)
        pts = np.array([x, 0.02, z]) + rng.normal(0, s, (5, 3)) * [1, 0.8, 1]
        b.add(
            [[pts[0], pts[1], pts[2]], [pts[0], pts[2], pts[3]], [pts[1], pts[3], pts[4]], [pts[0], pts[4], pts[1]]],
            RUBBLE,
        )


def platform(b):
    p = t.PLATFORM
    (x0, y0, z0), (x1, y1, z1) = p["lo"], p["hi"]
    b.box((x0, y0, z0), (x1, y1 - 0.1, z1 - 0.06), PLASTER)
    b.box((x0, y1 - 0.1, z0), (x1, y1 - 0.001, z1 - 0.6), GRAVEL)
    b.box((x0, y1 - 0.1, z1 - 0.6), (x1, y1, z1), COPING)
    for x in np.arange(x0 + 0.4, x1, 2.1):  # buttresses under the coping
        b.box((x, 0, z1 - 0.07), (x + 0.24, y1 - 0.1, z1 - 0.01), BRICK)


def fence(b):
    for x in list(np.arange(-15.8, -4.2, 1.55)) + list(np.arange(7.4, 10.0, 1.25)) + list(np.arange(14.6, 19, 1.45)):
        b.box((x, 0.86, -7.85), (x + 0.11, 2.1, -7.74), WHITE)
    for xa, xb in ((-15.8, -4.3), (7.4, 9.95), (14.6, 19.0)):
        for y in (1.2, 1.85):
            b.box((xa, y, -7.83), (xb, y + 0.08, -7.78), WHITE)
        for x in np.arange(xa + 0.05, xb, 0.16):
            b.box((x, 0.98, -7.78), (x + 0.085, 2.0, -7.755), WHITE)
            b.add([[(x, 2.0, -7.76), (x + 0.085, 2.0, -7.76), (x + 0.0425, 2.09, -7.76)]], WHITE)


def props(b):
    x, _, z = t.LAMP["foot"]
    top = t.LAMP["height"]
    b.tube((x, 0, z), (x, 0.22, z), 0.19, 0.15, IRON, 8)
    b.tube((x, 0.22, z), (x, 0.95, z), 0.095, 0.08, IRON, 12)
    b.tube((x, 0.95, z), (x, 1.02, z), 0.11, 0.11, IRON, 16)
    b.tube((x, 1.02, z), (x, top - 0.62, z), 0.058, 0.045, IRON, 14)
    b.tube((x - 0.32, top - 0.95, z), (x + 0.32, top - 0.95, z), 0.018, 0.018, IRON, 8)
    b.tube((x, top - 0.62, z), (x, top - 0.55, z), 0.1, 0.13, IRON, 12)
    b.tube((x, top - 0.55, z), (x, top - 0.14, z), 0.105, 0.175, LAMPGLASS, 6)
    for i in range(6):
        a = i * np.pi / 3
        d = np.array([np.cos(a), 0, np.sin(a)])
        b.tube(np.array([x, top - 0.55, z]) + 0.11 * d, np.array([x, top - 0.14, z]) + 0.18 * d, 0.012, 0.012, IRON, 6)
    b.tube((x, top - 0.14, z), (x, top + 0.02, z), 0.23, 0.06, GREEN, 6)
    b.tube((x, top + 0.02, z), (x, top + 0.13, z), 0.03, 0.012, IRON, 8)
    (x0, _, z0), (x1, y1, z1) = t.TROLLEY["lo"], t.TROLLEY["hi"]
    for i in range(7):
        w = (z1 - z0) / 7
        b.box((x0, 0.50, z0 + i * w), (x1, 0.545, z0 + (i + 0.92) * w), WOODBARE)
    for z in (z0, z1 - 0.08):
        b.box((x0 - 0.02, 0.42, z), (x1 + 0.02, 0.50, z + 0.08), GREEN)
    for xx in (x0 + 0.32, x1 - 0.32):
        for z in (z0 - 0.03, z1 + 0.03):
            b.wheel((xx, 0.285, z), 0.262, IRON)
        b.tube((xx, 0.285, z0), (xx, 0.285, z1), 0.025, 0.025, IRON, 8)
        b.box((xx - 0.04, 0.27, z0 + 0.06), (xx + 0.04, 0.43, z1 - 0.06), IRON)
    for z in (z0 + 0.03, z1 - 0.03):
        b.tube((x0 + 0.03, 0.52, z), (x0 - 0.16, y1, z), 0.025, 0.025, IRON, 10)
    b.tube((x0 - 0.16, y1, z0 + 0.03), (x0 - 0.16, y1, z1 - 0.03), 0.025, 0.025, IRON, 10)

    def case(lo, hi, mat):
        b.box(lo, hi, mat)
        (cx0, cy0, _cz0), (cx1, cy1, cz1) = lo, hi
        for f in (0.25, 0.75):
            xx = cx0 + f * (cx1 - cx0)
            b.box((xx - 0.02, cy0, cz1), (xx + 0.02, cy1 + 0.006, cz1 + 0.008), IRON)
        b.box(
            ((cx0 + cx1) / 2 - 0.08, (cy0 + cy1) / 2, cz1),
            ((cx0 + cx1) / 2 + 0.08, (cy0 + cy1) / 2 + 0.03, cz1 + 0.03),
            BRASS,
        )
        for cx in (cx0, cx1 - 0.05):
            for cy in (cy0, cy1 - 0.05):
                b.box((cx - 0.004, cy - 0.004, cz1 - 0.04), (cx + 0.054, cy + 0.054, cz1 + 0.006), BRASS)

    case((x0 + 0.08, 0.545, z0 + 0.1), (x0 + 0.98, 0.90, z1 - 0.16), LEATHER)
    case((x0 + 1.05, 0.545, z0 + 0.15), (x1 - 0.1, 0.98, z1 - 0.12), GREEN)
    case((x0 + 0.22, 0.90, z0 + 0.2), (x0 + 0.86, 1.10, z1 - 0.25), LEATHER)


def build(seed=7, bare=False):
    """(triangles (T, 3, 3) float32, surface of each (T,)); bare: without the trolley and the lamp."""
    rng = np.random.default_rng(seed)
    b = Builder()
    station(b)
    canopy(b)
    hut(b)
    tower(b)
    track(b, rng)
    platform(b)
    fence(b)
    if not bare:
        props(b)
    land(b, rng)
    return b.arrays()
