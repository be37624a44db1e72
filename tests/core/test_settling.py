"""Settling to pictures: a piece drawn beside its edges comes back and stays there, and says how well it is known."""

from __future__ import annotations

import numpy as np
import pytest
from tools import settle_table as table

from roofline.core.massing.kinds import Block, Wall
from roofline.core.massing.settling import settled_to
from roofline.core.massing.solids import faces_of
from roofline.core.massing.touch import Place
from roofline.core.survey.snap import lying_along
from roofline.errors import MassingError

BLOCK = Block(id="s", name="Shed", corner=(0.2, 0, -3.5), size=(4.2, 2.8, 3.5), turn_deg=9)


def pictures(solid, views, rng, trim=0.0):
    looks = {}
    for n in range(len(faces_of(solid).loops)):
        looks[solid.id, n] = table.covered(rng, *table.extent(solid, n), False, trim)
    return table.painted([solid], views, looks, rng)


def two(rng):
    return [table.taken(rng, 20, -4, 11), table.taken(rng, -22, 7, 10)]


def off_by(got, solid):
    there = faces_of(got.solid).vertices[got.corners] - faces_of(solid).vertices[got.corners]
    return float(np.linalg.norm(there, axis=1).max())


@pytest.mark.slow
def test_a_piece_drawn_beside_its_edges_comes_back_and_stays():
    rng = np.random.default_rng(3)
    views = two(rng)
    greys = pictures(BLOCK, views, rng)
    start = table.drawn(BLOCK, views, rng, 3, 6)
    got = settled_to(Place([start]), 0, views, greys)
    assert off_by(got, BLOCK) < min(0.03, 2 * got.corner_m) and not got.alone
    again = settled_to(Place([got.solid]), 0, views, greys)
    moved = faces_of(again.solid).vertices - faces_of(got.solid).vertices
    assert np.abs(moved).max() < 0.003


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["two photos", "bricks"])
def test_the_truth_lies_within_what_is_stated(kind):
    got = [g for g in (table.one(kind, s) for s in range(70_000, 70_012)) if not g.refused]
    assert len(got) >= 9
    assert sum(g.sigmas <= 2 for g in got) >= len(got) - 2
    assert all(g.sigmas <= 4 or g.warned for g in got)
    assert np.median([g.error_m for g in got]) < 0.05


@pytest.mark.slow
def test_a_trim_beside_the_edge_is_a_doubt():
    """Two edges a few pixels apart along every side: which is meant is not known better than they are apart."""
    stated = []
    for trim in (0.0, 0.07):
        rng = np.random.default_rng(5)
        views = two(rng)
        greys = pictures(BLOCK, views, rng, trim)
        stated.append(settled_to(Place([BLOCK]), 0, views, greys).corner_m)
    assert stated[1] > 1.2 * stated[0]


def test_one_face_in_one_photo_cannot_tell_a_wrong_edge():
    rng = np.random.default_rng(2)
    views = two(rng)[:1]
    wall = Wall(id="s", name="Wall", a=(0.2, 0.0), b=(4.0, -1.4), height=3.0)
    got = settled_to(Place([wall]), 0, views, pictures(wall, views, rng))
    assert got.alone and got.used == 4


@pytest.mark.slow
def test_what_lies_elsewhere_is_refused_or_warned_of():
    rng = np.random.default_rng(8)
    views = two(rng)
    greys = pictures(BLOCK, views, rng)
    far = BLOCK.with_(corner=(2.9, 0, -5.5), turn_deg=-12.0)
    with pytest.raises(MassingError, match=r"draw it nearer"):
        settled_to(Place([far]), 0, views, greys)


def test_edges_along_a_line_come_likeliest_first_and_apart():
    grey = np.full((60, 200), 90, np.uint8)
    grey[30:] = 190
    grey[36:] = 120
    found = lying_along(grey, [10, 31], [190, 31], 9.0, 6, 4)
    heights = [float(f.points[:, 1].mean()) for f in found]
    assert heights[0] == pytest.approx(30, abs=0.1) and heights[1] == pytest.approx(36, abs=0.1)
    assert found[0].strength > found[1].strength
    assert all(abs(a - b) >= 1 for n, a in enumerate(heights) for b in heights[:n])
