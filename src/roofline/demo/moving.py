"""The demo shot with everything moving: Varrow Halt in the evening train's smoke.

It is made of the demo shot when a demo starts, so that both share their pictures: a slide and a push with a hand's
sway, a trolley that rolls away, smoke that drifts and thins, a bank of cloud behind, and a dark post that passes close
before the lens at the end, where another shot could be joined.
"""

from __future__ import annotations

import numpy as np

from roofline.core.camera import (
    View,
    from_pan_tilt_roll,
    key_rotation,
    pan_tilt_roll,
    view_of,
)
from roofline.core.massing.solids import faces_of
from roofline.core.move.path import home_key, home_photo, moment_at, shot_path
from roofline.model.base import Vec4
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Key, Move, Sway
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import Cloud, Loop, OutlineStep, PlateStep, Tone
from roofline.work.begin import upright_flat

MOVING_ID = "varrow-halt-moving"
LAST = 120
CLOSE = 0.7  # metres before the lens, that the post passes at
TROLLEY = 2268.0, 1345.0  # photo pixels: the lamp stands to the right of the one, and reaches over the other


def moving(base: Shot) -> Shot:
    """The demo shot, in motion."""
    shot = base.model_copy(deep=True)
    shot.name = "Varrow Halt, in motion"
    camera = shot.photos[0].camera
    assert camera is not None
    view = view_of(camera)
    _trolley_and_lamp(shot)
    _cloud_bank(shot, view)
    _smoke(shot, view)
    shot.move = _move(shot)
    _passing_post(shot, view)
    return shot


def _put(shot: Shot, plate: Plate, solid: object, before: bool = False) -> None:
    shot.plates.append(plate)
    shot.solids.append(solid)  # type: ignore[arg-type]
    throw = Throw(plate=plate.id, targets=[f"{plate.id}-flat"])
    shot.throws.insert(0 if before else len(shot.throws), throw)


def _trolley_and_lamp(shot: Shot) -> None:
    """The two stand on one flat in the demo; here the trolley rolls and the lamp stays."""
    both = shot.plate("trolley-and-lamp")
    flat = next(s for s in shot.solids if s.id == "trolley-and-lamp-flat")
    x0, y0, w, h = both.canvas
    left, right, top, bottom = x0 - 5, x0 + w + 5, y0 - 5, y0 + h + 5
    ends, under = TROLLEY
    trolley = [(left, under), (ends, under), (ends, bottom), (left, bottom)]
    lamp = [(left, top), (right, top), (right, bottom), (ends, bottom), (ends, under), (left, under)]
    for name, line in (("Trolley", trolley), ("Lamp", lamp)):
        part = OutlineStep(id="part", mode="keep", loops=[Loop(points=line)])
        ident = name.lower()
        steps = [PlateStep(id="cut", plate=both.id), part]
        plate = both.model_copy(update={"id": ident, "name": name, "steps": steps})
        _put(shot, plate, flat.model_copy(update={"id": f"{ident}-flat", "name": f"{name} flat"}), before=True)
    shot.solids = [s for s in shot.solids if s.id != flat.id]
    shot.throws = [t for t in shot.throws if t.plate != both.id]
    for plate in shot.plates:
        gone = {flat.id: ["trolley-flat", "lamp-flat"]}
        plate.without = [i for s in plate.without for i in gone.get(s, [s])]
    rolling = [MotionKey(frame=f, offset=(x, 0.0, 0.0)) for f, x in ((1, 0.0), (20, 0.0), (110, -2.6))]
    next(s for s in shot.solids if s.id == "trolley-flat").motion = Motion(keys=rolling)


def _veil(ident: str, name: str, photo: str, canvas: Vec4, tone: Tone, feather: float) -> Plate:
    """A tone within a soft oval of its canvas."""
    x0, y0, w, h = canvas
    turn = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    inner = 0.5 - 1.1 * feather / min(w, h)
    oval = [(x0 + w * (0.5 + inner * np.cos(a)), y0 + h * (0.5 + inner * np.sin(a))) for a in turn]
    step = OutlineStep(id="oval", loops=[Loop(points=oval, smooth=True)], feather_px=feather)
    return Plate(id=ident, name=name, photo=photo, tone=tone, canvas=canvas, role="added", steps=[step])


def _cloud_bank(shot: Shot, view: View) -> None:
    canvas = (250.0, 330.0, 1700.0, 420.0)
    tone = Tone.model_validate(
        {"from": (0.80, 0.82, 0.86), "to": (0.95, 0.95, 0.96), "cloud": Cloud(size_px=240, seed=3)}
    )
    flat = upright_flat(view, "cloud-bank-flat", "Cloud bank flat", canvas, 56.0)
    fading = [MotionKey(frame=1, opacity=0.55), MotionKey(frame=LAST, opacity=0.55)]
    flat = flat.model_copy(update={"motion": Motion(keys=fading, drift=(0.45, 0.0, 0.0))})
    _put(shot, _veil("cloud-bank", "Cloud bank", shot.photos[0].id, canvas, tone, 110.0), flat, before=True)


def _smoke(shot: Shot, view: View) -> None:
    """Out of the chimney: it rises, drifts and thins."""
    chimney = faces_of(next(s for s in shot.solids if s.id == "chimney")).vertices
    top = chimney[chimney[:, 1].argmax()]
    x, y = view.project(top[None])[0]
    distance = float((top - view.position) @ view.rotation[2]) - 0.6
    canvas = (float(x) - 130, float(y) - 330, 300.0, 360.0)
    tone = Tone.model_validate(
        {"from": (0.42, 0.42, 0.43), "to": (0.72, 0.71, 0.70), "angle_deg": 90, "cloud": Cloud(size_px=90, seed=7)}
    )
    flat = upright_flat(view, "smoke-flat", "Smoke flat", canvas, distance)
    growing = [MotionKey(frame=1, opacity=0.6), MotionKey(frame=LAST, opacity=0.12, scale=1.5)]
    flat = flat.model_copy(update={"motion": Motion(keys=growing, drift=(0.22, 0.16, 0.0), faces_lens="rise")})
    _put(shot, _veil("smoke", "Smoke", shot.photos[0].id, canvas, tone, 70.0), flat, before=True)


def _passing_post(shot: Shot, view: View) -> None:
    """A dark front that the camera comes past at the end; it stands out of the picture at home."""
    canvas = (-4200.0, -900.0, 2600.0, 4200.0)
    tone = Tone.model_validate({"from": (0.05, 0.05, 0.06), "to": (0.10, 0.10, 0.11)})
    plate = Plate(
        id="post-close-by",
        name="Post close by",
        photo=shot.photos[0].id,
        tone=tone,
        canvas=canvas,
        role="added",
    )
    flat = upright_flat(view, "post-close-by-flat", "Post close by flat", canvas, 1.0)
    rest = np.array(flat.foot) + np.array([0, 0.5 * (flat.extent[2] + flat.extent[3]), 0])
    rest += 0.5 * (flat.extent[0] + flat.extent[1]) * view.rotation[0]
    path, keys = shot_path(shot), []
    for frame, aside in ((1, -6.0), (92, -3.0), (104, -1.3), (114, -0.2), (LAST, 0.0)):
        seen = moment_at(shot, path, frame).view
        spot = seen.position + CLOSE * seen.rotation[2] + aside * seen.rotation[0]
        keys.append(MotionKey(frame=frame, offset=tuple((spot - rest).tolist())))
    _put(shot, plate, flat.model_copy(update={"motion": Motion(keys=keys)}), before=True)


def off_home(shot: Shot, frame: int, by: tuple[float, float, float], pan: float = 0.0, tilt: float = 0.0) -> Key:
    """A key at home, set off by metres along Run, Rise and Return, and turned by degrees."""
    home = home_key(shot, frame)
    camera = home_photo(shot).camera
    assert camera is not None
    p, q, r = pan_tilt_roll(view_of(camera).rotation)
    turn = from_pan_tilt_roll(p + np.radians(pan), q + np.radians(tilt), r)
    px, py, pz = (float(v) for v in np.array(home.position) + by)
    return Key(frame=frame, position=(px, py, pz), rotation=key_rotation(turn.T), zoom=home.zoom)


def _move(shot: Shot) -> Move:
    """A slide, past home in the middle, and a push."""
    keys = [
        off_home(shot, 1, (-0.45, 0.02, 0.12), 0.6, 0.1),
        home_key(shot, 56),
        off_home(shot, LAST, (1.6, 0.25, -2.4), 1.6, -0.4),
    ]
    sway = Sway(
        frequency_hz=0.55, position_m=(0.008, 0.006, 0.004), rotation_deg=(0.12, 0.09, 0.05), seed=5, fade_frames=12
    )
    return Move(keys=keys, sway=sway)
