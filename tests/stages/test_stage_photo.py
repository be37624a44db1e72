"""Photos brought, shown smaller and removed; what is delivered."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.stages.conftest import SQUARE, png

from roofline.errors import FormatError, MassingError, MoveError, NotFound
from roofline.model.handoff import Delivery, DeliveryChange, Framing
from roofline.model.shot import Shot
from roofline.model.survey import Tie
from roofline.stages import photo, plates, survey
from roofline.stages.shots import fresh_id, fresh_name


def test_a_photo_is_stored_as_it_came_with_a_plate_and_a_throw(desk, wall):
    data = png(seed=3)
    made = photo.bring(desk, wall, "Harbour wall.png", data)
    shot = desk.store.load(wall)
    got = shot.photo(made)
    assert (made, got.name, got.width, got.height) == ("harbour-wall", "Harbour wall", 40, 30)
    assert desk.store.blobs.read(got.file) == data
    plate = next(p for p in shot.plates if p.photo == made)
    assert plate.canvas == (0, 0, 40, 30) and plate.role == "photo"
    assert [t.targets for t in shot.throws if t.plate == plate.id] == [[]]


def test_a_photo_that_lies_on_its_side_is_stored_upright(desk, wall):
    pixels = np.zeros((20, 50, 3), np.uint8)
    pixels[:, :10] = (250, 20, 20)  # red at the left, as the sensor had it
    out, exif = io.BytesIO(), Image.Exif()
    exif[0x0112] = 6  # its right side is up: turned a quarter clockwise to be looked at
    Image.fromarray(pixels).save(out, "PNG", exif=exif)
    made = photo.bring(desk, wall, "side.png", out.getvalue())
    got = desk.store.load(wall).photo(made)
    assert (got.width, got.height) == (20, 50)
    stored = np.asarray(Image.open(io.BytesIO(desk.store.blobs.read(got.file))).convert("RGB"))
    assert stored.shape == (50, 20, 3) and (stored[:10] == (250, 20, 20)).all() and (stored[10:] == 0).all()


def test_what_is_no_picture_is_refused_and_nothing_has_changed(desk, wall):
    before = desk.store.load_with_revision(wall)
    with pytest.raises(FormatError):
        photo.bring(desk, wall, "notes.png", b"not a picture")
    assert desk.store.load_with_revision(wall) == before


def test_the_same_name_twice_gives_two_ids(desk, wall):
    made = [photo.bring(desk, wall, "shore.png", png(seed=n)) for n in range(3)]
    assert made == ["shore", "shore2", "shore3"]
    shot = desk.store.load(wall)
    assert len({shot.photo(m).file for m in made}) == 3


@pytest.mark.parametrize(
    ("prefix", "taken", "wanted"),
    [
        ("Küste & Dächer!", [], "k-ste-d-cher"),
        ("", [], "item"),
        ("///", ["item"], "item2"),
        ("a" * 90, [], "a" * 40),
        ("post", ["post", "post3"], "post2"),
    ],
)
def test_ids_are_made_of_names(prefix, taken, wanted):
    assert fresh_id(prefix, taken) == wanted


def test_names_count_on():
    assert fresh_name("Post", set()) == "Post"
    assert fresh_name("Post", {"Post"}) == "Post 2"
    assert fresh_name("Post 2", {"Post", "Post 2"}) == "Post 3"
    assert fresh_name("Post 9", {"Post 9", "Post 2"}) == "Post 3"


def test_a_photo_goes_with_all_that_names_it_and_comes_back_whole(desk, wall):
    other = photo.bring(desk, wall, "other.png", png(240, 160, seed=5))
    front = plates.outline(desk, wall, other, SQUARE, None)
    survey.tie(
        desk,
        wall,
        [
            Tie(id="t1", name="Both", seen={"a": (3, 4), other: (5, 6)}),
            Tie(id="t2", name="Alone", seen={other: (7, 8)}),
        ],
        "Share points",
        None,
    )
    survey.join(desk, wall, other, None, "a")
    before = desk.store.load(wall)
    photo.remove(desk, wall, other)
    shot = desk.store.load(wall)
    assert [p.id for p in shot.photos] == ["a"] and [p.id for p in shot.plates] == ["p"]
    assert front not in [t.plate for t in shot.throws]
    assert [(t.id, t.seen) for t in shot.ties] == [("t1", {"a": (3, 4)})]
    # the points of what is left can still be changed
    survey.tie(desk, wall, [], "Forget the points", None)
    desk.store.undo(wall)
    desk.store.undo(wall)
    assert desk.store.load(wall) == before


def test_what_stood_on_a_removed_photos_standpoint_stands_for_itself(desk, wall):
    other = photo.bring(desk, wall, "other.png", png(seed=5))
    survey.join(desk, wall, other, "one", "a")
    assert desk.store.load(wall).photo(other).standpoint == "a"
    photo.remove(desk, wall, "a")
    left = desk.store.load(wall).photo(other)
    assert left.standpoint is None and left.lens == "one"
    with pytest.raises(NotFound, match="no photo 'a'"):
        photo.remove(desk, wall, "a")


def test_a_camera_that_came_with_a_package_outlives_joining(desk, wall):
    camera = desk.store.load(wall).photo("a").camera
    photo.bring(desk, wall, "other.png", png(seed=5))
    survey.join(desk, wall, "a", "one", None)
    survey.join(desk, wall, "other", "one", None)
    assert desk.store.load(wall).photo("a").camera == camera


def test_the_set_framing_goes_with_the_last_camera(desk, wall):
    delivery = Delivery(width=120, height=80, fps=12, frames=6, framing=Framing(scale=1.5, centre=(100, 70)))
    photo.set_delivery(desk, wall, delivery)
    photo.remove(desk, wall, "a")
    assert desk.store.load(wall).delivery == delivery.model_copy(update={"framing": None})


def test_what_is_delivered_is_changed_field_by_field(desk, wall):
    photo.change_delivery(desk, wall, DeliveryChange(fps=25.0))
    photo.change_delivery(desk, wall, DeliveryChange(width=240, height=160))
    d = desk.store.load(wall).delivery
    assert (d.width, d.height, d.fps, d.frames) == (240, 160, 25, 6)
    with pytest.raises(MoveError, match="Beyond frame 5: 1 key of the camera"):
        photo.change_delivery(desk, wall, DeliveryChange(frames=5))
    assert desk.store.load(wall).delivery == d
    photo.change_delivery(desk, wall, DeliveryChange(frames=5, beyond="fit"))
    assert [k.frame for k in desk.store.load(wall).move.keys] == [1, 5]
    desk.store.undo(wall)
    photo.change_delivery(desk, wall, DeliveryChange(frames=5, beyond="leave"))
    assert [k.frame for k in desk.store.load(wall).move.keys] == [1, 6]


def test_smaller_pictures_for_the_screen_are_never_larger(desk, wall):
    for width, wanted in ((60, (60, 40)), (240, (240, 160)), (4000, (240, 160))):
        got = Image.open(io.BytesIO(photo.proxy(desk, wall, "a", width, False)))
        assert got.size == wanted and got.format == "JPEG"
    with pytest.raises(NotFound):
        photo.proxy(desk, wall, "b", 60, False)


def test_only_a_photo_with_a_camera_and_a_scale_is_surveyed(desk, wall):
    shot = desk.store.load(wall)
    assert photo.surveyed(shot)[0].id == "a" and photo.surveyed(shot, "a")[1].focal == 200
    other = photo.bring(desk, wall, "other.png", png(seed=1))
    with pytest.raises(MassingError, match="not surveyed yet"):
        photo.surveyed(desk.store.load(wall), other)
    shot.photos[0].camera = shot.photos[0].camera.model_copy(update={"position": None})
    with pytest.raises(MassingError, match="no scale yet"):
        photo.surveyed(shot, "a")


def test_the_rail_says_when_the_photo_is_enlarged(desk, wall):
    assert photo.telling(Shot(name="S")) == ("no photo yet", None)
    assert photo.telling(desk.store.load(wall)) == ("240 × 160 px · 2.00 : 1", None)
    photo.set_delivery(desk, wall, Delivery(width=480, height=320, fps=12, frames=6))
    assert photo.telling(desk.store.load(wall)) == ("240 × 160 px · 0.50 : 1", "the photo is enlarged")
