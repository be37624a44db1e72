"""Re-framing, resizing, lengthening and undo in any order: one frame, and nothing lost."""

from __future__ import annotations

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from roofline.core.camera import view_of
from roofline.core.move.path import home_key, moments, view_of_key
from roofline.model.handoff import DeliveryChange, Framing
from roofline.model.shot import Shot
from roofline.stages import photo

SIZES = st.builds(lambda w, h: DeliveryChange(width=w, height=h), st.integers(16, 900), st.integers(16, 900))
FRAMES = st.builds(
    lambda scale, x, y: DeliveryChange(framing=Framing(scale=scale, centre=(x, y))),
    st.floats(0.2, 2),
    st.floats(60, 180),
    st.floats(40, 120),
)
LENGTHS = st.builds(
    lambda frames, how: DeliveryChange(frames=frames, beyond=how),
    st.integers(3, 40),
    st.sampled_from(["fit", "cut", "leave"]),
)
ACTS = st.lists(st.one_of(SIZES, FRAMES, LENGTHS, st.just("undo")), min_size=3, max_size=10)


def window(shot: Shot) -> np.ndarray:
    """The corners of home's frame as directions, and as the photo's own camera has the same window."""
    d, framing = shot.delivery, shot.framing
    corners = np.array([(0.0, 0.0), (d.width, d.height)])
    over = np.array(framing.centre) + framing.scale * (corners - np.array([d.width, d.height]) / 2)
    seen = view_of_key(shot, home_key(shot, 1)).rays(corners)
    return np.abs(seen - view_of(shot.photos[0].camera).rays(over)).max()


@given(ACTS)
@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_order_keeps_the_frame_and_every_lens(desk, wall, acts):
    zooms = [k.zoom for k in desk.store.load(wall).move.keys]
    states = [desk.store.load(wall)]
    for act in acts:
        if act == "undo":
            if len(states) > 1:
                desk.store.undo(wall)
                states.pop()
                assert desk.store.load(wall) == states[-1]
            continue
        before = desk.store.load(wall)
        photo.change_delivery(desk, wall, act)
        shot = desk.store.load(wall)
        if shot != before:
            states.append(shot)
        assert [k.zoom for k in shot.move.keys] == zooms
        assert window(shot) < 1e-9
        d = shot.delivery
        assert len(moments(shot)) == d.frames
        if act.width is not None:  # no taller, unless the photo's width makes it lower
            tall = before.framing.scale * before.delivery.height
            assert shot.framing.scale * d.height <= tall * (1 + 1e-9)
    while len(states) > 1:
        desk.store.undo(wall)
        states.pop()
        assert desk.store.load(wall) == states[-1]
