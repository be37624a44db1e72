"""Home put right: each cause of its differing from the photo that a press can take away."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from roofline.core.massing.arrange import stood
from roofline.core.massing.kinds import Flat, Ground
from roofline.core.move.findings import MENDS
from roofline.core.move.home import home_frame
from roofline.core.move.path import home_photo
from roofline.errors import Conflict, NotFound
from roofline.model.base import Model
from roofline.model.massing import Motion, MotionKey
from roofline.model.reports import HomeWhy
from roofline.model.shot import Shot
from roofline.work.desk import Desk


class Mend(Model):
    """Why home differs, and the id of the piece or plate that it is due to, as a finding has them."""

    why: HomeWhy
    who: str


def mend(desk: Desk, shot_id: str, what: Mend) -> None:
    """Take a cause away, as one change. Raises Conflict for one that has no such remedy."""
    does = _REMEDIES.get(what.why)
    if does is None:
        raise Conflict("Roof Line cannot correct this cause by itself. Go to the frame and decide.")

    def alter(shot: Shot) -> Shot:
        if what.who not in {s.id for s in shot.solids} | {p.id for p in shot.plates}:
            raise NotFound("That piece or plate was removed meanwhile. Check the move again.")
        does(shot, what.who)
        return shot

    desk.store.change(shot_id, MENDS[what.why], alter)


def _rested(motion: Motion, frame: int, fade_only: bool) -> None:
    """At a frame a motion's keys leave what moves where it is at rest; opaque there, and no more, where it fades."""
    if motion.still:
        return
    if not fade_only and (any(motion.drift) or motion.faces_lens != "no" or motion.rides):
        raise Conflict("The piece drifts, faces the lens or rides on the carrier. Stop that under Things that move.")
    there = next((k for k in motion.keys if k.frame == frame), None)
    rest = MotionKey(frame=frame) if there is None or not fade_only else there.model_copy(update={"opacity": 1.0})
    motion.keys = sorted([*(k for k in motion.keys if k.frame != frame), rest], key=lambda k: k.frame)


def _at_rest(fade_only: bool) -> Callable[[Shot, str], None]:
    def does(shot: Shot, who: str) -> None:
        solid = next(s for s in shot.solids if s.id == who)
        for motion in (solid.motion, *(g.motion for g in shot.groups if g.name == solid.group)):
            if motion is not None:
                _rested(motion, home_frame(shot), fade_only)

    return does


def _shown(shot: Shot, who: str) -> None:
    for solid in shot.solids:
        if solid.id == who:
            solid.hidden, solid.in_set = False, True


def _forward(shot: Shot, who: str) -> None:
    """A flat comes as much nearer, its picture kept, as lets all of it stand on the ground."""
    flat = next(s for s in shot.solids if s.id == who and isinstance(s, Flat))
    x, _, z = flat.foot
    grounds = [s for s in shot.set_pieces if isinstance(s, Ground)]
    if not grounds:
        raise Conflict("The ground was removed meanwhile. Check the move again.")
    camera = home_photo(shot).camera
    assert camera is not None and camera.position is not None
    free = flat.model_copy(update={"true_size": False})
    nearer = stood(free, max(g.level(x, z) for g in grounds), np.array(camera.position))
    put = nearer.model_copy(update={"true_size": flat.true_size})
    shot.solids = [put if s.id == who else s for s in shot.solids]


def _ungraded(shot: Shot, who: str) -> None:
    for throw in shot.throws:
        if throw.plate == who:
            throw.grade = None


def _opaque(shot: Shot, who: str) -> None:
    for throw in shot.throws:
        if throw.plate == who:
            throw.opacity = 1.0


def _after_photos(shot: Shot, who: str) -> None:
    """Throws of a plate come right after the last of the home photo's own."""
    own = {p.id for p in shot.plates if p.role == "photo" and p.photo == home_photo(shot).id}
    mine = [t for t in shot.throws if t.plate == who]
    rest = [t for t in shot.throws if t.plate != who]
    last = max((i for i, t in enumerate(rest) if t.plate in own), default=-1) + 1
    shot.throws = [*rest[:last], *mine, *rest[last:]]
    for throw in mine:
        throw.first_on = []


def _painted(shot: Shot, who: str) -> None:
    shot.delivery.blend = "as_painted"


_REMEDIES: dict[HomeWhy, Callable[[Shot, str], None]] = {
    "moved": _at_rest(False),
    "faded": _at_rest(True),
    "hidden": _shown,
    "sunk": _forward,
    "grade": _ungraded,
    "clear": _opaque,
    "clean": _after_photos,
    "photo": _after_photos,
    "blend": _painted,
}
