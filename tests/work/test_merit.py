"""Throws by merit: on the demo's move with its second photo, and on a wall that two photos show."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from tools.varrow import truth

from roofline.core.throw.merit import by_merit, sharing
from roofline.demo.shot import FOLDER
from roofline.formats.package import open_package
from roofline.model.survey import Camera
from roofline.stages.move import moment
from roofline.work.engines import Engines
from roofline.work.kept import Kept


@pytest.fixture(scope="module")
def two():
    """The demo shot with its second photo where it was taken from, thrown on all that stands; and its engines."""
    opened = open_package(FOLDER)
    shot, view = opened.shot, truth.second_view()
    shot.photos[1].camera = Camera(
        width=view.width,
        height=view.height,
        focal_px=view.focal,
        principal_point=tuple(view.centre),
        distortion=truth.LENS_SECOND,
        rotation=view.rotation.tolist(),
        position=tuple(view.position),
    )
    standing = [s.id for s in shot.solids if s.kind != "flat"]
    shot.throws = [t if t.plate != "from-the-hut" else t.model_copy(update={"targets": standing}) for t in shot.throws]
    # a move that goes round to the side that the second photo shows
    first, last = shot.move.keys[0], shot.move.keys[-1]
    aside = tuple(np.array(last.position) * [1, 1, 1] + [7.0, 0, -1.0])
    shot.move = shot.move.model_copy(update={"keys": [first, last.model_copy(update={"position": aside})]})
    return shot, Engines(opened.read, Kept())


def shares(shot, engines, moments) -> tuple[float, float]:
    """Percent of gaps, and of soft and smeared pixels, over some frames."""
    engine = engines.engine(shot)
    verdicts = np.concatenate([engine.measure(m).verdict.ravel() for m in moments])
    return 100 * np.isin(verdicts, (3, 4, 5)).mean(), 100 * np.isin(verdicts, (1, 2)).mean()


@pytest.mark.slow
def test_merit_is_at_least_as_good_as_the_best_order_by_hand(two):
    shot, engines = two
    frames = [moment(shot, n, 240) for n in range(1, 121, 17)]
    throws, before, after = by_merit(shot, engines.engine, frames)
    assert any(t.first_on for t in throws), "the second photo serves nothing better"
    merit = shot.model_copy(update={"throws": throws})
    gaps, strain = shares(merit, engines, frames)
    assert strain == pytest.approx(after, abs=0.02)
    assert shares(shot, engines, frames)[1] == pytest.approx(before, abs=0.02)
    listed = {t.plate: t for t in shot.throws}
    photos = [p for p in listed if p not in ("trolley-and-lamp",)]
    by_hand = []
    for order in itertools.permutations(photos, len(photos)):
        if order.index("hills-behind") > order.index("platform-side"):
            continue  # half of them are enough: these two share next to nothing
        throws = [listed["trolley-and-lamp"], *(listed[p] for p in order)]
        by_hand.append(shares(shot.model_copy(update={"throws": throws}), engines, frames))
    best = min(s for g, s in by_hand if g <= gaps + 0.05)
    assert strain <= best + 0.02
    # found once more from what was found, nothing changes
    again, _, last = by_merit(merit, engines.engine, frames)
    assert [t.first_on for t in again] == [t.first_on for t in merit.throws] and last == pytest.approx(after)


def test_the_order_of_the_list_stays_where_nothing_is_gained(two):
    shot, engines = two
    alone = shot.model_copy(update={"throws": [t for t in shot.throws if t.plate == "platform-side"]})
    assert sharing(engines.engine(alone)) == set()
    throws, before, after = by_merit(alone, engines.engine, [moment(shot, 1, 160)])
    assert throws[0].first_on == [] and before == after


def test_what_is_tried_first_gives_the_colour(two):
    shot, engines = two
    wall = "station-house/front" if any(s.id == "station-house" for s in shot.solids) else None
    engine = engines.engine(shot)
    wall = wall or next(n for n in engine.geometry.names if n.endswith("/front"))
    frame = moment(shot, 60, 320)
    got = engine.measure(frame)
    mine = (got.face == engine.geometry.names.index(wall)) & (got.pair >= 0)
    given = {engine.throws.plates[p] for p in engine.throws.pair_plate[np.unique(got.pair[mine])]}
    assert "from-the-hut" not in given
    throws = [t.model_copy(update={"first_on": [wall]}) if t.plate == "from-the-hut" else t for t in shot.throws]
    after = engines.engine(shot.model_copy(update={"throws": throws}))
    seen = after.measure(frame)
    there = (seen.face == after.geometry.names.index(wall)) & (seen.pair >= 0)
    first = after.throws.pair_plate[seen.pair[there]] == after.throws.plates.index("from-the-hut")
    assert first.mean() > 0.5
    others = (got.face == seen.face) & ~mine & ~there  # no other surface changes its plate
    a, b = (
        np.array(e.throws.plates)[e.throws.pair_plate[np.maximum(m.pair, 0)]] for e, m in ((engine, got), (after, seen))
    )
    assert ((a == b) | (got.pair < 0))[others].all()
