"""What a camera's error does: to the world's grid at the picture's corners, and to a place on the ground far off."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from roofline.core.camera import Array, View
from roofline.core.survey.state import State
from roofline.core.survey.system import System
from roofline.model.survey import Camera, Effect

FAR = 20.0  # metres at which the error on the ground is told


def effect_of(system: System, state: State, i: int, full: Array, spread: float, camera: Camera) -> Effect:
    """What the camera's error does at the picture's corners, and on the ground some way off.

    Corners: how far a line of the world's grid moves there, root mean square over the corners. Ground: how far the
    place under the pixel at which the ground is FAR metres away moves, the camera's height held.
    """
    covariance = np.linalg.pinv(full) * spread**2
    given = system.photos[i]
    lens = state.lens[i]
    places = {**system.slices, **system.hidden}
    names = [n for n in (f"rotation{i}", *sorted(system.lens_names(i))) if n in places]
    columns = np.concatenate([np.arange(len(covariance))[places[n]] for n in names])
    part = covariance[np.ix_(columns, columns)]

    def by_steps(what: Callable[[State], Array]) -> Array:
        out = []
        for name in names:
            for k in range(places[name].stop - places[name].start):
                h = 0.05 if name.startswith("centre") else 1e-5
                ends = [what(system.nudged(state, name, k, by)) for by in (h, -h)]
                out.append((ends[0] - ends[1]) / (2 * h))
        return np.stack(out, axis=-1)

    corners = np.array([[0, 0], [given.width, 0], [0, given.height], [given.width, given.height]], dtype=np.float64)
    rays = np.c_[(corners - lens.centre) / lens.focal, np.ones(4)] @ state.rotation[i]

    def pictured(s: State) -> Array:
        h = rays @ (s.lens[i].matrix @ s.rotation[i]).T
        return h[:, :2] / h[:, 2:]

    j = by_steps(pictured).reshape(8, -1)
    border = float(np.sqrt(np.einsum("ij,jk,ik->", j, part, j) / 4))
    if camera.position is None:
        return Effect(border_px=border)
    height = camera.position[1]
    forward = state.rotation[i][2] * [1, 0, 1]
    forward = forward / max(float(np.linalg.norm(forward)), 1e-9)
    place_far = np.array([0, height, 0]) + forward * FAR - [0, height, 0]
    view = View(
        given.width,
        given.height,
        lens.focal,
        (lens.centre[0], lens.centre[1]),
        state.rotation[i],
        np.array([0, height, 0]),
    )
    pixel = view.project(place_far)
    if not np.all(np.isfinite(pixel)):
        return Effect(border_px=border)

    def landed(s: State) -> Array:
        x = np.array([*(pixel - s.lens[i].centre) / s.lens[i].focal, 1.0]) @ s.rotation[i]
        return x[[0, 2]] * (-height / x[1])  # type: ignore[no-any-return]

    j = by_steps(landed)
    return Effect(border_px=border, far_m=float(np.sqrt(np.einsum("ij,jk,ik->", j, part, j))), at_m=FAR)
