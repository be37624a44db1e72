"""Seams between throws: on a wall that one photo sees past a box, and another photo sees whole."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import camera_of, looking

from roofline.core.massing.kinds import Block, Panel
from roofline.core.moment import still
from roofline.formats.pictures import png
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Seam, Throw
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept

W, H, F = 300, 200, 250.0
FRONT = looking(W, H, F, 0.0, 0.0, (0.0, 1.5, 8.0))
ASIDE = looking(W, H, F, -38.0, 0.0, (6.0, 1.5, 8.0))
WALL = Panel(id="wall", name="Wall", points=[(-12, -6, 0), (12, -6, 0), (12, 9, 0), (-12, 9, 0)])
BOX = Block(id="box", name="Box", corner=(-1.0, 0.6, 3.0), size=(1.6, 1.8, 0.4))
BOX_LEFT, BOX_RIGHT = (W / 2 + F * x / 4.6 for x in (-1.0, 0.6))  # its near side stands 4.6 m off
GREY, LIGHT = 100, 140


def shot_of(seam: Seam | None, pictures=None, second=True) -> tuple[Shot, Engines]:
    given = pictures or {"a": np.full((H, W, 3), GREY, np.uint8), "b": np.full((H, W, 3), LIGHT, np.uint8)}
    files = {f"{n}.png": png(p) for n, p in given.items()}
    views = {"a": FRONT, "b": ASIDE} if second else {"a": FRONT}
    photos = [Photo(id=n, name=n, file=f"{n}.png", width=W, height=H, camera=camera_of(v)) for n, v in views.items()]
    plates = [Plate(id=n, name=n, photo=n, file=f"{n}.png", canvas=(0, 0, W, H)) for n in views]
    throws = [Throw(plate=n, targets=["wall", "box"], seam=seam if n == "a" else None) for n in views]
    shot = Shot(name="Seams", photos=photos, solids=[WALL, BOX], plates=plates, throws=throws)
    return shot, Engines(files.__getitem__, Kept())


def share_of_b(picture: np.ndarray) -> np.ndarray:
    """How much of the second photo is in a picture, 0…1, by its light."""
    a, b = (((v / 255 + 0.055) / 1.055) ** 2.4 for v in (GREY, LIGHT))
    return (picture[..., 0] - a) / (b - a)


def test_beside_what_hides_it_a_throw_fades_into_the_next():
    """Along a row past the box: a smooth rise from its outline, over the seam's width; the box itself stays whole."""
    shot, engines = shot_of(Seam(px=24))
    row = share_of_b(engines.engine(shot).picture(still(FRONT)))[100]
    x = np.arange(W) + 0.5
    t = np.clip((x - BOX_RIGHT) / 24, 0, 1)
    right = (x > BOX_RIGHT + 2) & (x < 240)
    np.testing.assert_allclose(row[right], (1 - t * t * (3 - 2 * t))[right], atol=0.06)
    within = (x > BOX_LEFT + 2) & (x < BOX_RIGHT - 2)
    assert np.abs(row[within]).max() < 0.01


def test_the_plate_that_gives_more_is_the_one_that_is_judged():
    shot, engines = shot_of(Seam(px=24))
    got = engines.engine(shot).measure(still(FRONT))
    throws = engines.engine(shot).throws
    plates = [throws.plates[p] for p in throws.pair_plate[got.pair[100]]]
    middle = BOX_RIGHT + 12
    assert plates[int(BOX_RIGHT) + 4] == "b" and plates[int(middle) + 4] == "a"
    where = [x for x in range(int(BOX_RIGHT) + 2, 240) if plates[x] == "a"][0]
    assert where == pytest.approx(middle, abs=1.5)


def test_where_nothing_else_would_go_on_it_stays_whole():
    shot, engines = shot_of(Seam(px=24), second=False)
    plain, others = shot_of(None, second=False)
    np.testing.assert_array_equal(
        engines.engine(shot).picture(still(FRONT)), others.engine(plain).picture(still(FRONT))
    )
    # nor does it beside what the second photo does not see either: the strip of wall that its own box hides
    shot, engines = shot_of(Seam(px=24))
    bare = share_of_b(engines.engine(shot).picture(still(FRONT)))[100]
    unseen = engines.engine(shot.model_copy(update={"throws": shot.throws[1:]})).measure(still(FRONT)).pair[100] < 0
    assert unseen[: int(BOX_LEFT) - 1].any()
    inner = unseen & (np.arange(W) < BOX_LEFT - 3)
    assert np.abs(bare[inner]).max() < 0.02


def test_the_least_visible_cut_runs_where_both_are_alike():
    """The two differ but along a crooked line beside the box: the cut follows it."""
    y, x = np.mgrid[0:H, 0:W] + 0.5
    line = BOX_RIGHT + 16 + 6 * np.sin(y / 14)
    alike = np.abs(x - line) < 1.6
    a = np.where(alike[..., None], LIGHT, GREY).astype(np.uint8).repeat(3, -1)
    pictures = {"a": a, "b": np.full((H, W, 3), LIGHT, np.uint8)}
    shot, engines = shot_of(Seam(px=30, along="least"), pictures)
    throw, plate = shot.throws[0], shot.plate("a")
    matte = engines.looked(shot, plate, engines.picture(shot, plate), throw).matte
    rows = slice(75, 120)  # beside the box
    ended = np.argmax(matte[rows, int(BOX_RIGHT) + 2 :] > 0.5, axis=1) + int(BOX_RIGHT) + 2
    assert np.abs(ended - line[rows, 0]).max() < 2.5
    assert matte[100, int(BOX_RIGHT) + 32] == 1 and matte[100, int(BOX_RIGHT) + 1] < 0.05


def test_it_costs_nothing_until_something_changes():
    shot, engines = shot_of(Seam(px=24))
    for _ in range(3):
        engines.engine(shot).picture(still(FRONT))
    assert engines.kept.made["seam"] == 1
    moved = shot.model_copy(update={"solids": [WALL, BOX.model_copy(update={"corner": (-1.2, 0.6, 3.0)})]})
    engines.engine(moved).picture(still(FRONT))
    assert engines.kept.made["seam"] == 2


def test_a_canvas_ends_softly_too():
    """The first plate is cut to half of its photo: past that the other photo goes on."""
    shot, engines = shot_of(Seam(px=20))
    shot.plates[0] = shot.plates[0].model_copy(update={"canvas": (0, 0, 240, H)})
    row = share_of_b(engines.engine(shot).picture(still(FRONT)))[20]  # above the box
    x = np.arange(W) + 0.5
    t = np.clip((240 - x) / 20, 0, 1)
    there = (x > 205) & (x < 238)
    np.testing.assert_allclose(row[there], (1 - t * t * (3 - 2 * t))[there], atol=0.06)
    assert np.abs(row[242:290] - 1).max() < 0.01


def test_a_plate_that_sees_through_what_was_painted_out_is_whole_behind_it():
    """From aside the wall behind the box is given by the clean plate alone, seam or none: no hole is torn there."""
    shot, engines = shot_of(None, second=False)
    clean = shot.plate("a").model_copy(update={"id": "clean", "name": "Clean", "without": ["box"]})
    holes = []
    for seam in (None, Seam(px=24)):
        throws = [shot.throws[0], Throw(plate="clean", targets=["wall"], seam=seam)]
        both = shot.model_copy(update={"plates": [*shot.plates, clean], "throws": throws})
        turned = looking(W, H, F, -6.0, 0.0, (1.0, 1.5, 8.0))
        holes.append((engines.engine(both).picture(still(turned))[..., 3] < 0.5).sum())
    alone = (engines.engine(shot).picture(still(turned))[..., 3] < 0.5).sum()
    assert holes[1] == holes[0] < alone - 1000
