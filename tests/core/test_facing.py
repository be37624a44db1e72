"""How finely faces carry their pictures: as finely as the frames show them, wherever their pieces are by then."""

from __future__ import annotations

import numpy as np
from tests.conftest import key_of, looking, photographed

from roofline.core.handoff.facing import needs_of, planes_of
from roofline.core.massing.kinds import Block, Ground
from roofline.core.move.path import moments
from roofline.core.move.rest import standing
from roofline.core.throw.engine import engine_of
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Move
from roofline.model.plates import Throw

PLATE = looking(320, 200, 260, 20, -5, (0, 1.7, 0))


def test_what_a_face_needs_is_how_large_its_metres_are_shown_where_its_piece_is():
    """Against the projections of two points a millimetre apart that the engine's own pose has carried along."""
    turned = (float(np.cos(0.4)), 0.0, float(np.sin(0.4)), 0.0)
    nearer = Motion(keys=[MotionKey(frame=1, offset=(1, 0, 4), rotation=turned, scale=1.5)])
    shot, pictures = photographed(
        PLATE,
        [
            Ground(id="ground", name="Ground", size=(60, 60)),
            Block(id="cart", name="Cart", corner=(1, 0, -12), size=(4, 3, 3), motion=nearer),
        ],
        [Throw(plate="plate", targets=["ground", "cart"])],
        delivery=Delivery(width=160, height=100, frames=2, fps=24),
        move=Move(keys=[key_of(looking(160, 100, 130, 20, -5, (0, 1.7, 0)), 1)]),
    )
    engine, now = engine_of(shot, pictures), moments(shot)[:1]
    planes, faces = planes_of(engine), engine.geometry
    seen = 0
    for face, need in enumerate(needs_of(engine, planes, now)):
        if need is None:
            continue
        seen += faces.solid_ids[faces.solid[face]] == "cart"
        plane, n = planes[face], need.at.shape[1]
        spots = plane.world(need.at.T)
        for axis, density in zip((plane.along, plane.up), need.density, strict=True):
            here, there = (
                now[0].view.project(standing(faces, now[0], spots + axis * off, np.full(n, face)))
                for off in (-5e-4, 5e-4)
            )
            assert np.allclose(np.linalg.norm(there - here, axis=1) / 1e-3, density, rtol=0.01)
    assert seen
