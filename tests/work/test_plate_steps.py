"""Steps of plates on a set: silhouettes, what stands in front, fills on faces, clones in perspective, packages."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile
from click.testing import CliRunner
from tests.conftest import camera_of, looking
from tests.work.conftest import BRICK, COURSE, FACE, VIEW, WALL, H, W, decibels, made, on_wall

from roofline.cli import main
from roofline.core.massing.kinds import Flat
from roofline.core.moment import still
from roofline.core.plates.steps import noted
from roofline.core.plates.worked import Canvas
from roofline.errors import PlateError
from roofline.formats.package import open_package, write_package
from roofline.formats.pictures import png, read, to_display
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept
from roofline.work.plates import ShotWorld


def test_a_silhouette_covers_what_rays_hit(set_):
    worked, _, _ = made(set_, [{"do": "silhouette", "targets": ["post"]}])
    hit = (set_[2] == 1).reshape(H, 4, W, 4).mean((1, 3))
    assert np.abs(worked.full_matte - hit).max() < 1e-3
    wall, _, _ = made(set_, [{"do": "silhouette", "targets": [FACE]}])
    off = np.abs(wall.full_matte - (set_[2] == 0).reshape(H, 4, W, 4).mean((1, 3)))
    assert off.max() <= 1 / 16 and off.mean() < 1e-5  # a sample may lie on the very border
    through, _, _ = made(set_, [{"do": "silhouette", "targets": [FACE]}], without=["post"])
    assert (through.full_matte >= np.maximum(wall.full_matte, 0)).all() and through.full_matte.sum() > (
        wall.full_matte.sum() + 2000
    )
    with pytest.raises(PlateError, match="no surface 'gone'"):
        made(set_, [{"do": "silhouette", "targets": ["gone"]}])


def test_a_thin_canvas_is_seen_on_a_coarse_grid(set_):
    """Rounded to whole pixels it is squeezed a little: by 8 % at five pixels of height."""
    steps = [{"do": "silhouette", "targets": ["wall"]}]
    _, shot, engines = made(set_, steps, canvas=(0, 180, W, 23))
    coarse = engines.worked(shot, shot.plate("made"), 128)
    assert coarse.canvas.size == (128, 5)
    whole = engines.worked(shot, shot.plate("made"))
    small = cv2.resize(whole.full_matte, (128, 5), interpolation=cv2.INTER_AREA)
    assert np.abs(coarse.full_matte - small).mean() < 0.03 and 0.2 < small.mean() < 0.95


def test_depths_of_the_set_are_those_along_the_lens(set_):
    worked, _, _ = made(set_, [{"do": "depth", "near_m": 6.0, "far_m": 7.5, "soft_m": 0.4}])
    at = on_wall(VIEW)
    deep = np.dstack([at, np.zeros(at.shape[:2])]) @ VIEW.rotation[2] - VIEW.rotation[2] @ VIEW.position
    wall = (set_[2] == 0).reshape(H, 4, W, 4).mean((1, 3)) == 1
    expected = np.clip(np.minimum((deep - 6.0) / 0.4 + 0.5, (7.5 - deep) / 0.4 + 0.5), 0, 1)
    assert np.abs(worked.full_matte - expected)[wall].max() < 1e-3 and 0.1 < expected[wall].mean() < 0.9


def test_what_stands_in_front_is_filled_squared_up(set_, truth):
    fill = {"do": "fill", "where": {"in_front_of": [FACE]}, "grow_px": 3, "how": "texture", "on": FACE}
    worked, _, _ = made(set_, [fill])
    hole = cv2.dilate((set_[2] == 1).reshape(H, 4, W, 4).max((1, 3)).astype(np.uint8), np.ones((9, 9))) > 0
    on = ~np.isnan(on_wall(VIEW)[..., 0])
    assert (worked.pixels[~hole] == set_[3][~hole]).all()
    off = np.abs(worked.pixels.astype(float) - truth)[hole & on]
    before = np.abs(set_[3].astype(float) - truth)[hole & on]
    assert np.median(off) < 6 and off.mean() < 0.25 * before.mean()  # the bricks go on in perspective


def test_what_plates_show_is_left_out_of_what_stands_in_front(set_):
    shot, files, _, photo = set_
    whole = (made(set_, [{"do": "fill", "where": {"in_front_of": [FACE]}, "how": "smooth"}])[0].pixels != photo).any(-1)
    middle = float(np.flatnonzero(whole.any(1)).mean())
    base = {"photo": "photo", "file": "photo.png", "canvas": (0, 0, W, H)}
    upper = {"do": "outline", "loops": [{"points": [[0, 0], [W, 0], [W, middle], [0, middle]]}]}
    fill = {"do": "fill", "where": {"in_front_of": [FACE], "but": ["upper"]}, "how": "smooth"}
    given = [{"id": "upper", "name": "Upper", "steps": [upper]}, {"id": "made", "name": "Made", "steps": [fill]}]
    now = Shot.model_validate(shot.model_dump() | {"plates": [shot.plates[0], *({**base, **g} for g in given)]})
    assert now.plate("made").refers_to() == {"upper"}
    changed = (Engines(files.__getitem__, Kept()).worked(now, now.plate("made")).pixels != photo).any(-1)
    edge = int(middle)
    assert not changed[: edge - 1].any() and changed[edge + 2 :][whole[edge + 2 :]].mean() > 0.98
    given[0]["steps"] = [{"do": "plate", "plate": "made"}]
    with pytest.raises(ValueError, match="made of itself"):
        Shot.model_validate(shot.model_dump() | {"plates": [shot.plates[0], *({**base, **g} for g in given)]})


def test_what_is_cut_out_of_the_photo_stands_before_all_wherever_its_flat_does(set_):
    """The flat's foot is under the ground, and behind the wall: the matte says what the photo shows."""
    shot, files, _, _ = set_
    front = {"id": "front", "name": "Front", "photo": "photo", "file": "photo.png", "canvas": (0, 0, W, H)}
    box = [[250, 150], [330, 150], [330, 230], [250, 230]]
    outline = {"do": "outline", "loops": [{"points": box}]}
    flat = Flat(id="flat", name="Flat", foot=(0, 0, -3.0), heading_deg=28, extent=(-9, 9, -9, 9))
    throws = [Throw(plate="front", targets=["flat"]), *shot.throws]

    def in_front(steps: list[dict]) -> np.ndarray:
        plates = [*shot.plates, Plate.model_validate({**front, "steps": steps})]
        now = shot.model_copy(update={"plates": plates, "throws": throws, "solids": [*shot.solids, flat]})
        world = ShotWorld(Engines(files.__getitem__, Kept()), now, now.plates[0], None)
        return world.in_front(["wall"], Canvas(0, 0, W, H, (W, H)))

    cut = in_front([outline])
    assert (cut[155:225, 255:325] == 1).all() and (cut[160:220, 345:380] == 0).all()
    # a layer of its own is whole behind what stands before it
    files["layer.png"] = png(np.full((H, W, 4), 255, np.uint8))
    front |= {"file": "layer.png"}
    assert (in_front([])[155:225, 255:325] == 0).all()


def test_a_clone_by_whole_bricks_falls_on_itself(set_, truth):
    at = on_wall(VIEW)
    spot = np.unravel_index(np.nanargmin(np.hypot(at[..., 0] + 1.2, at[..., 1] - 1.8)), (H, W))
    stroke = {"points": [[float(spot[1]) + 0.5, float(spot[0]) + 0.5]], "radius_m": 0.6, "hardness": 0.9}
    step = {"do": "clone", "strokes": [stroke], "offset_m": [2 * BRICK, COURSE], "on": FACE}
    worked, _, _ = made(set_, [step])
    inside = np.hypot(at[..., 0] + 1.2, at[..., 1] - 1.8) < 0.5
    assert inside.sum() > 2000 and (worked.pixels != set_[3])[inside].any()
    assert decibels(worked.pixels[inside], truth[inside]) > 35
    half, _, _ = made(set_, [step | {"offset_m": [BRICK / 2, 0]}])
    assert decibels(half.pixels[inside], truth[inside]) < 25


def test_a_clone_by_whole_pixels_is_an_exact_copy(set_):
    stroke = {"points": [[200, 100], [230, 100]], "radius_px": 12, "hardness": 1}
    worked, _, _ = made(set_, [{"do": "clone", "strokes": [stroke], "offset": [40, 25]}])
    assert (worked.pixels[95:105, 195:235] == set_[3][120:130, 235:275]).all()
    assert (worked.pixels[150:] == set_[3][150:]).all()


def test_painting_brought_back_lies_where_it_was(set_):
    shot, files, _, photo = set_
    engines = Engines(files.__getitem__, Kept())
    world = ShotWorld(engines, shot, shot.plates[0], None)
    worked = engines.worked(shot, shot.plates[0])
    face = world.face(FACE, worked.canvas)
    # a dot painted at a known place of the squared-up face
    size = (1000, 400)  # 100 pixels a metre
    sheet = np.zeros((size[1], size[0], 4), np.uint8)
    cv2.circle(sheet, (300, 220), 9, (255, 0, 0, 255), -1, cv2.LINE_AA)
    files["dot.png"] = png(sheet)
    got, _, _ = made(set_, [{"do": "painted", "file": "dot.png", "on": FACE}])
    red = np.abs(got.pixels.astype(float) - photo).sum(-1)
    ys, xs = np.nonzero(red > 60)
    centre = np.array([(xs * red[ys, xs]).sum(), (ys * red[ys, xs]).sum()]) / red[ys, xs].sum() + 0.5
    metres = face.low + np.array([300.5, 400 - 220.5]) / 100
    assert np.hypot(*(centre - face.grid(metres[None])[0])) < 0.35  # its own shape in perspective is not quite even
    del files["dot.png"]
    with pytest.raises(PlateError, match="bring it back in the size"):
        files["dot.png"] = png(sheet)
        made(set_, [{"do": "painted", "file": "dot.png"}])


def test_another_photo_is_taken_where_it_is_not_smeared(set_):
    """A camera close to the wall looks along it; how far it stretches the wall is had by finite differences here."""
    shot, files, _, _ = set_
    aside = looking(W, H, 460.0, 70.0, 0.0, (-3.0, 1.7, 1.6))
    other = Photo(id="aside", name="Aside", file="other.png", width=W, height=H, camera=camera_of(aside))
    plate = Plate(id="aside", name="Aside", photo="aside", file="other.png", canvas=(0, 0, W, H))
    limits = shot.limits.model_copy(update={"stretch": 2.5})
    update = {"photos": [*shot.photos, other], "plates": [*shot.plates, plate], "solids": [WALL], "limits": limits}
    now = shot.model_copy(update={**update, "throws": []})
    world = ShotWorld(Engines(files.__getitem__, Kept()), now, now.plates[0], None)
    canvas = Canvas(0, 0, W, H, (W, H))
    seen, sound = (world.photo("aside", canvas, s)[..., 3] > 0.5 for s in (False, True))

    at = on_wall(VIEW)
    spots = np.concatenate([np.nan_to_num(at), np.zeros((H, W, 1))], axis=2).reshape(-1, 3)
    there = np.where(np.isnan(at[..., :1]), np.nan, aside.project(spots).reshape(H, W, 2))
    with np.errstate(invalid="ignore"):
        turned = np.stack(np.gradient(there, axis=(0, 1)), axis=-1)  # (H, W, 2, 2)
    known = np.isfinite(turned).all(axis=(2, 3)) & seen
    long, short = np.moveaxis(np.linalg.svd(turned[known], compute_uv=False), -1, 0)
    clear = np.abs(long / short / 2.5 - 1) > 0.05
    assert clear.sum() > 20_000 and 0.2 < sound[known][clear].mean() < 0.8
    assert (sound[known] == (long / short < 2.5))[clear].all()
    assert not (sound & ~seen).any()


def test_mattes_of_other_plates_are_followed(set_):
    first = {"do": "outline", "loops": [{"points": [[50, 50], [150, 50], [150, 120], [50, 120]]}]}
    shot, files, _, _ = set_
    base = {"photo": "photo", "file": "photo.png", "canvas": (0, 0, W, H)}
    front = Plate.model_validate({"id": "front", "name": "Front", **base, "steps": [first]})
    follow = {
        "id": "made",
        "name": "Made",
        **base,
        "steps": [{"do": "plate", "plate": "front"}, {"do": "grow", "px": 5}],
    }
    for width in (100, 140):
        first["loops"][0]["points"][1][0] = first["loops"][0]["points"][2][0] = 50 + width
        front = Plate.model_validate({"id": "front", "name": "Front", **base, "steps": [first]})
        both = Shot.model_validate(shot.model_dump() | {"plates": [shot.plates[0], front, follow]})
        got = Engines(files.__getitem__, Kept()).worked(both, both.plate("made")).full_matte
        assert got.sum() == pytest.approx(width * 70 + 2 * 5 * (width + 70) + np.pi * 25, rel=0.02)
    circle = [{"id": i, "name": i, **base, "steps": [{"do": "plate", "plate": o}]} for i, o in (("a", "b"), ("b", "a"))]
    with pytest.raises(ValueError, match="made of itself"):
        Shot.model_validate(shot.model_dump() | {"plates": [shot.plates[0], *circle]})


def test_what_a_matte_has_to_tell(set_):
    far = {"do": "outline", "loops": [{"points": [[900, 900], [950, 900], [950, 950]]}]}
    around = {"do": "outline", "loops": [{"points": [[-9, -9], [900, -9], [900, 900], [-9, 900]]}]}
    edge = {"do": "outline", "loops": [{"points": [[-9, 50], [90, 50], [90, 90], [-9, 90]]}]}
    for step, says in ((far, "is empty"), (around, "covers everything"), (edge, "ends on the photo's border")):
        worked, shot, _ = made(set_, [step])
        size = shot.photos[0].width, shot.photos[0].height
        assert says in noted(worked, shot.plate("made").steps, size).notes[-1][1]
    # the same matte on a canvas that ends within a larger photo cuts nothing off that the photo has
    inside = replace(worked, canvas=replace(worked.canvas, x0=20.0, y0=20.0))
    assert inside.notes == noted(inside, shot.plate("made").steps, (size[0] + 90, size[1] + 90)).notes
    nothing, _, _ = made(set_, [{"do": "fill", "where": {"in_front_of": ["post"]}}])
    assert (nothing.pixels == set_[3]).all() and "nothing to fill" in nothing.notes[0][1]
    flood, shot, _ = made(set_, [{"do": "colour", "at": [[30, 30]], "tolerance": 90, "joined": False}])
    assert any("took" in n for _, n in flood.notes)


def test_hair_and_fringe_of_nothing_say_so_and_close_no_shot(set_):
    cut = {"do": "outline", "mode": "cut", "loops": [{"points": [[-9, -9], [999, -9], [999, 999], [-9, 999]]}]}
    empty, _, _ = made(set_, [cut, {"do": "hair", "band_px": 8}])
    assert empty.full_matte.max() == 0 and any("no border" in says for _, says in empty.notes)
    whole, _, _ = made(set_, [{"do": "fringe", "band_px": 8}])
    assert whole.matte is None and any("no matte" in says for _, says in whole.notes)


def test_a_throw_shows_its_grade_and_opacity(set_):
    shot, files, _, photo = set_
    engines = Engines(files.__getitem__, Kept())
    plain = engines.engine(shot).picture(still(VIEW))
    bright = shot.model_copy(deep=True)
    bright.throws = [Throw.model_validate({"plate": "photo", "targets": ["wall", "post"], "grade": {"exposure": 1}})]
    there = plain[..., 3] > 0.99
    assert np.allclose(engines.engine(bright).picture(still(VIEW))[there][:, :3], 2 * plain[there][:, :3], atol=0.02)
    twice = shot.model_copy(deep=True)
    other = Plate(id="other", name="Other", photo="photo", file="other.png", canvas=(0, 0, W, H))
    twice.plates = [*twice.plates, other]
    half = Throw(plate="other", targets=["wall"], opacity=0.25, occlusion=True)
    twice.throws = [half, *twice.throws]
    got = engines.engine(twice).picture(still(VIEW))
    wall = (set_[2] == 0).reshape(H, 4, W, 4).mean((1, 3)) == 1
    inner = cv2.erode(wall.astype(np.uint8), np.ones((9, 9))) > 0
    white = float(((200 / 255 + 0.055) / 1.055) ** 2.4)
    assert np.allclose(got[inner][:, :3], 0.25 * white + 0.75 * plain[inner][:, :3], atol=0.01)
    assert decibels(to_display(plain[inner][:, :3]) * 255, photo[inner]) > 30


def test_the_command_line_writes_plates_and_packages_keep_their_steps(set_, tmp_path: Path):
    dab = {"do": "brush", "strokes": [{"points": [[90, 90]], "radius_px": 9}]}
    steps = [
        {"do": "outline", "loops": [{"points": [[50, 50], [150, 50], [150, 120], [50, 120]], "smooth": True}]},
        {"do": "feather", "px": 6},
        {
            "do": "grade",
            "exposure": 0.5,
            "where": [dab],
        },
    ]
    worked, shot, engines = made(set_, steps)
    write_package(shot, engines.read, tmp_path / "shot")
    again = open_package(tmp_path / "shot").shot
    assert again.plate("made").steps == shot.plate("made").steps
    said = json.loads((tmp_path / "shot" / "shot.json").read_text())
    assert [s["do"] for s in said["plates"][1]["steps"]] == ["outline", "feather", "grade"]
    run = CliRunner()
    for name, more in (("a.png", []), ("a.tiff", []), ("a.exr", []), ("m.png", ["--matte"])):
        done = run.invoke(main, ["plate", str(tmp_path / "shot"), "made", "--out", str(tmp_path / name), *more])
        assert done.exit_code == 0, done.output
    grey = read((tmp_path / "m.png").read_bytes(), "m")
    assert grey.dtype == np.uint16 and np.abs(grey[..., 0] / 65535 - worked.full_matte).max() < 1e-4
    sixteen = read((tmp_path / "a.png").read_bytes(), "a")
    alike = tifffile.imread(tmp_path / "a.tiff")
    assert sixteen.dtype == np.uint16 and sixteen.shape == (H, W, 4) and (sixteen == alike).all()
    with OpenEXR.File(str(tmp_path / "a.exr")) as file:
        linear = file.channels()["RGBA"].pixels
    assert np.abs(linear[..., :3] - worked.linear).max() < 1e-6  # straight: not multiplied by its alpha
    assert np.abs(linear[..., 3] - worked.full_matte).max() < 1e-6
    untouched = worked.full_matte == 0
    assert (sixteen[untouched][:, :3] == set_[3][untouched].astype(np.uint16) * 257).all()
    assert run.invoke(main, ["plate", str(tmp_path / "shot"), "none", "--out", str(tmp_path / "x.png")]).exit_code == 2
    assert run.invoke(main, ["plate", str(tmp_path / "shot"), "made", "--out", str(tmp_path / "x.jpg")]).exit_code == 2


def test_an_outline_of_before_is_a_step_now(set_):
    old = {
        "id": "old",
        "name": "Old",
        "photo": "photo",
        "file": "photo.png",
        "canvas": (0, 0, W, H),
        "matte": "m.png",
        "outline": {"points": [[50, 50], [150, 50], [150, 120]], "feather_px": 4},
        "grow_px": 3,
    }
    plate = Plate.model_validate(old)
    assert plate.matte is None and [s.do for s in plate.steps] == ["outline"]
    assert plate.steps[0].feather_px == 4 and Plate.model_validate_json(plate.model_dump_json()) == plate


def test_a_canvas_beyond_the_photo_is_extended(set_):
    worked, shot, _ = made(set_, [{"do": "extend", "left": 40, "right": 0, "top": 10, "how": "texture"}])
    assert worked.pixels.shape == (H + 10, W + 40, 3) and worked.canvas.x0 == -40 and worked.canvas.y0 == -10
    assert (worked.pixels[10:, 40:] == set_[3]).all() and worked.pixels[:, :40].std() > 5
    assert shot.plate("made").reach == (-40, -10, W + 40, H + 10)
    beyond, _, _ = made(set_, [{"do": "feather", "px": 0}], canvas=(-20, 0, W + 20, H))
    assert not beyond.full_matte[:, :20].any() and (beyond.full_matte[:, 20:] == 1).all()
