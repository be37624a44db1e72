"""How far apart colours are: CIE ΔE 2000 (Sharma, Wu and Dalal 2005), of pictures in linear light."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from roofline.core.camera import Array
from roofline.core.light import D65, SRGB_TO_XYZ
from roofline.core.throw.threads import ALONE, side_by_side


@njit(cache=True, error_model="numpy", inline="always")
def _curve(t):  # type: ignore[no-untyped-def]
    return t ** (1.0 / 3.0) if t > 216.0 / 24389.0 else (24389.0 / 27.0 * t + 16.0) / 116.0


@njit(cache=True, error_model="numpy")
def lab(r, g, b, to_xyz, white):  # type: ignore[no-untyped-def]
    """CIE L*a*b* of one colour in linear light."""
    fx = _curve((to_xyz[0, 0] * r + to_xyz[0, 1] * g + to_xyz[0, 2] * b) / white[0])
    fy = _curve((to_xyz[1, 0] * r + to_xyz[1, 1] * g + to_xyz[1, 2] * b) / white[1])
    fz = _curve((to_xyz[2, 0] * r + to_xyz[2, 1] * g + to_xyz[2, 2] * b) / white[2])
    return 116.0 * fy - 16.0, 500.0 * (fx - fy), 200.0 * (fy - fz)


@njit(cache=True, error_model="numpy")
def difference(l1, a1, b1, l2, a2, b2):  # type: ignore[no-untyped-def]
    """ΔE 2000 of two colours in CIE L*a*b*."""
    mean7 = (0.5 * (math.hypot(a1, b1) + math.hypot(a2, b2))) ** 7
    g = 0.5 * (1 - math.sqrt(mean7 / (mean7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = math.hypot(a1, b1), math.hypot(a2, b2)
    h1 = math.atan2(b1, a1) % (2 * math.pi) if c1 > 0 else 0.0
    h2 = math.atan2(b2, a2) % (2 * math.pi) if c2 > 0 else 0.0
    turn = h2 - h1
    if c1 * c2 == 0:
        turn = 0.0
    elif turn > math.pi:
        turn -= 2 * math.pi
    elif turn < -math.pi:
        turn += 2 * math.pi
    dh = 2 * math.sqrt(c1 * c2) * math.sin(turn / 2)
    lm, cm = 0.5 * (l1 + l2), 0.5 * (c1 + c2)
    if c1 * c2 == 0:
        hm = h1 + h2
    elif abs(h1 - h2) <= math.pi:
        hm = 0.5 * (h1 + h2)
    else:
        hm = 0.5 * (h1 + h2) + (math.pi if h1 + h2 < 2 * math.pi else -math.pi)
    t = 1 - 0.17 * math.cos(hm - math.radians(30)) + 0.24 * math.cos(2 * hm)
    t += 0.32 * math.cos(3 * hm + math.radians(6)) - 0.20 * math.cos(4 * hm - math.radians(63))
    sl = 1 + 0.015 * (lm - 50) ** 2 / math.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    cm7 = cm**7
    rc = 2 * math.sqrt(cm7 / (cm7 + 25.0**7))
    theta = math.radians(30) * math.exp(-(((math.degrees(hm) - 275) / 25) ** 2))
    dl, dc, dh = (l2 - l1) / sl, (c2 - c1) / sc, dh / sh
    return math.sqrt(max(dl * dl + dc * dc + dh * dh - math.sin(2 * theta) * rc * dc * dh, 0.0))


@njit(cache=True, error_model="numpy")
def _in_lightness(l1, l2):  # type: ignore[no-untyped-def]
    """The part of ΔE 2000 that lightness has: no colours of such lightness differ by less."""
    off = (0.5 * (l1 + l2) - 50) ** 2
    return abs(l2 - l1) / (1 + 0.015 * off / math.sqrt(20 + off))


@njit(cache=True, nogil=True, error_model="numpy")
def _rows(linear, picks, to_xyz, white, most, begin, end, out):  # type: ignore[no-untyped-def]
    """Rows [begin, end) of `away_from`; what a row's neighbour had, has the same answer."""
    for y in range(begin, end):
        r = g = b = np.float32(-1e30)
        least = 0.0
        for x in range(linear.shape[1]):
            if linear[y, x, 0] != r or linear[y, x, 1] != g or linear[y, x, 2] != b:
                r, g, b = linear[y, x, 0], linear[y, x, 1], linear[y, x, 2]
                light = 116.0 * _curve((to_xyz[1, 0] * r + to_xyz[1, 1] * g + to_xyz[1, 2] * b) / white[1]) - 16.0
                least = 1e9
                for p in range(picks.shape[0]):
                    least = min(least, _in_lightness(picks[p, 0], light))
                if least <= most:
                    light, green, yellow = lab(r, g, b, to_xyz, white)
                    least = 1e9
                    for p in range(picks.shape[0]):
                        least = min(least, difference(picks[p, 0], picks[p, 1], picks[p, 2], light, green, yellow))
            out[y, x] = least


def labs(linear: Array) -> Array:
    """CIE L*a*b* (N, 3) of colours (N, 3) in linear light."""
    colours = np.asarray(linear, dtype=np.float64).reshape(-1, 3)
    return np.array([lab(c[0], c[1], c[2], SRGB_TO_XYZ, D65) for c in colours])


def delta_e(mine: Array, theirs: Array) -> Array:
    """ΔE 2000 (N,) of colours (N, 3) from others (N, 3), both in CIE L*a*b*."""
    return np.array([difference(*a, *b) for a, b in zip(mine, theirs, strict=True)])


def away_from(linear: NDArray[np.float32], picks: Array, most: float = np.inf) -> NDArray[np.float32]:
    """ΔE 2000 (H, W) of a picture (H, W, 3) in linear light from the nearest of some colours (N, 3), CIE L*a*b*.

    ``most``: beyond it, where lightness alone says so, only that it is more is told: a lower bound, above ``most``.
    """
    out = np.empty(linear.shape[:2], dtype=np.float32)
    picked = np.ascontiguousarray(picks, dtype=np.float64)
    side_by_side(
        lambda a, b: _rows(linear, picked, SRGB_TO_XYZ, D65, most, a, b, out), linear.shape[0], out.size > ALONE
    )
    return out
