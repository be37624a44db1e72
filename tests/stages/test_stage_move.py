"""Keys and limits set, frames looked at, moves checked and brought back."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.stages.conftest import ended

from roofline.core.camera import pan_tilt_roll, quaternion_to_matrix
from roofline.core.move.path import moment_at, shot_path
from roofline.core.throw.check import check_frame
from roofline.errors import Conflict, MoveError, NotFound, RoofLineError
from roofline.model.base import VERDICTS
from roofline.model.move import Key, Limits, LimitsChange, Move, SurfaceLimits
from roofline.stages import keys as camera_keys
from roofline.stages import move, photo

AHEAD = (0.0, 1.0, 0.0, 0.0)


def key(frame: int, x: float = 0.0, **more) -> Key:
    return Key(**{"frame": frame, "position": (x, 1.5, 0.0), "rotation": AHEAD, "focal_px": 100.0} | more)


def frames(desk, wall) -> list[int]:
    return [k.frame for k in desk.store.load(wall).move.keys]


def aside(desk, wall, x: float) -> None:
    """A move from home x metres to the right: the wall's picture ends 6 m to the right of home."""
    camera_keys.set_key(desk, wall, "6", key(6, x))


# ---------------------------------------------------------------- set


def test_a_key_takes_the_place_of_the_one_it_was_and_of_any_on_its_frame(desk, wall):
    camera_keys.set_key(desk, wall, "new", key(3, 0.5))
    assert frames(desk, wall) == [1, 3, 6]
    camera_keys.set_key(desk, wall, "3", key(4, 0.7))  # moved along
    assert frames(desk, wall) == [1, 4, 6]
    camera_keys.set_key(desk, wall, "4", key(6, 0.9))  # onto another one
    assert frames(desk, wall) == [1, 6]
    assert desk.store.load(wall).move.keys[1].position == (0.9, 1.5, 0.0)
    for _ in range(3):
        desk.store.undo(wall)
    assert frames(desk, wall) == [1, 6]


def test_a_key_off_the_shots_frames_is_refused(desk, wall):
    before = desk.store.load(wall)
    with pytest.raises(ValueError, match="before the shot's first frame, 1"):
        camera_keys.set_key(desk, wall, "6", key(-1))
    assert desk.store.load(wall) == before


def test_a_key_at_home_is_the_surveyed_camera_and_follows_it(desk, wall):
    camera_keys.set_key(desk, wall, "1", key(1, 40.0, home=True, ease="pass"))
    got = desk.store.load(wall).move.keys[0]
    # half the photo's size is delivered: half its focal length
    assert got.position == (0, 1.5, 0) and got.zoom == 1 and got.home and got.ease == "pass"

    def stepped(shot):
        camera = shot.photos[0].camera
        shot.photos[0].camera = camera.model_copy(update={"position": (3.0, 1.5, 0.0)})
        return shot

    desk.store.change(wall, "Step aside", stepped)
    eye = move.moment(desk.store.load(wall), 1).view.position
    assert np.allclose(eye, (3, 1.5, 0))


def test_a_key_keeps_its_id_while_it_moves(desk, wall):
    first, last = (k.id for k in desk.store.load(wall).move.keys)
    camera_keys.set_key(desk, wall, "6", key(4, 0.7))
    camera_keys.set_key(desk, wall, "1", key(1, home=True))
    assert [k.id for k in desk.store.load(wall).move.keys] == [first, last]
    camera_keys.set_key(desk, wall, "6", key(6))  # a new one
    assert len({k.id for k in desk.store.load(wall).move.keys}) == 3


def test_a_key_is_removed_once(desk, wall):
    camera_keys.remove_key(desk, wall, "6")
    assert frames(desk, wall) == [1]
    with pytest.raises(NotFound, match="no key on frame 6"):
        camera_keys.remove_key(desk, wall, "6")


@pytest.mark.parametrize("angles", [(0, 0, 0), (30, -10, 5), (-170, 80, -90)])
def test_figures_of_a_key_are_degrees(angles):
    made = camera_keys.key_by_figures(4, (1, 2, 3), angles, 1.5, False, "rest")
    turn = quaternion_to_matrix(made.rotation).T
    assert np.degrees(pan_tilt_roll(turn)) == pytest.approx(angles)
    assert (made.frame, made.position, made.zoom, made.ease) == (4, (1, 2, 3), 1.5, "rest")


def test_keys_made_from_an_older_move_go_over_nothing(desk, wall):
    revision = desk.store.revision(wall)
    camera_keys.set_key(desk, wall, "3", key(3))
    with pytest.raises(Conflict):
        move.set_move(desk, wall, Move(keys=[key(1)]), "Set the keys", revision)
    assert frames(desk, wall) == [1, 3, 6]
    move.set_move(desk, wall, Move(keys=[key(1)]), "Set the keys", None)  # a script may insist
    assert frames(desk, wall) == [1]


# ---------------------------------------------------------------- looked at


def test_moments_are_those_of_the_shots_frames(desk, wall):
    shot = desk.store.load(wall)
    one = move.moment(shot, 6, 60)
    assert (one.frame, one.view.width, one.view.height, one.view.focal) == (6, 60, 40, 50)
    assert np.allclose(one.view.position, (0, 1.5, -2))
    assert move.moment(shot, 6, 9000).view.width == 120  # never more than is delivered
    for frame in (0, 7, -(10**12), 10**12):
        with pytest.raises(RoofLineError, match="frames 1 to 6"):
            move.moment(shot, frame)


def test_a_wall_looks_the_same_to_verdicts_picture_and_probe(desk, wall):
    aside(desk, wall, 10.0)
    shot = desk.store.load(wall)
    got = np.asarray(Image.open(io.BytesIO(move.verdicts(desk, shot, 6, 120))))
    # the photo reaches 6 m to each side; from 10 m to the right, that is −16 … −4 m: columns 0 to 20 of 120
    assert got.shape == (80, 120)
    assert set(np.unique(got[:, :19])) == {VERDICTS.index("sound")}
    assert set(np.unique(got[:, 21:])) == {VERDICTS.index("bare")}
    picture = np.asarray(Image.open(io.BytesIO(move.picture(desk, shot, 6, 120))))
    assert np.abs(picture[:, :18].astype(int) - 120).max() <= 1 and picture[:, 22:].max() == 0
    assert move.probe(desk, shot, 6, 10.0, 40.0).verdict == "sound"
    bare = move.probe(desk, shot, 6, 90.0, 40.0)
    assert (bare.verdict, bare.surface, bare.plate) == ("bare", "w/front", None)
    assert [(r.plate, r.reason) for r in bare.rejected] == [("p", "outside")]
    for far in (1e6, float("nan"), float("inf")):
        with pytest.raises(RoofLineError, match="far outside"):
            move.probe(desk, shot, 6, far, 0.0)


# ---------------------------------------------------------------- checked


def test_a_check_is_kept_for_this_very_move_and_found_again_after_undo(desk, wall):
    aside(desk, wall, 1.0)
    assert move.checked(desk, desk.store.load(wall)) == (None, [])
    job = ended(desk, move.order_check(desk, wall))
    assert job.state == "done" and job.result["frames"] == 6
    report, said = move.checked(desk, desk.store.load(wall))
    assert [f.frame for f in report.frames] == [1, 2, 3, 4, 5, 6] and said
    assert job.result["holding"] == sum(f.holds for f in report.frames) < 6
    move.set_limits(desk, wall, Limits(gap_percent=100, strain_percent=100))
    assert move.report_of(desk, desk.store.load(wall)) is None
    ended(desk, move.order_check(desk, wall))
    assert move.report_of(desk, desk.store.load(wall)).holds
    desk.store.undo(wall)
    assert move.report_of(desk, desk.store.load(wall)) == report


def larger(desk, shot, width=960, height=640):
    """The shot delivered so large that it is judged small first."""
    size = {"width": width, "height": height}
    desk.store.change(
        shot, "Deliver larger", lambda s: s.model_copy(update={"delivery": s.delivery.model_copy(update=size)})
    )


def test_a_fine_check_judges_at_the_delivered_size_and_is_not_overwritten_by_a_small_one(desk, wall):
    larger(desk, wall)
    ended(desk, move.order_check(desk, wall))
    shot = desk.store.load(wall)
    assert move.judged_at(desk, shot) == 320
    small = move.report_of(desk, shot)
    ended(desk, move.order_check(desk, wall, fine=True))
    assert move.judged_at(desk, shot) == 960
    fine = move.report_of(desk, shot)
    assert [f.frame for f in fine.frames] == [f.frame for f in small.frames]
    assert any(f.worst_stretch != g.worst_stretch for f, g in zip(fine.frames, small.frames, strict=True))
    ended(desk, move.order_check(desk, wall))
    assert move.judged_at(desk, shot) == 960 and move.report_of(desk, shot) == fine


def test_a_fine_check_of_an_older_move_is_given_up_for_a_new_one(desk, wall):
    larger(desk, wall, 3840, 2560)
    slow = move.order_check(desk, wall, fine=True)
    assert move.order_check(desk, wall, fine=True) is slow  # asked for twice, done once
    move.set_limits(desk, wall, Limits(gap_percent=3))
    quick = ended(desk, move.order_check(desk, wall))
    assert quick.state == "done"
    assert ended(desk, slow).state in ("cancelled", "done") and move.judged_at(desk, desk.store.load(wall)) == 320


def at_the_limit(desk, shot):
    """Many frames that lie close to a limit: those in the middle of a slow move sideways."""
    larger(desk, shot, 1920, 1280)
    aside(desk, shot, 0.1)
    desk.store.change(
        shot, "Longer", lambda s: s.model_copy(update={"delivery": s.delivery.model_copy(update={"frames": 40})})
    )
    camera_keys.set_key(desk, shot, "40", key(40, 0.106))
    now = desk.store.load(shot)
    seen = check_frame(desk.engine(now), move.moment(now, 40), now.limits)
    move.set_limits(desk, shot, Limits(gap_percent=seen.gap, strain_percent=100))


def test_frames_close_to_a_limit_are_open_until_they_are_judged_large(desk, wall, monkeypatch):
    at_the_limit(desk, wall)
    monkeypatch.setattr(move, "TOLD_EVERY", 0.0)
    told = []
    monkeypatch.setattr(desk.news, "tell", lambda shot, kind, data: told.append((kind, data)))
    ended(desk, move.order_check(desk, wall))
    figures = [d["line"]["figure"] for kind, d in told if kind == "rail"]
    assert len(figures) > 2 and " open" in figures[0] and " open" not in figures[-1]
    assert [" open" in f for f in figures[:-1]] == [True] * (len(figures) - 1)
    report = move.report_of(desk, desk.store.load(wall))
    assert report.open == [] and 0 < len(report.failing) < 40
    ended(desk, move.order_check(desk, wall, fine=True))
    fine = move.report_of(desk, desk.store.load(wall))
    assert [f.holds for f in fine.frames] == [f.holds for f in report.frames]


def test_a_check_that_is_broken_off_is_gone_on_with(desk, wall, monkeypatch):
    at_the_limit(desk, wall)
    settle, done = move.settle_next, []

    def once(judge, frames, under_way):
        if done:
            raise RoofLineError("stopped")
        settle(judge, frames, under_way)
        done.append(len(under_way.near))

    monkeypatch.setattr(move, "settle_next", once)
    assert ended(desk, move.order_check(desk, wall)).state == "failed"
    shot = desk.store.load(wall)
    assert len(move.report_of(desk, shot).open) > done[0] > 0  # as it was last told
    monkeypatch.setattr(move, "settle_next", settle)
    monkeypatch.setattr(move, "looked_small", None)  # what has been judged small is not judged again
    assert ended(desk, move.order_check(desk, wall)).state == "done"
    assert move.report_of(desk, shot).open == []


def test_a_check_at_full_size_waits_for_what_is_delivered(desk, wall, monkeypatch):
    larger(desk, wall)
    delivering = [True]
    monkeypatch.setattr(desk.jobs, "delivering", lambda: delivering[0])
    job = move.order_check(desk, wall, fine=True)
    while "waiting for a delivery" not in job.doing:
        assert not job.ended.wait(0.02)
    assert move.judged_at(desk, desk.store.load(wall)) is None
    delivering[0] = False
    assert ended(desk, job).state == "done" and move.judged_at(desk, desk.store.load(wall)) == 960


def test_a_delivery_counts_as_delivering_from_its_order_on(desk, wall):
    assert not desk.jobs.delivering()
    job = desk.order(wall, "deliver", "Render png", form="png", first=1, last=2, bend=False)
    assert desk.jobs.delivering() or job.ended.is_set()
    ended(desk, job)
    assert not desk.jobs.delivering()


def test_limits_of_one_surface_count_for_it_alone(desk, wall):
    camera_keys.set_key(
        desk, wall, "6", key(6, 0.0, position=(0.0, 1.5, -8.0))
    )  # 2 m before the wall: 2.5 times enlarged
    shot = desk.store.load(wall)
    assert move.probe(desk, shot, 6, 60, 40).verdict == "soft"
    move.set_limits(desk, wall, Limits(surfaces={"w/front": SurfaceLimits(magnification=2.6)}))
    assert move.probe(desk, desk.store.load(wall), 6, 60, 40).verdict == "sound"


def test_limits_are_changed_one_by_one(desk, wall):
    move.change_limits(desk, wall, LimitsChange(stretch=3.0))
    move.change_limits(desk, wall, LimitsChange(magnification=2.0))  # as from another page
    assert desk.store.load(wall).limits == Limits(stretch=3, magnification=2)
    with pytest.raises(ValueError, match="stretch"):
        move.change_limits(desk, wall, LimitsChange.model_validate({"stretch": 0.5, "magnification": 9.0}))
    assert desk.store.load(wall).limits == Limits(stretch=3, magnification=2)


def test_a_move_is_brought_back_to_what_holds_and_no_further(desk, wall):
    aside(desk, wall, 4.0)
    move.set_limits(desk, wall, Limits(gap_percent=10))
    before = desk.store.load(wall)
    job = ended(desk, move.order_bring_back(desk, wall))
    assert job.state == "done", job.error
    # bare is the share of the frame's 12 m that lies beyond the photo: 10 % is 1.2 m of the 4 m
    assert job.result["fraction"] == pytest.approx(0.3, abs=0.02)
    assert job.result["limited_by"]["bare"] > 10
    assert desk.store.load(wall).move.keys[1].position[0] == pytest.approx(1.2, abs=0.08)
    ended(desk, move.order_check(desk, wall))
    assert move.report_of(desk, desk.store.load(wall)).holds
    assert desk.store.undo(wall) == "Bring back the move"
    assert desk.store.load(wall) == before


def test_what_holds_is_left_as_it_is_and_what_cannot_hold_says_so(desk, wall):
    revision = desk.store.revision(wall)
    job = ended(desk, move.order_bring_back(desk, wall))
    assert job.result == {"fraction": 1.0, "limited_by": None} and desk.store.revision(wall) == revision
    camera_keys.remove_key(desk, wall, "6")
    assert "set a second key first" in ended(desk, move.order_bring_back(desk, wall)).error
    desk.store.undo(wall)
    move.set_limits(desk, wall, Limits(magnification=0.1, strain_percent=0))
    assert "does not hold even at home" in ended(desk, move.order_bring_back(desk, wall)).error


def test_without_a_camera_there_is_no_home(desk, wall):
    photo.remove(desk, wall, "a")
    with pytest.raises(MoveError, match="finish the survey first"):
        camera_keys.set_key(desk, wall, "1", key(1, home=True))
    assert np.allclose(move.moment(desk.store.load(wall), 6).view.position, (0, 1.5, -2))  # keys stand as they are


def test_the_rail_tells_of_keys_and_of_the_check(desk, wall):
    shot = desk.store.load(wall)
    assert move.telling(shot, None) == ("2 keys · not checked", None)
    aside(desk, wall, 6.0)
    ended(desk, move.order_check(desk, wall))
    shot = desk.store.load(wall)
    figure, problem = move.telling(shot, move.report_of(desk, shot))
    good = sum(f.holds for f in move.report_of(desk, shot).frames)
    assert (figure, problem) == (f"{good} of 6 frames hold", f"{6 - good} do not hold")
    camera_keys.remove_key(desk, wall, "6")
    assert move.telling(desk.store.load(wall), None) == ("1 key", None)


def test_an_idea_that_is_tried_is_what_it_would_be_when_set(desk, wall):
    before = desk.store.load(wall)
    tried = camera_keys.try_idea(desk, wall, "push_in", 1.5, (0.5, 1.0, -10.0), False)
    assert desk.store.load(wall) == before
    camera_keys.set_idea(desk, wall, "push_in", 1.5, (0.5, 1.0, -10.0), False)
    made = desk.store.load(wall).move.keys[-1]
    assert tried.frame == made.frame == before.frame_range[1]
    assert np.allclose(tried.view.position, made.position)
    assert np.allclose(tried.view.rotation.T, quaternion_to_matrix(made.rotation))
    with pytest.raises(MoveError, match="go less far"):
        camera_keys.try_idea(desk, wall, "push_in", 500.0, (0.5, 1.0, -10.0), False)


def test_a_key_pinned_home_under_a_pace_stands_where_it_is_shown(desk, wall):
    move.set_move(desk, wall, Move(keys=[key(1), key(6, 0.5)], speed=[(1, 0), (4, 0.2), (6, 1)]), "Pace", None)
    camera_keys.set_key(desk, wall, "4", key(4, 9.0, home=True), seen=True)
    shot = desk.store.load(wall)
    assert [(k.frame, k.home) for k in shot.move.keys] == [(1, False), (2, True), (6, False)]
    camera = shot.photos[0].camera
    assert np.allclose(moment_at(shot, shot_path(shot), 4).view.position, camera.position, atol=1e-9)
