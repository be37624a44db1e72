"""Videos as plates: on every frame the picture that stands there is seen, judged and delivered; nothing is worked out
anew that stays the same."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.conftest import camera_of, key_of, looking
from tests.formats.test_clips import film, pictures

from roofline.core.massing.kinds import Panel
from roofline.core.move.path import moment_at, shot_path
from roofline.core.throw.check import check
from roofline.formats.package import open_package, write_package
from roofline.formats.pictures import png, to_display
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw, Video
from roofline.model.shot import Shot
from roofline.model.steps import ColourStep, GradeStep
from roofline.work.engines import Engines
from roofline.work.kept import Kept
from roofline.work.render import Snapshot, deliver

W, H, FIRST = 96, 72, 1001
VIEW = looking(W, H, 80.0, 0.0, 0.0, (0.0, 1.5, 6.0))
WALL = Panel(id="wall", name="Wall", points=[(-5, -2, 0), (5, -2, 0), (5, 5, 0), (-5, 5, 0)])


def shot_of(video: Video, **more) -> Shot:
    """A wall that a grey photo lies on, with a video before it over the middle of the picture."""
    photo = Photo(id="photo", name="Photo", file="photo.png", width=W, height=H, camera=camera_of(VIEW))
    runs = Plate(id="film", name="Film", photo="photo", file="film.mkv", canvas=(16, 12, 64, 48), video=video, **more)
    aside = looking(W, H, 80.0, 0.0, 0.0, (0.3, 1.5, 6.0))
    keys = [key_of(VIEW, FIRST), key_of(aside, 1060)]
    return Shot(
        name="Films",
        photos=[photo],
        solids=[WALL],
        plates=[runs, Plate(id="still", name="Still", photo="photo", file="photo.png", canvas=(0, 0, W, H))],
        throws=[Throw(plate="film", targets=["wall"]), Throw(plate="still", targets=["wall"])],
        delivery={"width": W, "height": H, "fps": 24, "frames": 60, "first_frame": FIRST},
        move={"keys": keys},
    )


GREY = png(np.full((H, W, 3), 77, np.uint8))


@pytest.fixture(scope="module")
def files():
    return {"photo.png": GREY, "film.mkv": film()}


def middle(engines: Engines, shot: Shot, frame: int) -> np.ndarray:
    """The colour of the delivered middle of a frame, display values 0…255."""
    picture = engines.engine(shot).picture(moment_at(shot, shot_path(shot), frame))
    return to_display(picture[H // 2 + 12, W // 2 + 12, :3]) * 255


def colour(n: int) -> np.ndarray:
    return pictures()[n][-1, -1].astype(float)


@pytest.mark.parametrize(
    ("video", "at"),
    [
        (Video(first=FIRST), {FIRST: 0, 1007: 6, 1020: 19, 1060: 19}),
        (Video(first=1010, after="loop"), {1010: 0, 1009: 19, 1031: 1, FIRST: 11}),
        (Video(first=1010, rate=12, after="hold"), {1005: 0, 1010: 0, 1012: 1, 1013: 1, 1030: 10}),
        (Video(first=1005, rate=48), {1006: 2, 1014: 18, 1015: 19}),
    ],
)
def test_every_frame_shows_the_picture_that_stands_there(files, video, at):
    engines, shot = Engines(files.__getitem__, Kept()), shot_of(video)
    for frame, n in at.items():
        np.testing.assert_allclose(middle(engines, shot, frame), colour(n), atol=1.0, err_msg=str(frame))


def test_before_and_after_it_what_lies_behind_is_seen_and_judged(files):
    engines, shot = Engines(files.__getitem__, Kept()), shot_of(Video(first=1010, after="clear"))
    engine = engines.engine(shot)
    for frame, plate in ((1009, "still"), (1010, "film"), (1029, "film"), (1030, "still")):
        moment = moment_at(shot, shot_path(shot), frame)
        assert engine.probe(moment, (W / 2, H / 2)).plate == plate, frame
        pair = engine.measure(moment).pair[H // 2, W // 2]
        assert engine.throws.plates[engine.throws.pair_plate[pair]] == plate
        expected = (77, 77, 77) if plate == "still" else colour(frame - 1010)
        np.testing.assert_allclose(middle(engines, shot, frame), expected, atol=1.0)


def test_a_matte_from_its_colours_runs_with_it(files):
    """A pick of the seventh picture's colour leaves nothing of a picture that is quite another colour."""
    step = ColourStep(at=[(60.0, 50.0)], tolerance=3.0, joined=False)
    shot = shot_of(Video(first=FIRST), steps=[step])
    engines = Engines(files.__getitem__, Kept())
    wanted = shot.plate("film")
    mattes = [
        engines.worked(engines.standing(shot, f), engines.standing(shot, f).plate("film")).full_matte
        for f in (1001, 1015)
    ]
    assert 0.7 < mattes[0].mean() < 0.8  # three quarters have the picked colour, picked anew on every picture
    assert wanted.still is None
    assert engines.engine(shot).running.mattes


def test_graded_as_it_runs(files):
    shot = shot_of(Video(first=FIRST), steps=[GradeStep(exposure=-1.0)])
    engines = Engines(files.__getitem__, Kept())
    plain = Engines(files.__getitem__, Kept())
    for frame in (1003, 1012):
        light = [(np.asarray(c) / 255) for c in (middle(plain, shot_of(Video(first=FIRST)), frame),)][0]
        linear = np.where(light <= 0.04045, light / 12.92, ((light + 0.055) / 1.055) ** 2.4) / 2
        halved = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055) * 255
        np.testing.assert_allclose(middle(engines, shot, frame), halved, atol=1.2)


def test_what_stays_is_worked_out_once(files):
    engines, shot = Engines(files.__getitem__, Kept()), shot_of(Video(first=FIRST))
    for frame in range(FIRST, FIRST + 12):
        middle(engines, shot, frame)
    made = engines.kept.made
    assert (made["sight"], made["geometry"], made["clip"]) == (1, 1, 1)
    assert made["pyramid"] == 12 + 1  # each picture of the video, and the photo
    for frame in range(FIRST, FIRST + 12):
        middle(engines, shot, frame)
    assert made["pyramid"] == 13
    engines.engine(shot).measure(moment_at(shot, shot_path(shot), 1040))
    assert made["sight"] == 1


def test_the_check_is_that_of_a_picture_in_its_place(files):
    """The matte of an opaque video is the same on every frame: verdicts are those of any of its pictures."""
    shot = shot_of(Video(first=FIRST))
    stand_in = shot.model_copy(deep=True)
    stand_in.plates[0].video, stand_in.plates[0].file = None, "one.png"
    one = {**files, "one.png": png(pictures()[5])}
    frames = [moment_at(shot, shot_path(shot), f) for f in (1001, 1030, 1060)]
    got = check(Engines(one.__getitem__, Kept()).engine(shot), frames, shot.limits)
    expected = check(Engines(one.__getitem__, Kept()).engine(stand_in), frames, shot.limits)
    assert got == expected
    assert {c.plate for f in got.frames for c in f.causes} <= {None, "film", "still"}


def test_delivered_and_packed(files, tmp_path):
    shot = shot_of(Video(first=1003, rate=12, after="loop"))
    write_package(shot, files.__getitem__, tmp_path / "films.zip")
    back = open_package(tmp_path / "films.zip")
    assert back.shot.plate("film").video == Video(first=1003, rate=12, after="loop")
    assert back.shot.plate("film").file.endswith(".mkv")
    out = deliver(Snapshot(back.shot, back.read, "png"), tmp_path / "frames", "films", FIRST, 1009)
    for path, n in zip(out, (19, 19, 0, 0, 1, 1, 2, 2, 3), strict=True):
        seen = cv2.cvtColor(cv2.imread(str(path)), cv2.COLOR_BGR2RGB)
        np.testing.assert_allclose(seen[H // 2 + 12, W // 2 + 12], colour(n), atol=1.0)


def test_a_video_needs_its_file_and_says_what_is_wrong():
    with pytest.raises(ValueError, match="runs as a video, and has no file"):
        Plate(
            id="x", name="X", photo="p", tone={"from": (0, 0, 0), "to": (1, 1, 1)}, canvas=(0, 0, 1, 1), video=Video()
        )
