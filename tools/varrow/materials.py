"""Procedural surfaces, one sample at a time, compiled: albedo, bumped normal, gloss."""

from __future__ import annotations

import numpy as np
from numba import njit

(
    BRICK,
    SLATE,
    BOARDS,
    GRAVEL,
    GRASS,
    LEAF,
    NEEDLE,
    STONE,
    PLANKS,
    WHITE,
    GREEN,
    GLASS,
    IRON,
    RUST,
    SLEEPER,
    SIGN,
    COPING,
    PLASTER,
    SOIL,
    LEATHER,
    ZINC,
    LAMPGLASS,
    BRASS,
    BLADE,
    RUBBLE,
    WOODBARE,
) = range(26)


@njit(cache=True)
def hash1(i, j, k):
    n = (i * 73856093) ^ (j * 19349663) ^ (k * 83492791)
    n = (n ^ (n >> 13)) * 1274126177
    n = n ^ (n >> 16)
    return (n & 0xFFFFFF) / 16777216.0


@njit(cache=True)
def noise(x, y, z):
    i, j, k = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    u, v, w = x - i, y - j, z - k
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    a = hash1(i, j, k) * (1 - u) + hash1(i + 1, j, k) * u
    b = hash1(i, j + 1, k) * (1 - u) + hash1(i + 1, j + 1, k) * u
    c = hash1(i, j, k + 1) * (1 - u) + hash1(i + 1, j, k + 1) * u
    d = hash1(i, j + 1, k + 1) * (1 - u) + hash1(i + 1, j + 1, k + 1) * u
    return (a * (1 - v) + b * v) * (1 - w) + (c * (1 - v) + d * v) * w


@njit(cache=True)
def fbm(x, y, z, octaves):
    total, size, norm = 0.0, 1.0, 0.0
    for _ in range(octaves):
        total += size * noise(x, y, z)
        norm += size
        x, y, z, size = x * 2.03 + 17.1, y * 2.03 + 5.3, z * 2.03 + 9.7, size * 0.5
    return total / norm


@njit(cache=True)
def cells(x, y, seed):
    """Nearest and second distance of a jittered grid, the nearest cell's random value and offset."""
    i, j = int(np.floor(x)), int(np.floor(y))
    best, second, tone, ox, oy = 9.0, 9.0, 0.0, 0.0, 0.0
    for dj in range(-1, 2):
        for di in range(-1, 2):
            cx = i + di + hash1(i + di, j + dj, seed)
            cy = j + dj + hash1(i + di, j + dj, seed + 7)
            d = np.sqrt((cx - x) ** 2 + (cy - y) ** 2)
            if d < best:
                second, best = best, d
                tone, ox, oy = hash1(i + di, j + dj, seed + 13), cx - x, cy - y
            elif d < second:
                second = d
    return best, second, tone, ox, oy


@njit(cache=True)
def surface(m, x, y, z, nx, ny, nz, eye, out):
    """Write albedo (3), bumped normal (3), gloss, sharpness of gloss to out (8). ``eye``: distance to the camera."""
    # surface coordinates from the dominant axis of the normal
    ax, ay, az = abs(nx), abs(ny), abs(nz)
    if ay > 0.92:
        u, v = x, z
        tx, ty, tz, bx, by, bz = 1.0, 0.0, 0.0, 0.0, 0.0, 1.0
    elif az >= ax:
        s = np.sqrt(max(1 - ny * ny, 1e-6))
        u, v = x, y / s
        tx, ty, tz, bx, by, bz = 1.0, 0.0, 0.0, 0.0, s, -ny * np.sign(nz)
    else:
        s = np.sqrt(max(1 - ny * ny, 1e-6))
        u, v = z, y / s
        tx, ty, tz, bx, by, bz = 0.0, 0.0, 1.0, -ny * np.sign(nx), s, 0.0
    gu, gv = 0.0, 0.0  # slope of the bump
    gloss, sharp = 0.0, 20.0
    r, g, b = 0.5, 0.5, 0.5
    grime = fbm(x * 0.7, y * 0.7, z * 0.7, 4)
    fine = fbm(u * 38, v * 38, 3.0, 3)
    if m == BRICK:
        bw, bh = 0.235, 0.076
        row = int(np.floor(v / bh))
        shift = 0.5 * (row % 2) * bw
        col = int(np.floor((u + shift) / bw))
        fu, fv = (u + shift) / bw - col, v / bh - row
        wob = 0.025 * (noise(u * 30, v * 30, 1.0) - 0.5)
        du, dv = min(fu, 1 - fu) * bw + wob * 0.1, min(fv, 1 - fv) * bh + wob * 0.1
        t, t2 = hash1(col, row, 11), hash1(col, row, 12)
        if du < 0.0055 or dv < 0.0055:
            k = 0.42 + 0.2 * fine
            r, g, b = k * 1.02, k * 0.97, k * 0.88
            gu, gv = 0.25 * (fine - 0.5), 0.25 * (fine - 0.5)
        else:
            r, g, b = 0.36 + 0.15 * t, 0.135 + 0.07 * t + 0.03 * t2, 0.088 + 0.04 * t2
            if t2 > 0.86:
                r, g, b = r * 0.62, g * 0.66, b * 0.85
            k = 0.72 + 0.5 * fine
            r, g, b = r * k, g * k, b * k
            gu = (
                (-0.5 if fu * bw < 0.013 else (0.5 if (1 - fu) * bw < 0.013 else 0.0))
                + 0.3 * (fine - 0.5)
                + 0.12 * (t - 0.5)
            )
            gv = (
                (-0.5 if fv * bh < 0.013 else (0.5 if (1 - fv) * bh < 0.013 else 0.0))
                + 0.3 * (fine - 0.5)
                + 0.12 * (t2 - 0.5)
            )
        k = 0.72 + 0.5 * grime
        if y < 1.5:
            k *= 0.74 + 0.26 * (y - 0.86) / 0.64 + 0.15 * (grime - 0.5)
        streak = fbm(u * 3.1, y * 0.22, 7.0, 3)
        k *= 0.86 + 0.26 * streak
        r, g, b = r * k, g * k, b * k
    elif m == SLATE:
        sw, sh = 0.27, 0.205
        row = int(np.floor(v / sh))
        shift = 0.5 * (row % 2) * sw + 0.02 * (hash1(row, 3, 3) - 0.5)
        col = int(np.floor((u + shift) / sw))
        fu, fv = (u + shift) / sw - col, v / sh - row
        t, t2 = hash1(col, row, 21), hash1(col, row, 22)
        base = 0.115 + 0.075 * t
        r, g, b = base * (0.97 + 0.14 * t2), base * (1.0 + 0.02 * t2), base * 1.12
        lip = 0.05 + 0.06 * t2 * (noise(u * 14, row, 2.0))
        k = 0.74 + 0.5 * fine
        if fv < lip:
            k *= 0.32
        if fu < 0.022 or fu > 0.978:
            k *= 0.36
        gu, gv = 0.10 * (t - 0.5) + 0.2 * (fine - 0.5), 0.16 + 0.12 * (t2 - 0.5) + 0.2 * (fine - 0.5)
        lichen = fbm(u * 3.3, v * 3.3, 8.0, 4)
        if lichen > 0.60:
            w = min((lichen - 0.60) * 9, 0.65) * (0.5 + 0.5 * fine)
            r, g, b = r * (1 - w) + 0.34 * w, g * (1 - w) + 0.33 * w, b * (1 - w) + 0.19 * w
        k *= 0.8 + 0.4 * grime
        r, g, b = r * k, g * k, b * k
        gloss, sharp = 0.10, 18.0
    elif m == BOARDS:
        bh = 0.148
        row = int(np.floor(v / bh))
        fv = v / bh - row
        t = hash1(row, 5, 31)
        end = int(np.floor((u + 3.7 * t) / 2.4))
        fu = (u + 3.7 * t) / 2.4 - end
        t2 = hash1(row, end, 33)
        grain = fbm(u * 2.2 + t2 * 50, v * 70, t2 * 9, 4)
        wear = fbm(u * 1.6, v * 2.4, 5.0, 4)
        r, g, b = 0.155 + 0.05 * t2, 0.215 + 0.045 * t2, 0.185 + 0.04 * t2
        bare = min(max((wear + 0.55 * (grain - 0.5) - 0.53) * 7, 0.0), 1.0)
        wr, wg, wb = 0.36 + 0.1 * grain, 0.325 + 0.09 * grain, 0.28 + 0.07 * grain
        r, g, b = r * (1 - bare) + wr * bare, g * (1 - bare) + wg * bare, b * (1 - bare) + wb * bare
        k = 0.66 + 0.6 * grain
        if fv < 0.075:
            k *= 0.28
        if fu * 2.4 < 0.004:
            k *= 0.4
        knot = noise(u * 5 + row * 3.1, v * 9, 4.0)
        if knot > 0.93:
            k *= 0.6
        gv = -0.22 + 0.35 * (grain - 0.5) + (0.5 if fv > 0.93 else 0.0)
        r, g, b = r * k, g * k, b * k
    elif m == GRAVEL or m == RUBBLE:
        size = 37.0 if m == GRAVEL else 15.0
        wx, wz = x + 0.05 * noise(x * 9, 1.0, z * 9), z + 0.05 * noise(x * 9, 5.0, z * 9)
        size *= 0.8 + 0.1 * np.floor(4 * noise(x * 1.1, 2.0, z * 1.1))
        d1, d2, t, ox, oy = cells((wx * 0.83 + wz * 0.55) * size, (wz * 0.83 - wx * 0.55) * size, 41)
        e1, _, s, px, py = cells(wx * 80 + 9, wz * 80, 43)
        gap = min((d2 - d1) * 3.2, 1.0)
        base = 0.20 + 0.20 * t + 0.07 * s
        r, g, b = base * 1.06, base * 0.985, base * (0.83 + 0.1 * s)
        if t > 0.8:
            r, g, b = r * 0.62, g * 0.66, b * 0.74
        k = 0.46 + 0.54 * gap
        patch = fbm(x * 0.45, z * 0.45, 2.0, 4)
        k *= 0.72 + 0.5 * patch
        if m == RUBBLE:
            r, g, b = r * 0.86, g * 0.74, b * 0.66
        r, g, b = r * k, g * k, b * k
        gu, gv = -0.8 * (0.83 * ox - 0.55 * oy) - 0.3 * px, -0.8 * (0.55 * ox + 0.83 * oy) - 0.3 * py
        if m == GRAVEL:
            moss = fbm(x * 0.8 + 20, z * 0.8, 5.0, 5)
            if moss > 0.56:
                w = min((moss - 0.56) * 6, 0.75) * (0.4 + 0.6 * fine)
                r, g, b = r * (1 - w) + 0.125 * w, g * (1 - w) + 0.155 * w, b * (1 - w) + 0.058 * w
    elif m == GRASS or m == BLADE:
        d1, d2, t, ox, oy = cells(x * 11, z * 11, 51)
        big = fbm(x * 0.13, 1.0, z * 0.13, 4)
        mid = fbm(x * 1.7, 4.0, z * 1.7, 3)
        dry = min(max((big + 0.5 * mid - 0.62) * 2.6, 0.0), 1.0)
        r, g, b = 0.125 + 0.05 * t, 0.175 + 0.05 * t, 0.052 + 0.02 * t
        r, g, b = r * (1 - dry) + 0.33 * dry, g * (1 - dry) + 0.275 * dry, b * (1 - dry) + 0.125 * dry
        if m == BLADE:
            t3 = hash1(int(x * 60), int(z * 60), 3)
            k = 0.75 + 0.75 * t3
        else:
            k = 0.52 + 0.9 * mid * (0.45 + 0.55 * fbm(x * 26, y * 2, z * 26, 2))
            gu, gv = 1.3 * (fbm(x * 17, 3, z * 17, 2) - 0.5), 1.3 * (fbm(x * 17, 9, z * 17, 2) - 0.5)
        r, g, b = r * k, g * k, b * k
    elif m == LEAF or m == NEEDLE:
        f = 5.0 if m == LEAF else 7.0
        a1, a2, a3 = noise(x * f, y * f, z * f), noise(x * f + 31, y * f, z * f), noise(x * f, y * f + 17, z * f)
        c1 = noise(x * 14, y * 14, z * 14)
        tree = hash1(int(np.floor(x / 6)), int(np.floor(z / 6)), 61)
        k = 0.25 + 1.15 * a1 * (0.35 + 0.65 * c1)
        if m == LEAF:
            autumn = max(tree - 0.55, 0.0) * 1.7
            r, g, b = 0.105 + 0.22 * autumn, 0.165 + 0.03 * autumn, 0.047
        else:
            r, g, b = 0.052 + 0.03 * tree, 0.092 + 0.02 * tree, 0.048
        r, g, b = r * k, g * k, b * k
        nx, ny, nz = nx + 1.6 * (a1 - 0.5), ny + 1.6 * (a2 - 0.45), nz + 1.6 * (a3 - 0.5)
    elif m == STONE:
        bh = 0.33
        row = int(np.floor(v / bh))
        ang = np.arctan2(x + 9.3, z + 11.2) * 1.8
        bw = 0.44 + 0.16 * hash1(row, 2, 71)
        uu = ang + 0.3 * hash1(row, 4, 71)
        col = int(np.floor(uu / bw))
        fu, fv = uu / bw - col, v / bh - row
        t = hash1(col, row, 73)
        base = 0.27 + 0.17 * t
        r, g, b = base * 1.03, base * 0.97, base * 0.86
        k = 0.65 + 0.62 * fbm(ang * 12, v * 12, 3.0, 4)
        if min(fu, 1 - fu) * bw < 0.014 or min(fv, 1 - fv) * bh < 0.013:
            k *= 0.62
        gv = (-0.6 if fv < 0.1 else (0.6 if fv > 0.9 else 0.0)) + 0.8 * (fine - 0.5)
        k *= 0.66 + 0.55 * grime
        r, g, b = r * k, g * k, b * k
    elif m == PLANKS or m == SLEEPER or m == WOODBARE:
        along, across = (u, v) if m != SLEEPER else (z, x)
        pw = 0.14
        row = int(np.floor(across / pw))
        t = hash1(row, 1, 81)
        grain = fbm(along * 2.4 + 40 * t, across * 60, y * 20 + t * 5, 4)
        base = (0.30 if m == PLANKS else (0.145 if m == SLEEPER else 0.34)) * (0.8 + 0.4 * t)
        k = 0.55 + 0.8 * grain
        if m == PLANKS and across / pw - row < 0.06:
            k *= 0.3
        r, g, b = base * k, base * 0.84 * k, base * 0.66 * k
        gv = 0.4 * (grain - 0.5)
    elif m == WHITE:
        k = 0.80 + 0.22 * (grime - 0.5) + 0.12 * (fine - 0.5)
        r, g, b = 0.72 * k, 0.69 * k, 0.60 * k
        chip = fbm(x * 9, y * 9, z * 9, 3)
        if chip > 0.70:
            r, g, b = r * 0.55, g * 0.5, b * 0.43
        gloss, sharp = 0.03, 30.0
    elif m == GREEN:
        k = 0.75 + 0.4 * grime + 0.15 * (fine - 0.5)
        r, g, b = 0.075 * k, 0.155 * k, 0.118 * k
        chip = fbm(x * 7, y * 7, z * 7, 4)
        if chip > 0.685:
            r, g, b = 0.27 * k, 0.20 * k, 0.15 * k
        gloss, sharp = 0.09, 60.0
    elif m == GLASS:
        r, g, b = 0.022, 0.025, 0.028
        gu, gv = 0.018 * (noise(u * 1.3, v * 1.3, 2.0) - 0.5), 0.018 * (noise(u * 1.3, v * 1.3, 6.0) - 0.5)
        dirt = fbm(u * 4, v * 4, 3.0, 4)
        k = 0.05 * dirt
        r, g, b = r + k, g + k, b + k
        gloss, sharp = 1.0, -1.0
    elif m == IRON:
        k = 0.8 + 0.4 * grime
        r, g, b = 0.042 * k, 0.047 * k, 0.052 * k
        gloss, sharp = 0.16, 45.0
    elif m == RUST:
        k = 0.6 + 0.8 * fbm(x * 12, y * 12, z * 12, 3)
        r, g, b = 0.21 * k, 0.115 * k, 0.07 * k
        if ny > 0.8:
            r, g, b = 0.34, 0.34, 0.35
            gloss, sharp = 0.6, 50.0
    elif m == COPING:
        col = int(np.floor(x / 0.92))
        t = hash1(col, 1, 91)
        k = (0.8 + 0.3 * t) * (0.7 + 0.55 * fbm(x * 7, y * 7, z * 7, 4)) * (0.75 + 0.4 * grime)
        if x / 0.92 - col < 0.012:
            k *= 0.4
        r, g, b = 0.40 * k, 0.385 * k, 0.345 * k
        gu, gv = 0.5 * (fine - 0.5), 0.5 * (fine - 0.5)
    elif m == PLASTER:
        k = 0.72 + 0.55 * fbm(x * 1.7, y * 1.7, z * 1.7, 5)
        r, g, b = 0.36 * k, 0.35 * k, 0.325 * k
        if y < 0.5:
            w = 0.5 * (1 - y / 0.5) * grime
            r, g, b = r * (1 - w), g * (1 - 0.8 * w), b * (1 - w)
        gu, gv = 0.35 * (fine - 0.5), 0.35 * (fine - 0.5)
    elif m == SOIL:
        k = 0.6 + 0.6 * fine
        r, g, b = 0.17 * k, 0.13 * k, 0.09 * k
    elif m == LEATHER:
        t = hash1(int(np.floor(x * 2.2)), int(np.floor(y * 3.1)), 95)
        k = 0.7 + 0.5 * fbm(x * 20, y * 20, z * 20, 3)
        r, g, b = (0.22 + 0.1 * t) * k, (0.115 + 0.06 * t) * k, (0.055 + 0.05 * t) * k
        gloss, sharp = 0.07, 22.0
    elif m == ZINC:
        k = 0.7 + 0.5 * fbm(x * 2, y * 0.5, z * 2, 4)
        r, g, b = 0.30 * k, 0.325 * k, 0.34 * k
        ang = np.arctan2(x + 9.3, z + 11.2) * 2.25
        if abs(ang / 0.86 - np.round(ang / 0.86)) < 0.014 or abs(y - 6.2) < 0.025:
            r, g, b = r * 0.5, g * 0.5, b * 0.5
        run = fbm(ang * 5, y * 0.5, 2.0, 4)
        if run > 0.52:
            w = min((run - 0.52) * 5, 0.8)
            r, g, b = r * (1 - w) + 0.23 * w, g * (1 - w) + 0.115 * w, b * (1 - w) + 0.06 * w
        gloss, sharp = 0.12, 16.0
    elif m == LAMPGLASS:
        r, g, b = 0.62, 0.60, 0.52
        gloss, sharp = 0.5, -1.0
    elif m == BRASS:
        r, g, b = 0.40, 0.28, 0.10
        gloss, sharp = 0.35, 40.0
    mx = nx - gu * tx - gv * bx
    my = ny - gu * ty - gv * by
    mz = nz - gu * tz - gv * bz
    s = np.sqrt(mx * mx + my * my + mz * mz)
    out[0], out[1], out[2] = r, g, b
    out[3], out[4], out[5] = mx / s, my / s, mz / s
    out[6], out[7] = gloss, sharp
