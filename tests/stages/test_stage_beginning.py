"""Beginnings and first moves on the desk: one change each, nothing lost that is there, refused in words."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.stages.conftest import ended, png
from tests.work.test_begin import layers

from roofline.core.massing.kinds import Flat
from roofline.core.move.path import moments
from roofline.core.throw.check import check
from roofline.errors import Conflict, FormatError
from roofline.formats.pictures import read
from roofline.model.handoff import DeliveryChange, Framing
from roofline.model.plates import ThrowChange
from roofline.model.survey import Assumption
from roofline.stages import beginning, photo, plates, shots, stepping, survey
from roofline.work.begin import How


@pytest.fixture
def empty(desk) -> str:
    return shots.begin(desk, "Begun")


def begun(desk, shot: str, files, how: How | None = None):
    """Begun at the size and length that were stated before."""
    photo.change_delivery(desk, shot, DeliveryChange(width=800, height=450, frames=6))
    return ended(desk, beginning.order_begin(desk, shot, files, how or How()), 120)


def smooth(width: int, height: int, seed: int = 2) -> bytes:
    small = (np.random.default_rng(seed).random((5, 7, 3)) * 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(small).resize((width, height), Image.Resampling.BICUBIC).save(out, "PNG")
    return out.getvalue()


def test_layers_are_one_change_and_undone_as_one(desk, empty):
    stated, before = 1, desk.store.revision(empty)
    job = begun(desk, empty, layers(4))
    assert job.state == "done" and "holds in every frame" in job.result["notes"][-1]
    shot = desk.store.load(empty)
    assert shot.name == "Begun" and desk.store.revision(empty) == before + stated + 1
    assert [p.name for p in shot.plates] == ["Flattened", "disc 1", "disc 2", "disc 3", "sky"]
    assert all(desk.store.blobs.read(p.file) for p in shot.plates)
    assert (shot.delivery.width, shot.delivery.frames) == (800, 6) and shot.photos[0].assumed
    assert plates.telling(shot)[1] is None and survey.telling(shot)[0].endswith("assumed")
    desk.store.undo(empty)
    assert desk.store.load(empty).photos == [] and desk.store.load(empty).solids == []


def test_a_layer_shows_in_the_browser_with_its_own_alpha(desk, empty):
    begun(desk, empty, layers(3))
    shot = desk.store.load(empty)
    disc, sky = shot.plates[1], shot.plates[-1]
    data, kind = stepping.texture(desk, empty, disc.id, 4000)[:2]
    got, own = np.asarray(Image.open(io.BytesIO(data))), read(desk.store.blobs.read(disc.file))
    assert kind == "image/png" and (got[..., 3] == own[..., 3]).all()
    there = own[..., 3] > 0
    assert (got[..., :3] == own[..., :3])[there].all()
    assert got[..., :3][~there].mean() > 30  # no black beside it that smoothing would find
    assert stepping.texture(desk, empty, sky.id, 4000)[1] == "image/jpeg"


def test_textures_of_layers_are_there_when_they_are_asked_for(desk, empty, monkeypatch):
    begun(desk, empty, layers(4))
    shot = desk.store.load(empty)
    made = stepping.texture_of
    monkeypatch.setattr(stepping, "texture_of", lambda *_: pytest.fail("made anew"))
    kept = {p.id: stepping.texture(desk, empty, p.id, 4096)[0] for p in shot.plates[1:]}
    # and they are what would be made of the plates now
    monkeypatch.setattr(stepping, "texture_of", made)
    for file in desk.proxies.folder.iterdir():
        file.unlink()
    for plate, data in kept.items():
        anew = stepping.texture(desk, empty, plate, 4096)[0]
        one, other = (np.asarray(Image.open(io.BytesIO(d))) for d in (data, anew))
        assert (one == other).all()


def test_every_layer_is_whole_behind_what_stands_before_it(desk, empty):
    begun(desk, empty, layers(4))
    shot = desk.store.load(empty)
    flats = [s for s in shot.solids if isinstance(s, Flat)]
    for plate in shot.plates[1:]:
        assert sorted(plate.without) == sorted(f.id for f in flats if f.id != f"{plate.id}-flat")
    report = check(desk.engine(shot), moments(shot), shot.limits)
    assert report.holds and all(f.spilled == 0 for f in report.frames)


def test_a_shot_with_a_photo_is_not_begun_over(desk, empty):
    with pytest.raises(FormatError, match="No picture"):
        beginning.order_begin(desk, empty, [], How())
    photo.bring(desk, empty, "a.png", png())
    with pytest.raises(Conflict, match="has a photo already"):
        beginning.order_begin(desk, empty, layers(3), How())


def test_what_cannot_be_used_fails_with_a_sentence_and_changes_nothing(desk, empty):
    job = begun(desk, empty, [("cut.ora", b"PK\x03\x04" + bytes(50))])
    assert job.state == "failed" and "damaged" in job.error
    far = begun(desk, empty, layers(3), How(near_m=9, far_m=3))
    assert far.state == "failed" and "nearer than the farthest" in far.error
    shot = desk.store.load(empty)
    assert shot.photos == [] and shot.solids == [] and desk.store.history(empty).undo == "Change what is delivered"


@pytest.mark.slow
def test_a_first_move_assumes_what_is_missing_and_keeps_what_is_there(desk, empty):
    with pytest.raises(Conflict, match="A photo comes first"):
        beginning.order_first_move(desk, empty)
    photo.bring(desk, empty, "mist.png", smooth(900, 600))
    job = ended(desk, beginning.order_first_move(desk, empty), 120)
    assert job.state == "done", job.error
    note = job.result["notes"][0]
    assert "is enlarged" in note and "holds in every frame at that size" in note
    shot = desk.store.load(empty)
    assert shot.photos[0].survey.assumption == Assumption() and len(shot.move.keys) == 2
    assert shot.move.keys[0].home and {s.kind for s in shot.solids} == {"ground", "backdrop"}
    assert (shot.delivery.width, shot.delivery.height) == (1920, 1080)  # as stated
    # a second one: the artist's own frame and pieces stay
    own = Framing(scale=1.2, centre=(430, 290))
    photo.change_delivery(desk, empty, DeliveryChange(framing=own, width=640, height=360))
    kept = desk.store.load(empty)
    again = ended(desk, beginning.order_first_move(desk, empty), 120)
    assert again.state == "done", again.error
    now = desk.store.load(empty)
    assert now.delivery.framing == own and (now.delivery.width, now.solids) == (640, kept.solids)


def test_where_home_does_not_hold_it_says_why_and_sets_home_alone(desk, empty):
    """Layers without a backdrop: the frame has holes, and no move can fill them."""
    job = begun(desk, empty, layers(4)[:3])
    assert job.state == "done" and "does not hold even at home" in job.result["notes"][-1]
    shot = desk.store.load(empty)
    assert len(shot.move.keys) == 1 and shot.move.keys[0].home
    plates.change_throw(desk, empty, shot.plates[1].id, ThrowChange(place=0))
    assert desk.store.load(empty).solids == shot.solids
