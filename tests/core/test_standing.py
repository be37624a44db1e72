"""Standing room against frames checked one by one; the paint list against what each frame shows."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
from click.testing import CliRunner
from tests.conftest import looking, photographed

from roofline.cli import main
from roofline.core.massing.kinds import Block, Panel
from roofline.core.moment import Moment
from roofline.core.move.paint_list import paint_list
from roofline.core.move.standing import margin_of, over, several, standing, upright
from roofline.core.throw.check import check_frame
from roofline.core.throw.engine import engine_of
from roofline.demo.shot import FOLDER
from roofline.formats.reading import read
from roofline.model.move import Limits
from roofline.model.plates import Throw

TAKEN = looking(400, 300, 300.0, 0.0, 0.0, (0.0, 1.7, 6.0))
SEEN = looking(320, 180, 320.0, 0.0, 0.0, (0.0, 1.7, 6.0))
SOLIDS = [
    Panel(id="wall", name="Wall", points=[(-9, -3, -2), (9, -3, -2), (9, 7, -2), (-9, 7, -2)]),
    Block(id="post", name="Post", corner=(-0.4, 0, 1.0), size=(0.8, 3.0, 0.5)),
]


@pytest.fixture(scope="module")
def scene():
    shot, pictures = photographed(TAKEN, SOLIDS, [Throw(plate="plate", targets=["wall", "post"])])
    return shot, engine_of(shot, pictures)


def test_every_place_is_as_a_frame_from_there_checked_by_itself(scene):
    shot, engine = scene
    limits = Limits(gap_percent=1.5, strain_percent=3)
    room = over(engine, [Moment(1, SEEN)], limits, (-1.5, 4.5, 1.5, 6.5), 0.5, 1.7)
    assert len(room.positions) == 7 * 5 and room.positions[0].tolist() == [-1.5, 4.5]
    assert room.positions[1].tolist() == [-1.0, 4.5] and 0 < room.holds.sum() < len(room.holds)
    for at, holds, margin in zip(room.positions, room.holds, room.margin, strict=True):
        there = Moment(1, replace(SEEN, position=np.array([at[0], 1.7, at[1]])))
        report = check_frame(engine, there, limits)
        assert report.holds == holds == (margin >= 0)
        left = [(1.5 - report.void - report.bare - report.spilled) / 1.5, (3 - report.soft - report.smeared) / 3]
        assert margin == pytest.approx(max(min(left), -10), abs=1e-9)


def test_several_moments_count_by_the_worst(scene):
    _, engine = scene
    limits = Limits(gap_percent=1.5, strain_percent=3)
    one, other = Moment(1, SEEN), Moment(2, looking(320, 180, 320.0, 12.0, 0.0, (0.0, 1.7, 6.0)))
    grid = np.array([[0.0, 6.0], [0.6, 6.0], [-0.6, 5.5]])
    both = standing(engine, [one, other], limits, grid, None)
    apart = [standing(engine, [m], limits, grid, None) for m in (one, other)]
    assert np.allclose(both.margin, np.minimum(apart[0].margin, apart[1].margin))
    assert (both.holds == (apart[0].holds & apart[1].holds)).all()


def test_margins_at_limits_of_nothing():
    none = Limits(gap_percent=0, strain_percent=2)
    assert margin_of(0, 1, none) == 0.0 and margin_of(0.01, 1, none) == -10
    assert margin_of(5, 0, Limits()) == -10 and margin_of(0.025, 0.9, Limits()) == pytest.approx(0.1)


def shown_bare(engine, moment) -> dict[str, np.ndarray]:
    got = engine.measure(moment)
    bare = np.asarray(got.verdict) == 4
    return {engine.geometry.names[f]: bare & (np.asarray(got.face) == f) for f in np.unique(np.asarray(got.face)[bare])}


def test_the_paint_list_has_all_that_is_bare_and_nothing_that_no_frame_shows(scene):
    shot, engine = scene
    frames = [Moment(n, replace(SEEN, position=np.array([x, 1.7, 5.6]))) for n, x in ((1, -0.8), (2, 0.4), (3, 1.0))]
    regions = {r.surface: r for r in paint_list(shot, engine, frames, Limits())}
    every = [shown_bare(engine, m) for m in frames]
    assert regions and set(regions) == {name for shown in every for name in shown}
    wall = regions["wall/front"]
    assert wall.plate == "plate" and wall.pixels == wall.mask.sum() and wall.frames == (1, 3)
    assert wall.largest_percent == pytest.approx(max(100 * s["wall/front"].mean() for s in every if "wall/front" in s))
    # from each frame's bare samples to the photo: every one of them is on the mask, by its ray and the wall's plane
    x0, y0, w, h = map(int, wall.canvas)
    for moment, shown in zip(frames, every, strict=True):
        y, x = np.nonzero(shown.get("wall/front", np.zeros((1, 1), bool)))
        rays = moment.view.rays(np.column_stack([x + 0.5, y + 0.5]))
        t = (-2 - moment.view.position[2]) / rays[:, 2]
        pixel = TAKEN.project(moment.view.position + t[:, None] * rays)
        col, row = (pixel[:, 0] - x0).astype(int), (pixel[:, 1] - y0).astype(int)
        near = np.pad(wall.mask, 2)
        hit = np.array([near[r + 1 : r + 4, c + 1 : c + 4].any() for r, c in zip(row, col, strict=True)])
        assert len(hit) and hit.all()
    # and each of the mask's pixels is seen bare by some frame
    row, col = np.nonzero(wall.mask)
    rays = TAKEN.rays(np.column_stack([col + x0 + 0.5, row + y0 + 0.5]))
    world = TAKEN.position + ((-2 - TAKEN.position[2]) / rays[:, 2])[:, None] * rays
    found = np.zeros(len(world), bool)
    for moment, shown in zip(frames, every, strict=True):
        u, v = np.floor(moment.view.project(world)).astype(int).T
        ok = (u >= 0) & (v >= 0) & (u < 320) & (v < 180)
        if "wall/front" in shown:
            found[ok] |= shown["wall/front"][v[ok], u[ok]]
    assert found.all()


def test_a_surface_that_no_photo_faces_is_squared_up(scene):
    shot, engine = scene
    behind = Moment(1, looking(320, 180, 200.0, 180.0, 0.0, (0.0, 1.7, -1.0)))
    beside = Moment(2, looking(320, 180, 200.0, 90.0, 0.0, (-4.0, 1.7, 1.2)))
    regions = paint_list(shot, engine, [behind, beside], Limits())
    back = next(r for r in regions if r.surface == "post/back")
    assert back.plate is None and back.mask.any() and back.pixels_per_metre > 20
    # 0.8 m across; of its height what the frame from behind shows
    assert back.mask.shape[1] == pytest.approx(0.8 * 200, abs=4) and back.mask.shape[0] > 1.2 * back.mask.shape[1]


@pytest.mark.slow
def test_the_command_line_answers(tmp_path):
    run = CliRunner()
    area = ["--area", "-8,14,-7,15.5", "--step", "0.5", "--width", "160", "--json"]
    done = run.invoke(main, ["standing", str(FOLDER), "--frame", "60", "--height", "1.71", *area])
    room = json.loads(done.stdout)
    assert done.exit_code in (0, 1) and len(room["positions"]) == len(room["margin"]) == 3 * 4
    assert room["frame"] == 60 and all((m >= 0) == h for m, h in zip(room["margin"], room["holds"], strict=True))
    out = ["--out", str(tmp_path / "list"), "--width", "320", "--json"]
    done = run.invoke(main, ["paint-list", str(FOLDER), "--frames", "100-120", *out])
    said = json.loads(done.stdout)
    assert done.exit_code == 1 and said["regions"]
    first = said["regions"][0]
    mask = read((tmp_path / "list" / first["mask"]).read_bytes(), "mask")
    assert mask.dtype == np.uint8 and (mask[..., 0] > 0).sum() == first["pixels"]
    assert mask.shape[:2] == (int(first["canvas"][3]), int(first["canvas"][2]))
    assert (tmp_path / "list" / "paint-list.csv").read_text().count("\n") == len(said["regions"]) + 1
    again = run.invoke(main, ["paint-list", str(FOLDER), "--frames", "100-120", *out])
    assert again.exit_code == 2 and "nothing was overwritten" in again.stderr
    for wrong in (["--area", "1,2,3"], ["--area", "5,5,1,1"]):
        bad = run.invoke(main, ["standing", str(FOLDER), "--frame", "60", "--height", "1", *wrong, "--step", "1"])
        assert bad.exit_code == 2


def test_a_whole_move_is_asked_for_by_some_of_its_frames_the_ends_among_them(scene):
    moments_ = [Moment(f, looking(320, 180, 320.0, 0.2 * f, 0.0, (0.0, 1.7, 6.0))) for f in range(1, 41)]
    picked = [m.frame for m in several(moments_)]
    assert picked[0] == 1 and picked[-1] == 40 and len(picked) == 9 and picked == sorted(set(picked))
    assert [m.frame for m in several(moments_[:3])] == [1, 2, 3] and len(several(moments_[:1])) == 1
    told = CliRunner().invoke(
        main,
        ["standing", str(FOLDER), "--frame", "60", "--height", "1.6", "--area", "-9,14,-7,16", "--step", "1"]
        + ["--width", "96", "--whole", "--json"],
    )
    one = CliRunner().invoke(
        main,
        ["standing", str(FOLDER), "--frame", "60", "--height", "1.6", "--area", "-9,14,-7,16", "--step", "1"]
        + ["--width", "96", "--json"],
    )
    whole, single = (json.loads(x.stdout)["margin"] for x in (told, one))
    assert len(whole) == 9 and all(a <= b + 0.35 for a, b in zip(whole, single, strict=True))
    assert min(whole) < min(single) or min(whole) == -10  # some of its directions bear less


def test_in_elevation_it_is_what_each_place_says(scene):
    """Upright places are those of the plane through the lens along its heading; each margin that of a frame there."""
    shot, engine = scene
    limits = Limits(gap_percent=1.5, strain_percent=3)
    seen = looking(320, 180, 320.0, 25.0, -8.0, (0.4, 1.7, 6.0))
    way, start = seen.heading, float(seen.position[[0, 2]] @ seen.heading)
    spots = upright(seen, start + np.array([-1.0, 0.0, 1.5]), np.array([1.2, 2.0]))
    assert spots.shape == (6, 3) and np.linalg.norm(way) == pytest.approx(1)
    np.testing.assert_allclose(spots[1], [0.4, 1.2, 6.0], atol=1e-9)  # below the lens
    np.testing.assert_allclose(spots[5] - spots[4], [1.5 * way[0], 0, 1.5 * way[1]], atol=1e-9)
    assert (spots[2] - spots[0]) @ seen.rotation[2] > 0
    room = standing(engine, [Moment(1, seen)], limits, spots, None)
    for spot, margin, holds in zip(spots, room.margin, room.holds, strict=True):
        report = check_frame(engine, Moment(1, replace(seen, position=spot)), limits)
        assert margin == pytest.approx(margin_of(report.gap, report.strain, limits), abs=1e-9)
        assert holds == report.holds
    above = replace(seen, rotation=np.array([[1.0, 0, 0], [0, 0, 1], [0, 1, 0]]))
    np.testing.assert_allclose(above.heading, [0, -1])
