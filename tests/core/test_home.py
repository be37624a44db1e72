"""Home is the photo, and what is done to a set makes it speak, with the right cause."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import looking, photographed

from roofline.core.light import linear_of
from roofline.core.massing.arrange import pushed
from roofline.core.massing.kinds import Backdrop, Block, Flat, Ground
from roofline.core.move.findings import home_findings
from roofline.core.move.home import home_frame, home_moment, home_report, photo_alone
from roofline.core.move.path import home_key
from roofline.core.throw.engine import engine_of
from roofline.core.throw.throws import PlatePicture
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Move
from roofline.model.plates import Plate, Throw
from roofline.model.reports import HomeReport
from roofline.model.shot import Shot
from roofline.model.steps import Grade, GradeStep

W, H = 640, 400
VIEW = looking(W, H, 520, 20, -5, (0, 1.7, 0))


def place() -> tuple[Shot, dict[str, PlatePicture]]:
    """A yard with a house, a far backdrop and a figure cut out of the photo, its border soft; home on frame 5."""
    flat = Flat(id="figure", name="Figure", foot=(1.6, 0, -5.0), heading_deg=20.0, extent=(-0.6, 0.6, 0, 1.6))
    solids = [
        Ground(id="ground", name="Ground", size=(60, 60)),
        Block(id="house", name="House", corner=(1, 0, -12), size=(4, 3, 3)),
        Backdrop.through(VIEW, "back", "Back", 28.0),
        flat,
    ]
    throws = [Throw(plate="front", targets=["figure"]), Throw(plate="plate", targets=["ground", "house", "back"])]
    delivery = Delivery(width=320, height=200, frames=9)
    shot, pictures = photographed(VIEW, solids, [throws[1]], delivery=delivery)
    y, x = np.mgrid[0:H, 0:W] + 0.5
    foot = VIEW.project(np.array(flat.foot))
    matte = np.clip((60 - np.hypot((x - foot[0]) * 2, y - foot[1] + 70)) / 3 + 0.5, 0, 1).astype(np.float32)
    pictures["front"] = PlatePicture((W, H), matte, pictures["plate"].colour)
    front = shot.plates[0].model_copy(update={"id": "front", "name": "Front", "role": "foreground"})
    shot.plates.append(front)
    shot.throws = throws
    shot.move = Move(
        keys=[home_key(shot, 5), home_key(shot, 9).model_copy(update={"home": False, "id": "b", "zoom": 1.2})]
    )
    return shot, pictures


def told(shot: Shot, pictures: dict[str, PlatePicture]) -> HomeReport:
    alone = engine_of(photo_alone(shot), {"sheet": pictures["photo"] if "photo" in pictures else pictures["plate"]})
    return home_report(shot, engine_of(shot, pictures), alone, home_moment(shot, 320))


def test_home_is_the_photo_and_nothing_is_said():
    report = told(*place())
    assert report.frame == home_frame(place()[0]) == 5
    assert report.percent < 0.02 and report.psnr_db > 45 and home_findings(place()[0], report) == []


def inverted(picture: PlatePicture, matte=None) -> PlatePicture:
    return PlatePicture(picture.size, picture.matte if matte is None else matte, lambda: 1 - picture.colour())


def moved(shot, pictures):
    shot.solids[3].motion = Motion(keys=[MotionKey(frame=9, offset=(0.5, 0, 0))])


def faded(shot, pictures):
    shot.solids[3].motion = Motion(keys=[MotionKey(frame=1, opacity=0.4)])
    pictures["front"] = inverted(pictures["front"])  # what stands there is not what the photo has


def hidden(shot, pictures):
    shot.solids[2].in_set = False


def void(shot, pictures):
    shot.solids = [s for s in shot.solids if s.id != "back"]


def bare(shot, pictures):
    shot.throws[1].targets = ["ground", "back"]


def covered(shot, pictures):
    pictures["clean"] = inverted(pictures["plate"])
    shot.plates.append(shot.plates[0].model_copy(update={"id": "clean", "name": "Clean", "role": "clean"}))
    shot.throws.insert(0, Throw(plate="clean", targets=["house"]))


def added(shot, pictures):
    pictures["boat"] = inverted(pictures["plate"])
    shot.plates.append(shot.plates[0].model_copy(update={"id": "boat", "name": "Boat", "role": "added"}))
    shot.throws.insert(0, Throw(plate="boat", targets=["house"]))


def graded(shot, pictures):
    shot.throws[1].grade = Grade(exposure=1.0)


def clear(shot, pictures):
    pictures["veil"] = inverted(pictures["plate"])
    shot.plates.append(shot.plates[0].model_copy(update={"id": "veil", "name": "Veil"}))
    shot.throws.insert(0, Throw(plate="veil", targets=["house"], opacity=0.6))


def other(shot, pictures):
    view = looking(W, H, 520, 22, -5, (0.4, 1.7, 0))
    more, its = photographed(view, [], [], seed=7)
    shot.photos.append(more.photos[0].model_copy(update={"id": "second", "name": "Second"}))
    shot.plates.append(more.plates[0].model_copy(update={"id": "second", "name": "Second", "photo": "second"}))
    pictures["second"] = its["plate"]
    shot.throws.insert(0, Throw(plate="second", targets=["house"]))


def stepped(shot, pictures):
    shot.plates[0].steps = [GradeStep(exposure=1.0)]
    old = pictures["plate"]
    pictures["plate"] = PlatePicture(old.size, None, old.colour)
    pictures["stepped"] = PlatePicture(old.size, None, lambda: 0.5 * old.colour())


def elsewhere(shot, pictures):
    pictures["front"] = PlatePicture(
        (W, H), pictures["front"].matte, lambda: np.roll(pictures["plate"].colour(), 40, 1)
    )


def sunk(shot, pictures):
    """As a move in depth leaves it: the picture kept, and the feet under the ground, where a fill is seen instead."""
    shot.solids[3] = pushed(shot.solids[3], np.array(VIEW.position), 1.6)
    pictures["photo"] = pictures["plate"]
    pictures["plate"] = PlatePicture((W, H), (pictures["front"].matte == 0), pictures["plate"].colour)
    pictures["clean"] = inverted(pictures["plate"], np.ones((H, W)))
    shot.plates.append(shot.plates[0].model_copy(update={"id": "clean", "name": "Clean", "role": "clean"}))
    shot.throws.append(Throw(plate="clean", targets=["ground", "house", "back"]))


@pytest.mark.parametrize(
    ("what", "why", "who", "says"),
    [
        (sunk, "sunk", "figure", "Figure lies partly under Ground"),
        (moved, "moved", "figure", "Figure is off its place"),
        (faded, "faded", "figure", "Figure is not opaque"),
        (hidden, "hidden", "back", "Back is hidden"),
        (void, "void", "", "no piece stands there"),
        (bare, "bare", "house", "no plate lands on House"),
        (covered, "clean", "clean", "the fill of Clean covers the photo"),
        (added, "added", "boat", "Boat was added"),
        (graded, "grade", "plate", "graded where it is thrown"),
        (clear, "clear", "veil", "less than full opacity"),
        (other, "photo", "second", "Second, of another photo"),
        (stepped, "steps", "plate", "steps of plate change"),
        (elsewhere, "order", "front", "Front lies elsewhere"),
    ],
)
def test_what_is_done_to_a_set_makes_home_speak(what, why, who, says):
    shot, pictures = place()
    what(shot, pictures)
    if "stepped" in pictures:
        alone = engine_of(photo_alone(shot), {"sheet": pictures["plate"]})
        thrown = engine_of(shot, {**pictures, "plate": pictures["stepped"]})
        report = home_report(shot, thrown, alone, home_moment(shot, 320))
    else:
        report = told(shot, pictures)
    assert report.percent > 0.1
    worst = report.causes[0]
    assert (worst.why, worst.who) == (why, who)
    finding = home_findings(shot, report)[0]
    assert says in finding.text and f"{report.percent:.2f} %" in finding.text and finding.frame == 5
    by_press = ("moved", "faded", "hidden", "clean", "grade", "clear", "photo", "sunk")
    assert (finding.action == "mend_home") == (why in by_press) and (finding.why, finding.who) == (why, who)
    x, y = worst.at
    assert 0 < x < 320 and 0 < y < 200


def layered(blend: str) -> tuple[Shot, dict[str, PlatePicture], np.ndarray]:
    """A mist of 60 % in front of a wall, laid over it in display values by whoever made the flattened photo."""
    rng = np.random.default_rng(3)
    back = np.kron(rng.random((5, 8, 3)), np.ones((80, 80, 1)))[:H, :W]
    mist = np.full((H, W, 3), 0.9)
    flat = linear_of(0.6 * mist + 0.4 * back).astype(np.float32)
    wide, spots = {"heading_deg": 20.0, "extent": (-40, 40, -30, 40)}, {"far": (9, 0, -25), "near": (4.1, 0, -11.3)}
    solids = [Flat(id=n, name=n, foot=foot, **wide) for n, foot in spots.items()]
    shot, _ = photographed(VIEW, solids, [], delivery=Delivery(width=320, height=200, frames=3, blend=blend))
    base = shot.plates[0].model_dump()
    shot.plates += [Plate.model_validate(base | {"id": n, "name": n, "file": f"{n}.png"}) for n in ("back", "mist")]
    shot.throws = [Throw(plate="back", targets=["far"]), Throw(plate="mist", targets=["near"])]
    shot.plates[2].without = shot.plates[1].without = ["near", "far"]
    shot.move = Move(keys=[home_key(shot, 1)])
    pictures = {
        "plate": PlatePicture((W, H), None, lambda: flat),
        "back": PlatePicture((W, H), None, lambda: linear_of(back).astype(np.float32)),
        "mist": PlatePicture((W, H), np.full((H, W), 0.6, np.float32), lambda: linear_of(mist).astype(np.float32)),
    }
    return shot, pictures, flat


def test_layers_are_laid_over_one_another_as_they_were_painted():
    shot, pictures, _ = layered("as_painted")
    report = told(shot, pictures)
    assert report.psnr_db > 45 and home_findings(shot, report) == []
    shot, pictures, _ = layered("as_light")
    report = told(shot, pictures)
    assert report.psnr_db < 36 and report.causes[0].why == "blend"
    assert "blends differently than in the photo" in home_findings(shot, report)[0].text


def test_what_is_wide_of_white_is_kept_in_painted_layers():
    shot, pictures, flat = layered("as_painted")
    pictures["back"] = PlatePicture((W, H), None, lambda: np.full((H, W, 3), 4.0, np.float32))
    shot.throws = [shot.throws[0]]
    shot.solids = [shot.solids[0]]
    got = engine_of(shot, pictures).picture(home_moment(shot, 320))
    assert np.allclose(got[80:120, 100:200], 4.0 * np.array([1, 1, 1, 0.25]), rtol=1e-3)


def test_a_patch_is_told_of_however_small_a_share_of_the_frame_it_is():
    """Some 25 pixels of a frame of 64,000 are 0.04 %: a share of which nothing is said, yet seen as one spot."""
    shot, pictures = place()
    spotted = pictures["plate"].colour().copy()
    spotted[100:108, 300:308] = 1 - spotted[100:108, 300:308]  # four by four delivered pixels
    alone = engine_of(photo_alone(shot), {"sheet": pictures["plate"]})
    there = {**pictures, "plate": PlatePicture((W, H), pictures["plate"].matte, lambda: spotted, key="spotted")}
    report = home_report(shot, engine_of(shot, there), alone, home_moment(shot, 320))
    assert 0.005 < report.percent < 0.05 and home_findings(shot, report)
