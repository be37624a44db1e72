"""Home is the photo: how far the delivered frame at home differs from it, where, and why."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import View, view_of
from roofline.core.light import to_display
from roofline.core.massing.kinds import Flat, Ground, Mesh
from roofline.core.massing.solids import faces_of, heading
from roofline.core.moment import Moment
from roofline.core.move.motion import poses_at
from roofline.core.move.path import home_key, home_photo, moment_at, shot_path, view_of_key
from roofline.core.move.travel import paced
from roofline.core.throw.engine import Engine
from roofline.model.plates import Plate, Throw
from roofline.model.reports import HomeCause, HomeReport, HomeWhy
from roofline.model.shot import Shot

OFF = 8 / 255  # display values, beyond which a pixel is another one
SILENT = 0.05  # percent of the frame, up to which nothing is said: what two ways to the same pixel may be apart by
PATCH = 0.005  # percent of the frame in one piece, beyond which it is seen, however little the rest is off
BORDER, CLEAR = 8, 0.01  # pixels over which a matte may run out; what of it is none
SAME = 1e-6  # metres, parts of a turn and of a focal length
AWAY = 10.0  # metres in front of the lens at which the photo alone is stood up
TOUCHES = {"fill", "clone", "heal", "extend", "painted", "grade", "fringe"}  # steps that change a plate's picture


def home_moment(shot: Shot, width: int) -> Moment:
    """The frame that shows home: that of the pinned key, or the first one; else the first frame as home would see it.

    At most so many pixels wide. Raises MoveError where there is no home.
    """
    first, last = shot.frame_range
    home, path = view_of_key(shot, home_key(shot, first)), shot_path(shot)
    for frame in (home_frame(shot), *range(first, last + 1)):
        moment = moment_at(shot, path, frame)
        if _alike(moment.view, home):
            return moment.across(width)
    return Moment(first, home, poses_at(shot, path, first, home.position)).across(width)


def home_frame(shot: Shot) -> int:
    """The frame on which the first key that is pinned to home is shown; the shot's first where none is."""
    first, last = shot.frame_range
    pinned = next((k.frame for k in shot.move.keys if k.home), None)
    if pinned is None or not shot.move.speed:
        return first if pinned is None else min(max(pinned, first), last)
    path = shot_path(shot)
    return min(range(first, last + 1), key=lambda f: abs(paced(shot.move.speed, path, f) - pinned))


def _alike(one: View, other: View) -> bool:
    return bool(
        np.allclose(one.position, other.position, atol=SAME)
        and np.allclose(one.rotation, other.rotation, atol=SAME)
        and abs(one.focal / other.focal - 1) < SAME
    )


def photo_alone(shot: Shot) -> Shot:
    """A shot of the home photo and nothing else, as it came: stood up before its own lens."""
    photo = home_photo(shot)
    assert photo.camera is not None and photo.width is not None and photo.height is not None
    w, h, view = float(photo.width), float(photo.height), view_of(photo.camera)
    corners = view.position + AWAY * view.rays(np.array([(0.0, h), (w, h), (w, 0.0), (0.0, 0.0)]))
    sheet = Mesh.model_validate(
        {
            "id": "sheet",
            "name": "Photo",
            "vertices": corners.tolist(),
            "faces": [{"name": "front", "loop": [0, 1, 2, 3]}],
        }
    )
    plate = Plate(id="sheet", name="Photo", photo=photo.id, file=photo.file, canvas=(0, 0, w, h))
    update = {"solids": [sheet], "plates": [plate], "groups": [], "throws": [Throw(plate="sheet", targets=["sheet"])]}
    return shot.model_copy(update=update)


def home_report(shot: Shot, engine: Engine, alone: Engine, moment: Moment) -> HomeReport:
    """How a set differs from its photo at home.

    Parameters
    ----------
    engine, alone
        Of the shot, and of `photo_alone`.
    moment
        See `home_moment`.
    """
    got = to_display(engine.picture(moment)[..., :3])
    photo = to_display(alone.picture(Moment(np.nan, moment.view))[..., :3])
    off = np.abs(got - photo).max(axis=-1)
    mean = float(np.mean((got - photo) ** 2))
    wrong = (off > OFF) & ~_soft_borders(engine, moment)
    return HomeReport(
        frame=int(moment.frame),
        percent=100 * float(wrong.mean()),
        largest=round(255 * float(off.max())),
        psnr_db=None if mean == 0 else -10 * float(np.log10(mean)),
        causes=_causes(shot, engine, moment, wrong) if _is_seen(wrong) else [],
    )


def _is_seen(wrong: NDArray[np.bool_]) -> bool:
    """Whether wrong pixels are so many, or so many of them lie together, that they are worth telling."""
    _, _, stats, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), connectivity=8)
    largest = int(stats[1:, cv2.CC_STAT_AREA].max(initial=0))
    return 100 * float(wrong.mean()) > SILENT or 100 * largest / wrong.size > PATCH


def _soft_borders(engine: Engine, moment: Moment) -> NDArray[np.bool_]:
    """Where mattes of cut-outs that are seen run from clear to opaque: there a colour that was estimated anew may stand
    for the photo's, and layers that were each made finer or coarser are not quite their flattening.

    What is half clear all over is no border.
    """
    g = engine.geometry
    owner = np.append(g.solid, np.int32(-1))[engine.nearest(moment)]
    out = np.zeros(owner.shape, dtype=bool)
    for number in np.unique(g.solid[g.cutout]):
        seen = cv2.dilate((owner == number).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        if seen.any():
            out |= seen & _border(engine.cut_out_cover(moment, g.solid_ids[number]))
    return out


def _border(cover: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Where a cover runs from none to all within some pixels."""
    near = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BORDER + 1, 2 * BORDER + 1))
    edge = cv2.dilate(cover, near) - cv2.erode(cover, near) > 1 - 2 * CLEAR
    partly = ((cover > CLEAR) & (cover < 1 - CLEAR)).astype(np.uint8)
    return np.asarray(edge & (cv2.dilate(partly, np.ones((3, 3), np.uint8)) > 0))


def _causes(shot: Shot, engine: Engine, moment: Moment, wrong: NDArray[np.bool_]) -> list[HomeCause]:
    """What is seen where a frame is wrong, the largest share first."""
    seen = engine.measure(moment)
    geometry, throws = engine.geometry, engine.throws
    face, pair = seen.face[wrong], seen.pair[wrong]
    # none is −1: the last place
    solid, plate = np.append(geometry.solid, -1)[face], np.append(throws.pair_plate, -1)[pair]
    ys, xs = np.nonzero(wrong)
    out = []
    for s, p in sorted({*zip(solid.tolist(), plate.tolist(), strict=True)}):
        mine = (solid == s) & (plate == p)
        surface = geometry.solid_ids[s] if s >= 0 else ""
        of = throws.plates[p] if p >= 0 else None
        at = int(np.argmin(np.hypot(xs - np.median(xs[mine]), ys - np.median(ys[mine])) + 1e9 * ~mine))
        unit = moment.view.unit
        spots = np.stack([xs[mine], ys[mine]], axis=1) + 0.5
        why, who = _sunk(shot, moment, surface, spots) or _why(shot, moment, surface, of)
        out.append(
            HomeCause(
                surface=surface,
                plate=of,
                why=why,
                who=who,
                percent=100 * float(mine.sum()) / wrong.size,
                at=(float((xs[at] + 0.5) * unit), float((ys[at] + 0.5) * unit)),
            )
        )
    return sorted(out, key=lambda c: -c.percent)


def _sunk(shot: Shot, moment: Moment, surface: str, spots: NDArray) -> tuple[HomeWhy, str] | None:
    """Whether a flat lies under the ground at most of some pixels (N, 2), and its id."""
    ground = next((s for s in shot.solids if s.id == surface and isinstance(s, Ground)), None)
    if ground is None:
        return None
    view, level = moment.view, float(faces_of(ground).vertices[:, 1].max())
    rays = view.rays(spots)
    for flat in shot.set_pieces:
        if not isinstance(flat, Flat) or flat.id in moment.poses:
            continue
        out, right = heading(flat.heading_deg)
        foot, (west, east, bottom, top) = np.array(flat.foot), flat.extent
        far = float((foot - view.position) @ out) / (rays @ out)
        on = view.position + rays * far[:, None] - foot
        aside, rise = on @ right, on[:, 1]
        there = (far > 0) & (aside > west) & (aside < east) & (rise > bottom) & (rise < min(top, level - foot[1]))
        if there.mean() > 0.5:
            return "sunk", flat.id
    return None


def _why(shot: Shot, moment: Moment, surface: str, plate: str | None) -> tuple[HomeWhy, str]:
    """Why a pixel of a surface is not the photo's, and the id of the piece or plate that it is due to."""
    home = home_photo(shot)
    moved = [s for s, pose in moment.poses.items() if pose.scale != 1 or _apart(pose.shift, pose.rotation)]
    faded = [s for s, pose in moment.poses.items() if pose.opacity < 1]
    if surface in moved:
        return "moved", surface
    if surface in faded:
        return "faded", surface
    gone = next((s.id for s in shot.solids if not s.in_set), "")
    if not surface:
        return ("moved", moved[0]) if moved else ("hidden", gone) if gone else ("void", "")
    if plate is None:
        return ("moved", moved[0]) if moved else ("faded", faded[0]) if faded else ("bare", surface)
    own = shot.plate(plate)
    thrown = [t for t in shot.throws if t.plate == plate]
    if own.role == "clean":
        hidden = [s.id for s in shot.solids if not s.in_set and s.id in own.without]
        return ("hidden", hidden[0]) if hidden else ("clean", plate)
    if own.role == "added":
        return "added", plate
    if any(t.grade is not None for t in thrown):
        return "grade", plate
    if any(t.opacity < 1 for t in thrown):
        return "clear", plate
    if own.photo != home.id:
        return "photo", plate
    if any(s.do in TOUCHES and not s.off for s in own.steps):
        return "steps", plate
    if moved:
        return "moved", moved[0]
    if gone:
        return "hidden", gone
    return ("blend", plate) if own.file != home.file else ("order", plate)


def _apart(shift: NDArray, rotation: NDArray) -> bool:
    return bool(np.abs(shift).max() > SAME or np.abs(rotation - np.eye(3)).max() > SAME)
