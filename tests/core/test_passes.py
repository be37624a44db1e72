"""A flat pushed under its ground may be drawn before it: home is the photo, and no ghost stays on the ground."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.test_home import VIEW, H, W, inverted, place, sunk, told

from roofline.core.massing.arrange import pushed
from roofline.core.massing.kinds import Flat
from roofline.core.massing.solids import faces_of
from roofline.core.moment import still
from roofline.core.throw.engine import engine_of
from roofline.core.throw.throws import PlatePicture
from roofline.model.base import VERDICTS


def through(rise: float | None = 0.0):
    shot, pictures = place()
    sunk(shot, pictures)
    shot.solids[3] = shot.solids[3].model_copy(update={"passes": rise})
    return shot, pictures


def test_home_is_the_photo_with_the_feet_drawn_before_the_ground():
    shot, pictures = through()
    report = told(shot, pictures)
    shot.solids[3] = place()[0].solids[3]  # as it stood before it was pushed
    stood = told(shot, pictures)
    assert report.percent < 0.02 and report.causes == [] and report.psnr_db > stood.psnr_db - 0.2
    assert told(*through(None)).percent > 0.1


@pytest.mark.parametrize("aside", [-0.6, 0.0, 0.4])
def test_it_moves_as_one_sheet_wherever_the_eye_stands(aside):
    """What is seen of the flat from elsewhere is what is seen of it with no ground at all."""
    shot, pictures = through()
    eye = still(replace(VIEW, position=np.array(VIEW.position) + [aside, 0.1, -0.2]).across(320))
    engine = engine_of(shot, pictures)
    seen = np.array(engine.geometry.names)[engine.measure(eye).face]
    bare = shot.model_copy(update={"solids": [s for s in shot.solids if s.id not in ("ground", "back", "house")]})
    alone = engine_of(bare, pictures)
    face = alone.measure(eye).face
    there = (face >= 0) & (np.char.find(np.append(np.array(alone.geometry.names), "")[face], "figure") == 0)
    assert there.sum() > 200
    assert np.all(np.char.find(seen[there], "figure") == 0)
    assert (seen[there] == "figure/below").sum() > 40 and (seen[there] == "figure/front").sum() > 40


def test_the_ground_takes_no_picture_where_the_photo_shows_the_feet():
    """With nothing thrown there but the photo, the ground behind the feet is bare, as behind any flat."""
    aside = still(replace(VIEW, position=np.array(VIEW.position) + [-0.8, 0.0, 0.0]).across(320))

    def bare(rise: float | None) -> np.ndarray:
        shot, pictures = through(rise)
        shot.throws = [t for t in shot.throws if t.plate != "clean"]
        pictures["plate"] = PlatePicture((W, H), None, pictures["plate"].colour)
        engine = engine_of(shot, pictures)
        got = engine.measure(aside)
        return (np.array(engine.geometry.names)[got.face] == "ground/top") & (got.verdict == VERDICTS.index("bare"))

    more = bare(0.0) & ~bare(None)
    feet = VIEW.project(faces_of(through()[0].solids[3]).vertices[:2])
    assert more.sum() > 20
    spots = np.argwhere(more)[:, ::-1] + 0.5
    world = aside.view.position + aside.view.rays(spots) * (-aside.view.position[1] / aside.view.rays(spots)[:, 1:2])
    in_photo = VIEW.project(world)
    assert np.all(in_photo[:, 0] > feet[0, 0] - 8) and np.all(in_photo[:, 0] < feet[1, 0] + 8)


def test_what_stands_before_it_still_hides_it():
    shot, pictures = through()
    post = Flat(id="post", name="Post", foot=(1.6, 0, -4.0), heading_deg=20.0, extent=(-0.1, 0.1, 0, 2))
    shot.solids.append(post)
    pictures["post"] = inverted(pictures["photo"])
    shot.plates.append(shot.plates[0].model_copy(update={"id": "post", "name": "Post", "role": "added"}))
    shot.throws = [*shot.throws, shot.throws[0].model_copy(update={"plate": "post", "targets": ["post"]})]
    engine = engine_of(shot, pictures)
    moment = still(VIEW.across(320))
    names = np.array(engine.geometry.names)[engine.measure(moment).face]
    spot = VIEW.project(np.array([1.6, 0.05, -4.0])) / 2
    assert names[int(spot[1]), int(spot[0])] == "post/front"


def test_an_eye_below_the_level_sees_it_as_it_stands():
    shot, pictures = through()
    view = replace(VIEW, position=np.array([VIEW.position[0], -0.4, VIEW.position[2]])).across(320)
    depth = engine_of(shot, pictures).depth(still(view))
    plain = engine_of(*through(None)).depth(still(view))
    assert np.array_equal(np.isfinite(depth), np.isfinite(plain))
    assert np.allclose(depth[np.isfinite(depth)], plain[np.isfinite(plain)], rtol=1e-9)


@pytest.mark.parametrize(("rise", "names"), [(None, 1), (-3.0, 1), (0.4, 2), (1.0, 2), (9.0, 1)])
def test_its_faces_are_parted_at_the_level(rise, names):
    flat = Flat(id="f", name="F", foot=(0, 0.2, -4), heading_deg=10, extent=(-1, 1, -0.5, 2), passes=rise)
    faces = faces_of(flat)
    area = sum(
        np.linalg.norm(np.cross(v[1] - v[0], v[2] - v[0])) for v in (faces.vertices[loop] for loop in faces.loops)
    )
    assert len(faces.names) == names and area == pytest.approx(5.0)
    if names == 2:
        assert faces.vertices[faces.loops[0]][:, 1].max() == pytest.approx(rise)
        assert faces.vertices[faces.loops[1]][:, 1].min() == pytest.approx(rise)


def test_what_comes_in_between_is_told_by_its_share():
    shot, pictures = place()
    engine = engine_of(shot, pictures)
    assert engine.order(still(VIEW.across(320)), "figure") == ({}, {})
    far = pushed(shot.solids[3], np.array(VIEW.position), 2.5)  # behind the house's front
    behind = shot.model_copy(update={"solids": [*shot.solids[:3], far]})
    by, hides = engine_of(behind, pictures).order(still(VIEW.across(320)), "figure")
    alone = engine_of(behind.model_copy(update={"solids": [far]}), pictures)
    whole = (alone.nearest(still(VIEW.across(320))) >= 0).sum()
    names = np.array(engine_of(behind, pictures).geometry.names)
    shown = names[engine_of(behind, pictures).nearest(still(VIEW.across(320)))] == "figure/front"
    assert whole > 100 and hides == {} and set(by) <= {"house", "ground"}
    assert sum(by.values()) == pytest.approx(1 - shown.sum() / whole, abs=1e-9) and sum(by.values()) > 0.3


def test_a_flat_tells_which_others_it_hides():
    shot, pictures = place()
    twin = pushed(shot.solids[3], np.array(VIEW.position), 1.5).model_copy(update={"id": "twin", "name": "Twin"})
    shot.solids.append(twin)
    shot.throws[0].targets.append("twin")
    moment, engine = still(VIEW.across(320)), engine_of(shot, pictures)
    by, hides = engine.order(moment, "figure")
    assert by == {} and hides["twin"] > 0.9
    by, hides = engine.order(moment, "twin")
    assert by["figure"] > 0.9 and hides == {}
