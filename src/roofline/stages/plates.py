"""The Plates stage: plates, their outlines, what is thrown on what. Steps: see `stepping`; clean plates: `clean`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roofline.core.camera import view_of
from roofline.core.massing.kinds import Flat
from roofline.core.moment import still
from roofline.core.plates.coverage import enclosed
from roofline.core.plates.matching import LEAST, Match, held_around, held_together, match
from roofline.core.throw.merit import by_merit
from roofline.errors import NotFound, PlateError
from roofline.model.base import Vec2, Vec4
from roofline.model.photo import Photo
from roofline.model.plates import Outline, Plate, Throw, ThrowChange
from roofline.model.shot import Shot
from roofline.model.steps import Grade, Loop, OutlineStep
from roofline.model.survey import Camera
from roofline.stages.move import moment
from roofline.stages.photo import photo_of
from roofline.stages.shots import fresh_id
from roofline.store.orders import Order
from roofline.store.store import MadeFrom
from roofline.work.desk import Desk
from roofline.work.jobs import Job, Tell

MERIT_FRAMES, MERIT_WIDTH = 12, 320  # of the move, that an order is found by
MATCH_WIDTH = 480  # pixels of the photo that two plates are held together in


def plate_of(shot: Shot, plate_id: str) -> Plate:
    """The plate with this id; raises NotFound."""
    try:
        return shot.plate(plate_id)
    except KeyError:
        raise NotFound(f"There is no plate '{plate_id}'.") from None


def sized(photo: Photo) -> tuple[int, int]:
    """Width and height of a photo; raises PlateError where they are not known."""
    if photo.width is None or photo.height is None:
        raise PlateError(f"The size of the photo '{photo.name}' is not known: survey it first.")
    return photo.width, photo.height


def box_of(points: Sequence[Vec2], width: int, height: int, margin: float) -> Vec4:
    """Whole-pixel canvas x0, y0, width, height around points and a margin, kept inside the photo.

    Raises PlateError when nothing of it lies inside the photo.
    """
    p = np.array(points)
    low, high = np.floor(p.min(0) - margin), np.ceil(p.max(0) + margin)
    x0, y0 = max(0, int(low[0])), max(0, int(low[1]))
    x1, y1 = min(width, int(high[0])), min(height, int(high[1]))
    if x1 - x0 < 2 or y1 - y0 < 2:
        raise PlateError("The outline holds no part of the photo: draw it around what stands in front.")
    return x0, y0, x1 - x0, y1 - y0


def outline(desk: Desk, shot_id: str, photo_id: str, drawn: Outline, name: str | None) -> str:
    """Make a foreground plate from an outline. Returns its id."""
    photo = photo_of(desk.store.load(shot_id), photo_id)
    if not enclosed([np.array(drawn.points)]).area > 4:
        raise PlateError("The outline encloses no area: set points around what stands in front.")
    canvas = box_of(drawn.points, *sized(photo), 2 * drawn.feather_px + 4)
    step = OutlineStep(loops=[Loop(points=drawn.points)], feather_px=drawn.feather_px)
    made = ""

    def alter(shot: Shot) -> Shot:
        nonlocal made
        title = name or f"Foreground {1 + sum(p.role == 'foreground' for p in shot.plates)}"
        made = fresh_id(title, [p.id for p in shot.plates])
        source: dict[str, Any] = {"file": photo.file, "canvas": canvas, "role": "foreground", "steps": [step]}
        shot.plates.append(Plate(id=made, name=title, photo=photo_id, **source))
        shot.throws.insert(0, Throw(plate=made, targets=[]))
        return shot

    desk.store.change(shot_id, "Outline a plate", alter)
    return made


def fit(shot: Shot, plate: Plate, box: Vec4) -> None:
    """Let a plate's canvas hold a box; of a plate that is one outline of the photo it becomes the box.

    A file of its own lies where it lies.
    """
    if plate.file != shot.photo(plate.photo).file:
        return
    if len(plate.steps) == 1:
        plate.canvas = box
        return
    x0, y0, w, h = plate.canvas
    bx, by, bw, bh = box
    low = min(x0, bx), min(y0, by)
    plate.canvas = (*low, max(x0 + w, bx + bw) - low[0], max(y0 + h, by + bh) - low[1])


def rename(desk: Desk, shot_id: str, plate_id: str, name: str) -> None:
    def alter(shot: Shot) -> Shot:
        plate_of(shot, plate_id).name = name
        return shot

    desk.store.change(shot_id, "Rename a plate", alter)


def remove(desk: Desk, shot_id: str, plate_id: str) -> None:
    """Remove a plate, its clean plate and their throws."""

    def alter(shot: Shot) -> Shot:
        plate = plate_of(shot, plate_id)
        if plate.role == "photo" and sum(p.photo == plate.photo and p.role == "photo" for p in shot.plates) == 1:
            raise PlateError("The photo itself stays a plate; remove the photo to be rid of it.")
        gone = {plate_id} | {p.id for p in shot.plates if p.clean_of == plate_id}
        user = next((p for p in shot.plates if p.id not in gone and p.refers_to() & gone), None)
        if user is not None:
            raise PlateError(f"'{user.name}' is made with this plate: take that step out of it first.")
        # a shot is checked at every step: what names the plates goes first
        shot.throws = [t for t in shot.throws if t.plate not in gone]
        shot.plates = [p for p in shot.plates if p.id not in gone]
        return shot

    desk.store.change(shot_id, "Remove a plate", alter)


def set_throws(desk: Desk, shot_id: str, throws: list[Throw], revision: int | None) -> None:
    """Set what is thrown on what, in order. ``revision``: of the shot that the list was made from, see `MadeFrom`."""

    made_from = MadeFrom("throw", revision, "the throws")
    desk.store.change(shot_id, "Change the throws", lambda shot: _thrown(shot, throws), made_from)


def _thrown(shot: Shot, throws: list[Throw]) -> Shot:
    """The shot with these throws; clean plates see through what their foregrounds are thrown on."""
    shot.throws = throws
    for plate in shot.plates:
        if plate.clean_of:
            plate.without = [t for throw in throws if throw.plate == plate.clean_of for t in throw.targets]
    return shot


def change_throw(desk: Desk, shot_id: str, plate_id: str, what: ThrowChange) -> None:
    """Change one plate's throw: what it reaches, whether it looks, and its place in the order."""

    def alter(shot: Shot) -> Shot:
        at = next((i for i, t in enumerate(shot.throws) if t.plate == plate_id), None)
        if at is None:
            raise NotFound(f"The plate '{plate_id}' has no throw any more.")
        solids = {s.id for s in shot.solids}
        old = shot.throws[at]
        targets = [t for t in old.targets if t not in what.drop]
        targets += [t for t in dict.fromkeys(what.add) if t not in targets and t.partition("/")[0] in solids]
        occlusion = old.occlusion if what.occlusion is None else what.occlusion
        throws = list(shot.throws)
        opacity = old.opacity if what.opacity is None else what.opacity
        grade = None if what.ungraded else (what.grade or old.grade)
        first = [t for t in (old.first_on if what.first_on is None else what.first_on) if _reached(t, targets)]
        seam = None if what.unseamed else (what.seam or old.seam)
        looks = {"opacity": opacity, "grade": grade, "seam": seam}
        changed = {"targets": targets, "occlusion": occlusion, "first_on": first, **looks}
        throws[at] = old.model_copy(update=changed)
        if what.place is not None:
            throws.insert(min(what.place, len(throws) - 1), throws.pop(at))
        return _thrown(shot, throws)

    desk.store.change(shot_id, "Change the throws", alter)


def _reached(name: str, targets: Sequence[str]) -> bool:
    """Whether a surface is among targets, itself or with its piece."""
    return name in targets or name.partition("/")[0] in targets


def order_merit(desk: Desk, shot_id: str) -> Job:
    """Order the throws to be tried first where they serve best over the move."""
    shot = desk.store.load(shot_id)
    names = desk.engines.geometry(shot).names  # the plates' pictures may be worked out still: the order waits for them
    ready = {p.id for p in shot.plates if shot.photo(p.photo).camera is not None}
    throws = [t for t in shot.throws if t.plate in ready]
    if not any(len({t.plate for t in throws if _reached(name, t.targets)}) > 1 for name in names):
        raise PlateError("No surface has two plates thrown on it: there is no order to be found.")
    return desk.order(shot_id, "merit", "Order throws by merit")


def run_merit(desk: Desk, order: Order, tell: Tell) -> dict[str, Any]:
    """Carry out such an order, as one undoable change."""
    shot, revision = desk.store.load_with_revision(order.shot)
    numbers = shot.frame_range
    every = max(1, (numbers[1] - numbers[0]) // MERIT_FRAMES)
    frames = [moment(shot, n, MERIT_WIDTH) for n in range(numbers[0], numbers[1] + 1, every)]
    throws, before, after = by_merit(shot, desk.engine, frames, lambda share: tell(share, "measuring the move"))
    desk.store.change(order.shot, "Order throws by merit", lambda s: _thrown(s, throws), MadeFrom(None, revision))
    desk.changed(order.shot)
    count = sum(len(t.first_on) for t in throws)
    return {"before": before, "after": after, "surfaces": count}


def matched(desk: Desk, shot_id: str, plate_id: str, other_id: str) -> Match:
    """The grade that makes a plate look like another one, as that is graded, on the surfaces that both show; nothing is
    kept."""
    shot = desk.store.load(shot_id)
    plate, other = plate_of(shot, plate_id), plate_of(shot, other_id)
    photo = shot.photo(plate.photo)
    if plate_id == other_id:
        raise PlateError("A plate is matched to another one.")
    if photo.camera is None or photo.camera.position is None or not shot.solids:
        raise PlateError("Plates are matched through the set: survey the photo and build what it shows first.")
    grades = {t.plate: t.grade for t in shot.throws}
    now, wanted = grades.get(plate_id), grades.get(other_id)
    sides = ((plate, None), (other, wanted))
    (mine, own), (theirs, their) = (_alone(desk, shot, p, g, photo.camera, True) for p, g in sides)
    same = (own == their) & (own != "")
    whole = (mine[..., 3] > 0.99) & (theirs[..., 3] > 0.99)
    if np.count_nonzero(same & whole) >= LEAST:
        return match(held_together(mine, theirs, same), now)
    return match(held_around(*(_alone(desk, shot, p, g, photo.camera, False)[0] for p, g in sides)), now)


def _alone(
    desk: Desk, shot: Shot, plate: Plate, grade: Grade | None, camera: Camera, cut_outs: bool
) -> tuple[NDArray[np.float64], NDArray[np.str_]]:
    """A plate alone on what it is thrown on, (H, W, 4) as a photo's camera sees it, and the names (H, W) of the
    surfaces that show it; on all of the set where it is not thrown yet.

    ``cut_outs``: whether others stand there: behind them a photo shows them, not the surface that it lands on.
    """
    targets = [n for t in shot.throws if t.plate == plate.id for n in t.targets]
    targets = targets or [s.id for s in shot.solids if not isinstance(s, Flat)]
    own = {n.partition("/")[0] for n in targets}
    solids = [s for s in shot.solids if cut_outs or not isinstance(s, Flat) or s.id in own]
    alone = shot.model_copy(update={"solids": solids, "throws": [Throw(plate=plate.id, targets=targets, grade=grade)]})
    seen = still(view_of(camera).across(MATCH_WIDTH))
    engine = desk.engine(alone)
    face = engine.nearest(seen)
    names = np.array([*(n if _reached(n, targets) else "" for n in engine.geometry.names), ""])
    return engine.picture(seen).astype(np.float64), names[face]


def telling(shot: Shot) -> tuple[str, str | None]:
    """The stage's figure, and what is wrong."""
    n = len(shot.plates)
    used = {t.plate for t in shot.throws if t.targets} | {i for p in shot.plates for i in p.refers_to()}
    takes = {p.id for p in shot.photos if p.steady_px is not None}  # seen through other plates' fills
    loose = [p.name for p in shot.plates if p.id not in used and not (p.role == "photo" and p.photo in takes)]
    if all(isinstance(s, Flat) for s in shot.solids):  # layers: what they make together is there to look at
        loose = []
    return (
        f"{n} plate{'s' if n != 1 else ''} · {sum(bool(t.targets) for t in shot.throws)} thrown",
        f"{loose[0]} is thrown on nothing" if loose and shot.solids else None,
    )
