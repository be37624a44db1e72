"""One frame, whatever it is delivered at."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import houses, key_of, looking

from roofline.core.camera import view_of
from roofline.core.massing.kinds import Backdrop
from roofline.core.move.frame import proofed, resized
from roofline.core.move.path import home_key, moments, view_of_key
from roofline.core.throw.check import check
from roofline.core.throw.engine import Engine, engine_of
from roofline.formats.package import document
from roofline.formats.pictures import to_display
from roofline.model.handoff import Framing
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Carrier, CarrierKey, Move
from roofline.model.photo import Photo, PhotoFacts, film_back_of
from roofline.model.shot import Shot


def moving() -> tuple[Shot, Engine]:
    """A pinned key, free ones with other lenses, a carrier, a pace, and a piece that moves."""
    far = looking(160, 100, 150, 24, -4, (0.5, 1.8, -1.2))
    shot, sources = houses(9, [key_of(looking(160, 100, 260 / 2, 20, -5, (0, 1.7, 0)), 1), key_of(far, 9)])
    keys = [shot.move.keys[0].model_copy(update={"home": True}), shot.move.keys[1]]
    shot.move = Move(
        keys=keys,
        carrier=Carrier(keys=[CarrierKey(frame=1, position=(0, 0, 0)), CarrierKey(frame=9, position=(0.1, 0, 0))]),
        speed=[(1, 0), (5, 0.7), (9, 1)],
    )
    shot.solids[1].motion = Motion(keys=[MotionKey(frame=1), MotionKey(frame=9, offset=(0.2, 0, 0))])
    back = Backdrop.through(looking(320, 200, 260, 20, -5, (0, 1.7, 0)), "back", "Back", 25.0)
    shot.solids.append(back)
    shot.throws[0].targets.append("back")
    return shot, engine_of(shot, sources)


def at(shot: Shot, width: int, height: int) -> Shot:
    return shot.model_copy(update={"delivery": resized(shot, width, height)})


def angles(shot: Shot) -> list[np.ndarray]:
    """Directions to the corners of every frame."""
    out = []
    for m in moments(shot):
        w, h = m.view.width, m.view.height
        out.append(m.view.rays(np.array([(0, 0), (w, 0), (w, h), (0, h)])))
    return out


@pytest.mark.parametrize("framing", [None, Framing(scale=1.6, centre=(140.0, 110.0))])
def test_another_size_is_the_same_frame(framing):
    shot, _ = moving()
    shot.delivery = shot.delivery.model_copy(update={"framing": framing})
    first = angles(shot)
    for size in ((80, 50), (320, 200), (160, 100)):
        shot = at(shot, *size)
        assert np.allclose(angles(shot), first, atol=1e-12)


def test_frames_at_other_sizes_show_and_say_the_same():
    shot, engine = moving()
    big = at(at(at(shot, 80, 50), 640, 400), 960, 600)
    one = {m.frame: engine.picture(m) for m in moments(big)}
    reports = []
    for size in ((480, 300), (320, 200)):
        small = at(big, *size)
        for m in moments(small):
            got, wanted = engine.picture(m), cv2.resize(one[m.frame], size, interpolation=cv2.INTER_AREA)
            off = to_display(got[..., :3]) - to_display(wanted[..., :3])
            assert -10 * np.log10(np.mean(off**2)) > 40, (size, m.frame)
        reports.append(check(engine, moments(small), small.limits).frames)
    for a, b in zip(*reports, strict=True):
        assert abs(a.gap - b.gap) < 0.1 and abs(a.smeared - b.smeared) < 0.3, (a, b)  # soft is of the delivered pixels


def test_another_aspect_keeps_the_height_and_its_width_follows_within_the_photo():
    shot, _ = moving()
    shot.delivery.framing = Framing(scale=1.2, centre=(110.0, 90.0))  # 192 × 120 photo pixels
    narrow = resized(shot, 100, 100)
    assert narrow.framing is not None and narrow.framing.scale * 100 == pytest.approx(120)
    assert narrow.framing.centre == (110, 90)
    wide = resized(shot, 240, 100)  # 288 wide of 320: it has to go aside to stay within
    assert wide.framing is not None and wide.framing.scale == pytest.approx(1.2)
    assert wide.framing.centre == (pytest.approx(144), 90)
    widest = resized(shot, 400, 100)  # 480 would be wider than the photo
    assert widest.framing is not None and widest.framing.scale * 400 == pytest.approx(320)
    assert widest.framing.centre[0] == pytest.approx(160)


def test_a_key_keeps_its_zoom_and_its_lens_at_home_wherever_the_frame_lies():
    shot, _ = moving()
    zooms = [k.zoom for k in shot.move.keys]
    shot.delivery.framing = Framing(scale=0.8, centre=(150.0, 95.0))
    assert [k.zoom for k in shot.move.keys] == zooms
    home, last = home_key(shot, 1), shot.move.keys[-1]
    assert view_of_key(shot, home).focal == pytest.approx(260 / 0.8)
    assert view_of_key(shot, last).focal / view_of_key(shot, home).focal == pytest.approx(zooms[-1])
    # home through the frame is the photo through the same window
    photo = view_of(shot.photos[0].camera)
    window = np.array([150.0, 95.0]) + 0.8 * (np.array([[0, 0], [160, 100]]) - [80, 50])
    assert np.allclose(view_of_key(shot, home).rays(np.array([[0.0, 0], [160, 100]])), photo.rays(window))


def test_packages_keep_their_focal_lengths_in_delivered_pixels():
    shot, _ = moving()
    said = [k["focal_px"] for k in document(shot)["move"]["keys"]]
    assert said == pytest.approx([130, 150]) and "zoom" not in document(shot)["move"]["keys"][0]
    again = Shot.model_validate(document(shot))
    assert [k.zoom for k in again.move.keys] == pytest.approx([k.zoom for k in shot.move.keys])
    assert [k["focal_px"] for k in document(at(shot, 320, 200))["move"]["keys"]] == pytest.approx([260, 300])


def test_without_a_photo_a_lens_is_an_angle():
    shot, _ = moving()
    bare = shot.model_dump() | {"photos": [], "plates": [], "throws": []}
    for key in bare["move"]["keys"]:
        key.update(home=False, zoom=None, focal_px=150.0)
        del key["zoom"]
    bare = Shot.model_validate(bare)
    assert view_of_key(bare, bare.move.keys[0]).focal == pytest.approx(150)
    assert view_of_key(at(bare, 320, 200), bare.move.keys[0]).focal == pytest.approx(300)


@given(st.lists(st.tuples(st.integers(16, 4000), st.integers(16, 4000)), min_size=1, max_size=6))
@settings(max_examples=60)
def test_sizes_one_after_another_never_leave_the_photo_nor_grow_taller(sizes):
    shot, _ = SHOT
    tall = shot.framing.scale * shot.delivery.height
    for size in sizes:
        shot = at(shot, *size)
        f, d = shot.framing, shot.delivery
        assert (d.width, d.height) == size
        assert f.scale * d.height <= tall * (1 + 1e-9) or f.scale * d.width == pytest.approx(320)
        assert f.scale * d.width <= 320 * (1 + 1e-9)
        tall = f.scale * d.height


SHOT = houses(9, [])


def test_a_proof_is_the_same_frame_in_fewer_pixels():
    shot, _ = moving()
    half = proofed(shot, 2)
    assert (half.delivery.width, half.delivery.height) == (80, 50) and np.allclose(angles(half), angles(shot))
    assert proofed(shot, 1) is shot and shot.delivery.width == 160


# ---------------------------------------------------------------- film back


def test_a_film_back_is_turned_and_cut_as_the_photo_is():
    def pitch(width, height, back):
        return Photo(id="a", name="a", file="a", width=width, height=height, film_back_mm=back).mm_a_pixel

    assert pitch(6000, 4000, None) == pytest.approx(0.006)
    assert pitch(6000, 4000, (36, 24)) == pitch(4000, 6000, (36, 24)) == pytest.approx(0.006)
    assert pitch(4000, 4000, (36, 24)) == pytest.approx(0.006)  # a square of it has all of the height
    assert pitch(6000, 3375, (36, 24)) == pytest.approx(0.006)  # 16 : 9 of it has all of the width


def test_two_focal_lengths_of_a_file_tell_its_film_back():
    back = film_back_of(PhotoFacts(focal_mm=4.3, focal_35mm=26), 4000, 3000)
    assert back is not None and np.hypot(*back) == pytest.approx(np.hypot(36, 24) * 4.3 / 26, abs=0.02)
    assert back[0] / back[1] == pytest.approx(4 / 3, rel=0.01)
    assert film_back_of(PhotoFacts(focal_35mm=26), 4000, 3000) is None
    assert film_back_of(PhotoFacts(focal_mm=1e4, focal_35mm=1), 4000, 3000) is None
