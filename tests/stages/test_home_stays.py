"""Home stays the photo: what moves rests there, what is hidden is gone, fills cover nothing true."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import write_folder
from tests.formats.by_hand import document
from tests.stages.conftest import ended
from tests.stages.test_stage_clean import VIEW, silo  # noqa: F401

from roofline.core.massing.arrange import pushed
from roofline.core.massing.kinds import Backdrop, Flat
from roofline.core.massing.solids import faces_of
from roofline.core.move.findings import home_findings
from roofline.core.move.home import home_moment, home_report, photo_alone
from roofline.core.move.path import home_key
from roofline.demo.shot import FOLDER as DEMO
from roofline.errors import Conflict, NotFound
from roofline.formats.pictures import png as as_png
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Carrier, CarrierKey, Move, TravelChange
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import Grade
from roofline.stages import clean, homing, move, moving
from roofline.stages.massing.arranging import Mark, arranged
from roofline.stages.shots import take_in


def pinned_on(desk, shot_id: str, frame: int) -> None:
    def alter(shot: Shot) -> Shot:
        keys = [home_key(shot, frame), home_key(shot, 6).model_copy(update={"home": False, "id": "other"})]
        return shot.model_copy(update={"move": Move(keys=keys)})

    desk.store.change(shot_id, "Pin", alter)


def keys_of(motion: Motion) -> list[tuple[int, float]]:
    return [(k.frame, k.offset[0]) for k in motion.keys]


def test_what_gets_a_first_key_away_from_home_rests_there(desk, wall):
    pinned_on(desk, wall, 2)
    away = Motion(keys=[MotionKey(frame=6, offset=(1.5, 0, 0))])
    moving.set_motion(desk, wall, "w", away)
    assert keys_of(desk.store.load(wall).solids[0].motion) == [(2, 0), (6, 1.5)]
    assert not move.moment(desk.store.load(wall), 2).poses["w"].shift.any()
    # what is there by then is the hand's: another key brings no rest of its own, and the last one may be alone
    moving.set_motion(desk, wall, "w", away)
    assert keys_of(desk.store.load(wall).solids[0].motion) == [(6, 1.5)]
    desk.store.undo(wall)
    desk.store.undo(wall)
    assert desk.store.load(wall).solids[0].motion is None
    at_home = Motion(keys=[MotionKey(frame=2, offset=(1.5, 0, 0))])
    moving.set_motion(desk, wall, "w", at_home)
    assert keys_of(desk.store.load(wall).solids[0].motion) == [(2, 1.5)]  # said of home itself


def test_groups_and_the_carrier_rest_as_well(desk, wall):
    pinned_on(desk, wall, 1)
    arranged(desk, wall, Mark(ids=["w"], group="Walls"))
    moving.set_group_motion(desk, wall, "Walls", Motion(keys=[MotionKey(frame=5, offset=(0.5, 0, 0))]))
    assert keys_of(desk.store.load(wall).groups[0].motion) == [(1, 0), (5, 0.5)]
    ride = TravelChange(carrier=Carrier(keys=[CarrierKey(frame=6, position=(2, 0, 0))]))
    moving.set_travel(desk, wall, ride)
    assert [(k.frame, k.position[0]) for k in desk.store.load(wall).move.carrier.keys] == [(1, 0), (6, 2)]


def test_a_hidden_piece_is_gone_until_it_is_shown(desk, wall):
    def void() -> float:
        shot = desk.store.load(wall)
        return float((desk.engine(shot).measure(move.moment(shot, 1)).verdict == 5).mean())

    arranged(desk, wall, Mark(ids=["w"], hidden=True, in_set=False))
    assert void() == 1
    arranged(desk, wall, Mark(ids=["w"], in_set=True))
    shot = desk.store.load(wall)
    assert void() == 0 and shot.solids[0].hidden  # in the set, not drawn
    arranged(desk, wall, Mark(ids=["w"], in_set=False))
    arranged(desk, wall, Mark(ids=["w"], hidden=False))
    assert void() == 0 and desk.store.load(wall).solids[0].in_set


def told(desk, shot: Shot, width: int = 360):
    seen = home_moment(shot, width)
    return home_report(shot, desk.engine(shot), desk.engine(photo_alone(shot)), seen)


@pytest.mark.parametrize("how", ["smooth", "texture"])
def test_clean_plates_cover_no_good_photo(desk, silo, how):  # noqa: F811
    """Four cut-outs before the ground, their clean plates and those of all surfaces: home is the photo."""
    boxes = [(40, 190), (110, 195), (250, 200), (300, 190)]

    def alter(s: Shot) -> Shot:
        s.solids.append(Backdrop.through(VIEW, "back", "Back", 30.0))
        s.throws[0].targets.append("back")
        for n, (x, y) in enumerate(boxes):
            loop = [[x, y], [x + 30, y], [x + 30, y + 36], [x, y + 36]]
            step = {"do": "outline", "loops": [{"points": loop}], "feather_px": 1}
            given = {"id": f"cut{n}", "name": f"Cut {n}", "role": "foreground", "steps": [step]}
            s.plates.append(Plate.model_validate({**s.plates[0].model_dump(), **given}))
            ray = VIEW.rays(np.array([x + 15.0, y + 36.0]))
            foot = VIEW.position - ray * VIEW.position[1] / ray[1]  # where its foot is seen on the ground
            wide = {"heading_deg": 0.0, "extent": (-9, 9, 0, 9)}
            s.solids.append(Flat(id=f"flat{n}", name=f"Flat {n}", foot=tuple(foot.tolist()), **wide))
            s.throws.insert(0, Throw(plate=f"cut{n}", targets=[f"flat{n}"]))
        return s

    desk.store.change(silo, "Cut out", alter)
    for n in range(len(boxes)):
        job = ended(desk, clean.order_clean(desk, silo, f"cut{n}", 6.0, how))
        assert job.state == "done", job.error
    assert ended(desk, clean.order_all(desk, silo, "p", 6.0, how), 120).state == "done"
    shot = desk.store.load(silo)
    assert sum(p.role == "clean" for p in shot.plates) >= 6
    report = told(desk, shot)
    # what is left are rims of pieces, a pixel wide, on a photo of noise
    assert report.psnr_db > 45 and report.percent < 0.6, "\n".join(map(str, report.causes))


def spoilt(shot: Shot, how: str) -> None:
    """The wall's shot with something done to it that home is not the photo by."""
    wall, throw = shot.solids[0], shot.throws[0]
    if how == "moved":
        wall.motion = Motion(keys=[MotionKey(frame=6, offset=(3, 0, 0))])
    elif how == "hidden":
        wall.in_set = False
    elif how == "grade":
        throw.grade = Grade(exposure=2.0)
    elif how == "clean":
        fill = {"id": "fill", "name": "Fill", "role": "clean", "steps": [{"do": "grade", "exposure": 2.0}]}
        shot.plates.append(Plate.model_validate(shot.plates[0].model_dump() | fill))
        shot.throws.insert(0, Throw(plate="fill", targets=["w"]))
    elif how == "faded":
        flat = {"id": "f", "name": "Flat", "foot": (0, -20, -9), "heading_deg": 0, "extent": (-30, 30, 0, 40)}
        shot.solids.append(Flat.model_validate(flat | {"motion": {"keys": [{"frame": 6, "opacity": 0.0}]}}))
        shot.throws.insert(0, Throw(plate="p", targets=["f"]))
        shot.throws[1:] = []


@pytest.fixture
def papered(desk, tmp_path) -> str:
    """The wall of exchange.md, its photo a picture of many patches."""
    folder = write_folder(tmp_path / "pack", document(), (240, 160))
    patches = (np.random.default_rng(2).random((16, 24, 3)) * 255).astype(np.uint8)
    (folder / "a.png").write_bytes(as_png(np.kron(patches, np.ones((10, 10, 1), np.uint8))))
    return take_in(desk, folder)


@pytest.mark.parametrize("how", ["moved", "hidden", "grade", "clean", "faded"])
def test_a_press_takes_away_why_home_is_not_the_photo(desk, papered, how):
    wall = papered
    pinned_on(desk, wall, 1)

    def alter(shot: Shot) -> Shot:
        spoilt(shot, how)
        return shot

    desk.store.change(wall, "Spoil", alter)
    shot = desk.store.load(wall)
    finding = home_findings(shot, told(desk, shot))[0]
    assert finding.action == "mend_home" and finding.why == how and finding.remedy
    homing.mend(desk, wall, homing.Mend(why=finding.why, who=finding.who))
    mended = desk.store.load(wall)
    assert home_findings(mended, told(desk, mended)) == []
    desk.store.undo(wall)
    assert desk.store.load(wall) == shot


@pytest.mark.slow
def test_a_wheel_under_the_ground_is_seen_and_comes_forward_by_a_press(desk):
    """The demo's trolley, stood too far off: its nearer wheel is cut by the ground, on a share of a percent."""
    shot_id = take_in(desk, DEMO)
    whole = told(desk, desk.store.load(shot_id), 960)
    assert whole.psnr_db > 45 and home_findings(desk.store.load(shot_id), whole) == []

    def sink(shot: Shot) -> Shot:
        home = np.array(shot.photos[0].camera.position)
        shot.solids = [pushed(s, home, 1.08) if isinstance(s, Flat) else s for s in shot.solids]
        return shot

    desk.store.change(shot_id, "Push", sink)
    shot = desk.store.load(shot_id)
    report = told(desk, shot, 960)
    finding = home_findings(shot, report)[0]
    assert (finding.why, finding.who) == ("sunk", "trolley-and-lamp-flat") and report.percent < 0.1
    homing.mend(desk, shot_id, homing.Mend(why="sunk", who=finding.who))
    mended = desk.store.load(shot_id)
    [flat] = [s for s in mended.solids if isinstance(s, Flat)]
    assert min(v[1] for v in faces_of(flat).vertices) == pytest.approx(0, abs=1e-9)
    after = told(desk, mended, 960)
    assert home_findings(mended, after) == [] and after.psnr_db > 45


def test_what_no_press_can_decide_is_said(desk, wall):
    with pytest.raises(Conflict, match="Go to the frame"):
        homing.mend(desk, wall, homing.Mend(why="steps", who="p"))
    with pytest.raises(NotFound):
        homing.mend(desk, wall, homing.Mend(why="moved", who="gone"))
    pinned_on(desk, wall, 1)
    moving.set_motion(desk, wall, "w", Motion(drift=(1, 0, 0)))
    with pytest.raises(Conflict, match="drifts"):
        homing.mend(desk, wall, homing.Mend(why="moved", who="w"))
