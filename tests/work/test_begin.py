"""Beginnings: layers spread in depth with the picture kept, a picture without edges, a photograph; by command too."""

from __future__ import annotations

import json

import numpy as np
import pytest
from click.testing import CliRunner
from tests.core.test_filter import decibels, lanczos

from roofline.cli import main
from roofline.core.camera import view_of
from roofline.core.massing.kinds import Flat
from roofline.core.move.first import delivered_size
from roofline.core.move.path import moment_at, moments, shot_path
from roofline.core.throw.check import check
from roofline.demo.shot import FOLDER
from roofline.formats.layers import layers_of
from roofline.formats.package import open_package
from roofline.formats.pictures import png, read, to_display, to_linear
from roofline.work.begin import How, InMemory, begin, distances, from_layers
from roofline.work.engines import Engines
from roofline.work.kept import Kept

W, H = 960, 540


def layers(count: int = 5) -> list[tuple[str, bytes]]:
    """Discs with soft edges, first the nearest, before a smooth sky that fills the canvas."""
    y, x = np.mgrid[0:H, 0:W] + 0.5
    files = []
    for n in range(count - 1):
        radius = np.hypot(x - 150 - 190 * n, y - 330 + 20 * n)
        alpha = np.clip((150 - radius) / 3, 0, 1)
        wave = 0.5 + 0.3 * np.sin(x / 23 + n) * np.cos(y / 31)
        colour = np.stack([wave, 0.2 + 0.15 * n + 0 * x, 1 - wave], axis=-1)
        files.append((f"disc {n + 1}.png", png((np.dstack([colour, alpha]) * 255 + 0.5).astype(np.uint8))))
    sky = np.stack([x / W, 0.5 + 0.3 * y / H, 0.8 + 0 * x, 1 + 0 * x], axis=-1)
    return [*files, ("sky.png", png((sky * 255 + 0.5).astype(np.uint8)))]


def engine_of(begun):
    return Engines(begun.place.read, Kept()).engine(begun.shot)


def test_what_was_known_while_layers_came_in_is_what_is_read_of_their_files():
    picture = layers_of(layers(3))
    begun = from_layers(picture, "Layers", How(frames=4), InMemory())
    assert not picture.layers  # gigabytes of them are not held any longer than they are needed
    known, read_anew = (Engines(begun.place.read, Kept()) for _ in range(2))
    assert set(begun.alphas) == {p.id for p in begun.shot.plates[1:]}
    for ident, alpha in begun.alphas.items():
        known.know(begun.shot, begun.shot.plate(ident), alpha)
    for plate in begun.shot.plates[1:]:
        one, other = known.picture(begun.shot, plate), read_anew.picture(begun.shot, plate)
        assert one.size == other.size and one.key == other.key
        assert (one.matte == other.matte).all() and (one.colour() == other.colour()).all()
    assert known.kept.made["picture"] == 3  # those that were known, none again


@pytest.mark.slow
def test_layers_stand_one_behind_the_other_and_home_is_their_composite():
    begun = begin(layers(), How(frames=8))
    shot, engine = begun.shot, engine_of(begun)
    assert [s.name for s in shot.solids] == ["disc 1", "disc 2", "disc 3", "disc 4", "sky"]
    assert all(isinstance(s, Flat) for s in shot.solids) and len(shot.plates) == 6
    path = shot_path(shot)
    got = to_display(engine.picture(moment_at(shot, path, 1))[..., :3])
    flat = read(begun.place.read(shot.photos[0].file))
    scale, centre = shot.delivery.framing.scale, shot.delivery.framing.centre
    w, h = shot.delivery.width, shot.delivery.height
    box = (centre[0] - w * scale / 2, centre[1] - h * scale / 2, centre[0] + w * scale / 2, centre[1] + h * scale / 2)
    want = to_display(lanczos(to_linear(flat)[..., :3], (w, h), box))
    y, x = np.mgrid[0:h, 0:w]
    away = np.ones((h, w), bool)
    for n in range(4):  # beside the discs' borders, where light adds up otherwise than display values do
        radius = np.hypot(box[0] + (x + 0.5) * scale - 150 - 190 * n, box[1] + (y + 0.5) * scale - 330 + 20 * n)
        away &= np.abs(radius - 149) > 6
    assert away.mean() > 0.7
    assert decibels(got[away], want[away]) > 45
    assert decibels(got, want) > 36
    assert len(shot.move.keys) == 2 and check(engine, moments(shot), shot.limits).holds
    assert "holds in every frame" in begun.notes[-1]


@pytest.mark.parametrize("spread", ["parallax", "ratio", "steps"])
def test_spreads_are_what_they_are_called(spread):
    d = np.array(distances(6, How(near_m=3, far_m=60, spread=spread)))
    assert d[0] == pytest.approx(3) and d[-1] == pytest.approx(60)
    steps = {"parallax": np.diff(1 / d), "ratio": np.diff(np.log(d)), "steps": np.diff(d)}[spread]
    assert np.ptp(steps) < 1e-9 * abs(steps[0]) + 1e-12


def test_even_parallax_slips_by_the_same_number_of_delivered_pixels():
    """By probe: where a spot of each layer's plate is seen from a metre aside."""
    begun = begin(layers(), How(frames=8))
    shot, engine = begun.shot, engine_of(begun)
    home = moment_at(shot, shot_path(shot), 1)
    aside = home.view.position + home.view.rotation[0]
    slips = []
    for flat in (s for s in shot.solids if isinstance(s, Flat)):
        at = np.array(flat.foot) + [0.01, 1.4, 0]
        moved = home.view.__class__(
            home.view.width, home.view.height, home.view.focal, home.view.centre, home.view.rotation, aside
        )
        slips.append(home.view.project(at)[0] - moved.project(at)[0])
    steps = -np.diff(slips)
    assert np.ptp(steps) < 0.01 * steps.mean()
    assert engine.probe(home, tuple(home.view.project(np.array(shot.solids[0].foot) + [0, 1.4, 0]))).plate


def test_a_picture_without_edges_gets_an_assumed_camera_and_a_move_that_holds():
    rng = np.random.default_rng(3)
    small = (rng.random((6, 8, 3)) * 255).astype(np.uint8)
    from PIL import Image

    painting = np.asarray(Image.fromarray(small).resize((800, 600), Image.Resampling.BICUBIC))
    begun = begin([("mist.png", png(painting))], How(frames=6, eye_m=2.0))
    photo = begun.shot.photos[0]
    assert photo.result.stands_in == ["horizon", "lens", "eye"] and any("assumed" in a for a in photo.assumed)
    assert photo.camera.position[1] == 2.0
    assert {s.kind for s in begun.shot.solids} == {"ground", "backdrop"}
    assert len(begun.shot.move.keys) == 2
    assert check(engine_of(begun), moments(begun.shot), begun.shot.limits).holds


def test_the_delivered_size_is_not_enlarged():
    assert delivered_size(6000, 4000) == (3840, 2160)
    assert delivered_size(4000, 6000) == (2160, 3840)
    assert delivered_size(2400, 1500) == (1920, 1080)
    w, h = delivered_size(751, 563)
    assert (w % 2, h % 2) == (0, 0) and w <= 0.85 * 751 and h <= 0.85 * 563


@pytest.mark.slow
def test_commands_begin_and_find(tmp_path):
    names = []
    for name, data in layers(3):
        (tmp_path / name).write_bytes(data)
        names.append(str(tmp_path / name))
    run = CliRunner()
    out = tmp_path / "set.zip"
    made = run.invoke(
        main, ["begin", *names, "--out", str(out), "--near", "2", "--far", "20", "--frames", "5", "--size", "640x360"]
    )
    assert made.exit_code == 0, made.output
    shot = open_package(out).shot
    assert (shot.delivery.width, shot.delivery.height, shot.delivery.frames) == (640, 360, 5)
    eye = view_of(shot.photos[0].camera).position
    assert [float(eye[2] - s.foot[2]) for s in shot.solids] == pytest.approx([2, 40 / 11, 20])
    assert shot.home_px > 0 and shot.photos[0].assumed
    again = run.invoke(main, ["begin", *names, "--out", str(out)])
    assert again.exit_code == 2 and "nothing was overwritten" in again.output
    found = run.invoke(main, ["find", str(FOLDER / "photos" / "platform-side.jpg"), "--json"])
    assert found.exit_code == 0, found.output
    said = json.loads(found.stdout)
    assert said["camera"]["focal_px"] == pytest.approx(27.45 * 3240 / 36, rel=0.02)
    assert {"family", "points", "residual_px"} <= set(said["edges"][0]) and isinstance(said["others"], list)
    nothing = tmp_path / "grey.png"
    nothing.write_bytes(png(np.full((300, 400, 3), 90, np.uint8)))
    assert run.invoke(main, ["find", str(nothing)]).exit_code == 2


@pytest.mark.slow
def test_a_layer_that_is_a_video_runs():
    """Home at the first frame is its first picture; later frames show the later ones, where it lies."""
    from tests.formats.test_clips import film, pictures

    large = [np.kron(p, np.ones((8, 8, 1), np.uint8)) for p in pictures()]
    begun = begin([*layers(3)[:2], ("reel.mkv", film(frames=large))], How(frames=12, fps=24))
    plate = next(p for p in begun.shot.plates if p.name == "reel")
    assert plate.video is not None and plate.file.endswith(".mkv") and plate.canvas == (0, 0, 512, 384)
    assert any("“reel” is a video and runs" in n for n in begun.notes)
    assert not any("first frame is taken" in n for n in begun.notes)
    engine, path = engine_of(begun), shot_path(begun.shot)
    flat = next(s for s in begun.shot.solids if s.name == "reel")
    number = engine.geometry.solid_ids.index(flat.id)
    found = 0
    for frame in (1, 7, 12):
        moment = moment_at(begun.shot, path, frame)
        face = engine.measure(moment).face
        mine = (face >= 0) & (engine.geometry.solid[face] == number)
        if mine.any():
            shown = to_display(engine.picture(moment)[..., :3])[mine] * 255
            assert np.abs(np.median(shown, axis=0) - pictures()[frame - 1][-1, -1]).max() < 3
            found += 1
    assert found == 3
