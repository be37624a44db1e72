"""The land about the station, and what grows on it."""

from __future__ import annotations

import numpy as np

from .materials import (
    BLADE,
    GRASS,
    GRAVEL,
    LEAF,
    NEEDLE,
)


def height(x, z):
    """Height of the land; level near the station."""
    from .materials import fbm

    x, z = np.asarray(x, float), np.asarray(z, float)
    out = np.zeros_like(x)
    away = np.clip((-z - 24) / 150, 0, None)
    hills = np.vectorize(lambda a, c: fbm(a * 0.0085 + 3.3, 1.7, c * 0.0085, 5))(x, z)
    ridge = np.vectorize(lambda a: fbm(a * 0.006 + 41.2, 8.0, 2.0, 3))(x)
    out += away**1.3 * (5 + 74 * hills * (0.3 + 0.95 * ridge))
    return out


def land(b, rng):
    """Level ground near, hills behind, woods on them."""
    b.quad((-90, 0, 40), (90, 0, 40), (90, 0, 6.0), (-90, 0, 6.0), GRAVEL)
    b.quad((-90, 0, 6.0), (90, 0, 6.0), (90, 0, 4.7), (-90, 0, 4.7), GRASS)
    b.quad((-90, 0, 0), (90, 0, 0), (90, 0, -24), (-90, 0, -24), GRASS)
    xs = np.linspace(-330, 420, 190)
    zs = -24 - 400 * np.linspace(0, 1, 110) ** 1.5
    X, Z = np.meshgrid(xs, zs)
    Y = height(X, Z)
    P = np.stack([X, Y, Z], -1)
    a, c, d, e = P[:-1, :-1], P[:-1, 1:], P[1:, 1:], P[1:, :-1]
    b.add(np.stack([a, c, d], -2).reshape(-1, 3, 3), GRASS)
    b.add(np.stack([a, d, e], -2).reshape(-1, 3, 3), GRASS)
    for lo, hi in ((-90, -24), (90, 420), (-330, -90)):
        if lo != -90:
            b.quad((lo, 0, 60), (hi, 0, 60), (hi, 0, -24), (lo, 0, -24), GRASS)
    sphere = blob(3)
    n = 0
    while n < 5200:
        z = -30 - 330 * rng.random() ** 1.25
        x = rng.uniform(-300, 400)
        from .materials import fbm

        if fbm(x * 0.02, 5.5, z * 0.02, 4) < 0.46 and z > -260:
            continue
        y = float(height(np.array([x]), np.array([z]))[0])
        n += 1
        size = rng.uniform(0.75, 1.3)
        if rng.random() < 0.62:
            conifer(b, x, y, z, size * rng.uniform(8, 13), rng)
        else:
            r = size * rng.uniform(2.4, 3.6)
            broadleaf(b, sphere, x, y + r * 0.95, z, r, rng)
    for x, z, r in (
        (-13.5, -13, 2.0),
        (-5.5, -15.5, 2.6),
        (-1, -17, 2.2),
        (8.6, -12.5, 1.9),
        (15.5, -12.5, 2.5),
        (19.5, -10.5, 2.1),
        (23.5, -8, 2.4),
        (28, -12, 3.4),
        (-18, -17, 3.0),
        (33, -5, 2.5),
        (40, -9, 3.2),
        (-24, -10, 2.6),
    ):
        leafy(b, x, z, r, rng)
    zz = rng.uniform(4.6, 6.1, 60000)
    xx = rng.uniform(-25, 40, 60000)
    blades(b, xx, zz, rng, 0.11)
    edge = rng.random(26000)
    blades(b, rng.uniform(-25, 30, 26000), 6.0 + 8 * edge**4, rng, 0.085)
    blades(b, rng.uniform(-40, 50, 50000), rng.uniform(-22, -8.1, 50000), rng, 0.2)
    blades(b, rng.uniform(-16, 22, 9000), -0.0 + np.abs(rng.normal(0, 0.1, 9000)), rng, 0.12)
    # tufts on the gravel path
    for _ in range(130):
        cx, cz = rng.uniform(-12, 10), rng.uniform(6.2, 13.5)
        k = rng.integers(20, 90)
        s = rng.uniform(0.05, 0.2)
        blades(b, rng.normal(cx, s, k), rng.normal(cz, s, k), rng, 0.09)


def blades(b, x, z, rng, tall):
    n = len(x)
    a = rng.uniform(0, 2 * np.pi, n)
    h = tall * rng.uniform(0.4, 1.25, n)
    w = 0.0042 + 0.003 * rng.random(n)
    lean = rng.normal(0, 0.45, (n, 2)) * h[:, None]
    d = np.stack([np.cos(a) * w, np.zeros(n), np.sin(a) * w], 1)
    p = np.stack([x, np.zeros(n), z], 1)
    tip = p + np.stack([lean[:, 0], h, lean[:, 1]], 1)
    b.add(np.stack([p - d, p + d, tip], 1), BLADE)


def blob(divisions):
    """Unit sphere of triangles by splitting an octahedron."""
    v = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]], float)
    f = [[0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4], [2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5]]
    tri = v[np.array(f)]
    for _ in range(divisions - 1):
        a, c, d = tri[:, 0], tri[:, 1], tri[:, 2]
        ac, cd, da = (a + c) / 2, (c + d) / 2, (d + a) / 2
        tri = np.concatenate([np.stack(s, 1) for s in ((a, ac, da), (ac, c, cd), (da, cd, d), (ac, cd, da))])
        tri /= np.linalg.norm(tri, axis=-1, keepdims=True)
    return tri


def rough(tri, k, rng):
    """Push the corners of a blob in and out, the same way for the same corner."""
    seed = rng.uniform(0, 100)
    q = tri * 2.7 + seed
    bump = (
        np.sin(q[..., 0] * 2.1 + 1.3 * np.sin(q[..., 1] * 3.3))
        * np.sin(q[..., 1] * 2.7 + q[..., 2] * 1.9)
        * np.cos(q[..., 2] * 3.1)
    )
    fine = np.sin(q[..., 0] * 9.1 + 4 * np.sin(q[..., 1] * 7.3)) * np.sin(q[..., 2] * 8.7)
    return tri * (1 + k * bump + 0.5 * k * fine)[..., None]


def broadleaf(b, sphere, x, y, z, r, rng):
    for _ in range(3):
        o = rng.normal(0, 0.36, 3) * r * [1, 0.7, 1]
        s = r * rng.uniform(0.55, 0.8)
        b.add(rough(sphere, 0.24, rng) * [s, s * 1.05, s] + np.array([x, y, z]) + o, LEAF)


def conifer(b, x, y, z, h, rng):
    n, tiers = 9, 5
    for i in range(tiers):
        y0, y1 = y + h * (0.06 + 0.185 * i), y + h * min(0.06 + 0.185 * i + 0.32, 1.0)
        r = h * 0.205 * (1 - i / (tiers + 0.6))
        a = (np.arange(n) + rng.random()) * 2 * np.pi / n
        rr = r * rng.uniform(0.6, 1.2, n)
        base = np.stack([x + np.cos(a) * rr, np.full(n, y0) + rng.normal(0, 0.025 * h, n), z + np.sin(a) * rr], 1)
        apex = np.array([x, y1, z])
        b.add(np.stack([base, np.roll(base, -1, 0), np.broadcast_to(apex, base.shape)], 1), NEEDLE)


def leafy(b, x, z, r, rng):
    """A near bush: thousands of small leaves around a few masses."""
    sphere = blob(4)
    for _ in range(5):
        o = rng.normal(0, 0.4, 3) * r * [1, 0.4, 1]
        s = r * rng.uniform(0.35, 0.6)
        c = np.array([x, r * 0.75, z]) + o
        b.add(rough(sphere, 0.22, rng) * s * 0.9 + c, LEAF)
        n = 5200
        d = rng.normal(0, 1, (n, 3))
        d /= np.linalg.norm(d, axis=1, keepdims=True)
        p = c + d * s * rng.uniform(0.82, 1.16, (n, 1))
        e1, e2 = rng.normal(0, 0.075, (n, 3)), rng.normal(0, 0.075, (n, 3))
        keep = p[:, 1] > 0.02
        b.add(np.stack([p, p + e1, p + e2], 1)[keep], LEAF)
