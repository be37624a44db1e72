"""Clean plates for all surfaces: round pieces as a whole, and none that could not be filled."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import camera_of, looking
from tests.stages.conftest import ended

from roofline.core.massing.kinds import Block, Column, Flat, Ground
from roofline.core.moment import still
from roofline.formats import pictures
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.model.steps import FillStep, InFrontOf
from roofline.stages import clean

W, H = 360, 240
VIEW = looking(W, H, 300.0, 0.0, -4.0, (0.0, 1.7, 9.0))
SOLIDS = [
    Ground(id="ground", name="Ground", size=(40.0, 40.0)),
    Column(id="silo", name="Silo", foot=(0.5, 0, 0), radius_foot=1.6, radius_top=1.6, height=3.4, sides=40),
    Block(id="crate", name="Crate", corner=(-0.4, 0, 4.0), size=(0.9, 0.9, 0.4)),
]


@pytest.fixture
def silo(desk) -> str:
    """A silo of 40 sides on the ground, with a crate before it, in a photo of noise."""
    rng = np.random.default_rng(4)
    data = pictures.png(rng.integers(60, 200, (H, W, 3)).astype(np.uint8))
    file = desk.store.blobs.keep(data, ".png")
    photo = Photo(id="p", name="p", file=file, width=W, height=H, camera=camera_of(VIEW))
    plate = Plate(id="p", name="p", photo="p", file=file, canvas=(0, 0, W, H))
    throws = [Throw(plate="p", targets=[s.id for s in SOLIDS])]
    return desk.store.create(Shot(name="Silo", photos=[photo], solids=SOLIDS, plates=[plate], throws=throws), "silo")


def test_a_cut_out_is_filled_first_and_not_from_what_is_filled(desk, silo):
    """A cut-out before the ground: its place is not filled with what stands for the ground behind the crate."""
    box = [[60, 190], [100, 190], [100, 225], [60, 225]]
    cut = {"do": "outline", "loops": [{"points": box}]}

    def alter(s: Shot) -> Shot:
        front = {**s.plates[0].model_dump(), "id": "cut", "name": "Cut", "role": "foreground", "steps": [cut]}
        s.solids.append(Flat(id="flat", name="Flat", foot=(-2.5, 0, 3.0), heading_deg=0.0, extent=(-9, 9, -9, 9)))
        s.plates.append(Plate.model_validate(front))
        s.throws.insert(0, Throw(plate="cut", targets=["flat"]))
        return s

    desk.store.change(silo, "Cut out", alter)
    assert ended(desk, clean.order_all(desk, silo, "p", 2.0, "smooth")).state == "done"
    shot = desk.store.load(silo)
    ground = next(p for p in shot.plates if p.name == "Clean Ground, top")
    kinds = [s.where for s in ground.steps if isinstance(s, FillStep)]
    assert not isinstance(kinds[0], InFrontOf) and isinstance(kinds[1], InFrontOf) and kinds[1].but == ["cut"]
    alone = ground.model_copy(update={"steps": [s for s in ground.steps if getattr(s, "where", None) != kinds[1]]})
    x0, y0 = (int(v) for v in ground.canvas[:2])
    inner = np.s_[192 - y0 : 223 - y0, 62 - x0 : 98 - x0]
    first, whole = (desk.engines.worked(shot, p).pixels[inner] for p in (alone, ground))
    photo = pictures.read(desk.store.blobs.read(shot.photos[0].file))[192:223, 62:98]
    assert (first == whole).all() and (first != photo).any()
    count = len(shot.plates)
    assert ended(desk, clean.order_all(desk, silo, "p", 2.0, "smooth")).state == "done"
    assert len(desk.store.load(silo).plates) == count  # known again behind its new first step


def test_a_round_piece_has_one_plate_and_all_of_them_can_be_made(desk, silo):
    job = ended(desk, clean.order_all(desk, silo, "p", 2.0, "smooth"))
    assert job.state == "done", job.error
    shot = desk.store.load(silo)
    made = [p for p in shot.plates if p.role == "clean"]
    assert "Clean Silo" in [p.name for p in made]
    assert not [p for p in made if "side" in p.name]  # not one for each of its forty sides
    for plate in made:
        worked = desk.engines.worked(shot, plate)
        assert worked.full_matte.any(), plate.name
    targets = {t.plate: t.targets for t in shot.throws}
    assert targets[next(p.id for p in made if p.name == "Clean Silo")] == ["silo"]
    # from aside, what the crate stood before has a picture now
    aside = looking(W, H, 300.0, -14.0, -4.0, (2.4, 1.7, 8.6))
    before = shot.model_copy(update={"throws": [t for t in shot.throws if t.plate == "p"]})
    bare = []
    for one in (before, shot):
        engine = desk.engine(one)
        got = engine.measure(still(aside))
        silo_faces = np.flatnonzero(engine.geometry.solid == engine.geometry.solid_ids.index("silo"))
        bare.append(int(((got.verdict == 4) & np.isin(got.face, silo_faces)).sum()))
    assert bare[1] < 0.5 * bare[0]
    again = ended(desk, clean.order_all(desk, silo, "p", 2.0, "smooth"))
    assert again.state == "done"
    assert len(desk.store.load(silo).plates) == len(shot.plates)  # made anew in their places
