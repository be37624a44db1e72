"""A first move: room around the frame, a set that is whole from home, and a push-in that just holds."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from roofline.core.camera import View, view_of
from roofline.core.massing.kinds import Backdrop, Flat, Ground
from roofline.core.move.bring_back import bring_back
from roofline.core.move.frame import resized
from roofline.core.move.path import framing, home_key, home_photo
from roofline.core.throw.engine import Engine
from roofline.errors import MassingError, MoveError
from roofline.model.handoff import Delivery, Framing
from roofline.model.move import Key, Move
from roofline.model.plates import Throw
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid

ROOM = 0.85  # of the photo that a frame with room to move takes
SIZES = ((3840, 2160), (1920, 1080), (1280, 720))
FOLD = 0.045  # of the photo's height below the horizon: where the backdrop meets the ground
DEEPEST = 45.0  # degrees that a backdrop's camera may be tilted by
PUSH = 0.6  # of the way to what is nearest: the push-in that is then brought back until it holds


def roomy(delivery: Delivery, width: int, height: int) -> Framing:
    """A delivered frame over a photo that leaves room for the camera to step aside."""
    scale = ROOM * min(width / delivery.width, height / delivery.height)
    return Framing(scale=scale, centre=(width / 2, height / 2))


def delivered_size(width: int, height: int) -> tuple[int, int]:
    """The largest usual size at which a frame with room is not enlarged, turned for upright pictures; else the
    picture's own, less the room, even."""
    for long, short in SIZES:
        w, h = (long, short) if width >= height else (short, long)
        if ROOM * min(width / w, height / h) >= 1:
            return w, h
    return max(16, 2 * int(ROOM * width / 2)), max(16, 2 * int(ROOM * height / 2))


def unenlarged(delivery: Delivery, scale: float) -> tuple[int, int]:
    """The largest even size of the stated aspect, no larger than stated, at which a frame of so many photo pixels a
    delivered pixel is not enlarged."""
    part = min(1.0, scale)
    return max(16, 2 * int(delivery.width * part / 2)), max(16, 2 * int(delivery.height * part / 2))


def ground_and_backdrop(view: View) -> list[AnySolid]:
    """Ground, and an upright backdrop that meets it a little below the horizon.

    Raises MassingError where the camera looks too steeply up or down.
    """
    tilt = float(np.degrees(np.arcsin(np.clip(view.rotation[2][1], -1, 1))))
    if abs(tilt) > DEEPEST:
        raise MassingError("The camera looks too steeply for a ground and a backdrop: draw what it sees in Massing.")
    below = np.arctan(FOLD * view.height / view.focal)
    far = float(view.position[1] / np.tan(below))
    return [Ground.through(view, "ground", "Ground"), Backdrop.through(view, "backdrop", "Backdrop", far)]


def with_set(shot: Shot) -> Shot:
    """A shot with something to throw on: what is there, or a ground and a backdrop, with all photos on all of it."""
    photo = home_photo(shot)
    if photo.camera is None or photo.camera.position is None:
        raise MassingError("The survey has no scale yet: set a tape or the camera's height first.")
    view = view_of(photo.camera)
    if not shot.solids:
        shot.solids = ground_and_backdrop(view)
    bare = [s.id for s in shot.solids if not isinstance(s, Flat)]
    for throw in shot.throws:
        if shot.plate(throw.plate).role == "photo" and bare and not throw.targets:
            throw.targets = list(bare)
    if not shot.throws:
        own = next(p.id for p in shot.plates if p.photo == photo.id)
        shot.throws = [Throw(plate=own, targets=bare)]
    return shot


def nearest(shot: Shot, engine: Engine) -> float:
    """Metres along home's axis to what is nearest in the middle of its frame."""
    view = view_of(home_photo(shot).camera)  # type: ignore[arg-type]
    flats = [s for s in shot.solids if isinstance(s, Flat) and not s.hidden]
    ahead = view.rotation[2]
    if flats:
        return min(float((np.array(f.foot) - view.position) @ ahead) for f in flats)
    depth = [float((corner - view.position) @ ahead) for corner in engine.geometry.corners.reshape(-1, 3)]
    far = [d for d in depth if d > 1.0]
    return min(max(far, default=10.0), 60.0) * 0.5


def push_in(shot: Shot, by: float) -> list[Key]:
    """Home on the first frame, and on the last the camera `by` metres further along its level heading, at rest."""
    first, last = shot.frame_range
    home = home_key(shot, first)
    view = view_of(home_photo(shot).camera)  # type: ignore[arg-type]
    ahead = view.rotation[2] * [1, 0, 1]
    ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-9)
    x, y, z = (float(v) for v in np.array(home.position) + by * ahead)
    there = home.model_copy(update={"frame": last, "position": (x, y, z), "home": False})
    return [home, there] if last > first else [home]


def first_move(
    shot: Shot, engine_of: Callable[[Shot], Engine], told: Callable[[float], None] | None = None
) -> tuple[Shot, str]:
    """A shot with a set, room and a push-in that just holds; and two sentences that say what to do next.

    What is there already stays: solids, a framing, throws, and what is to be delivered. Where the photo is enlarged at
    that, the push-in is the one that holds at the size at which it is not, which is said. Where not even home holds
    there is a home key only, and the sentences say why.
    """
    shot = with_set(shot.model_copy(deep=True))
    camera = home_photo(shot).camera
    assert camera is not None
    said, stated = "", shot.delivery
    if stated.framing is None:
        stated = stated.model_copy(update={"framing": roomy(stated, camera.width, camera.height)})
    shot.delivery = stated
    if (scale := framing(shot).scale) < 1:
        width, height = unenlarged(stated, scale)
        shot.delivery = resized(shot, width, height)
        said = (
            f"At {stated.width} × {stated.height} px the photo is enlarged {1 / scale:.2f} times; "
            f"at {width} × {height} px it is not. "
        )
    engine = engine_of(shot)
    shot.move = Move(keys=push_in(shot, PUSH * nearest(shot, engine)))
    try:
        found = bring_back(shot, engine, told)
    except MoveError as error:
        shot.move, shot.delivery = Move(keys=push_in(shot, 0.0)[:1]), stated
        return shot, f"{said}{error} Cover what is missing in Plates, then set a second key on Move."
    shot.move, shot.delivery = Move(keys=found.keys), stated
    way = np.linalg.norm(np.subtract(found.keys[-1].position, found.keys[0].position))
    holds = "holds in every frame at that size" if said else "holds in every frame"
    return shot, said + (
        f"A push-in of {way:.2f} m {holds}. Drag its last key in plan to try another way, "
        "and build what stands out in Massing so that it bears more."
    )
