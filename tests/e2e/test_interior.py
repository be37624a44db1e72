"""An interior, built by dragging its far wall."""

from __future__ import annotations

import io

import cv2
import numpy as np
from PIL import Image
from tests.conftest import looking
from tests.e2e.board import until
from tests.e2e.building import (
    Hand,
    count,
    new_shot,
    solids,
    surveyed,
)

from roofline.core.massing.kinds import Room
from roofline.core.massing.solids import faces_of


def interior(view, room) -> bytes:
    """A picture of a plain room through a camera, its faces in different greys, with boards on the floor."""
    image = np.zeros((view.height, view.width, 3), np.uint8)
    faces = faces_of(room)
    greys = {"back": 190, "left": 140, "right": 160, "top": 220, "base": 100}
    order = sorted(zip(faces.names, faces.loops, strict=True), key=lambda x: x[0] != "base")
    for name, loop in order:
        p = faces.vertices[loop]
        # the part in front of the lens
        inside = np.concatenate([np.linspace(a, b, 200) for a, b in zip(p, np.roll(p, -1, 0), strict=True)])
        q = view.project(inside)
        q = q[~np.isnan(q).any(1)]
        hull = cv2.convexHull(np.clip(q, -20000, 20000).astype(np.float32))
        cv2.fillConvexPoly(image, np.round(hull).astype(np.int32), (greys[name],) * 3, cv2.LINE_AA)
    out = io.BytesIO()
    Image.fromarray(image).save(out, "JPEG", quality=95)
    return out.getvalue()


def test_an_interior_is_built_by_dragging_its_far_wall(page, running):
    address, _ = running
    view = looking(1500, 1000, 800, 6, -3, (2.4, 1.5, -0.4))
    true = Room(id="r", name="R", corner=(0, 0, -6.5), size=(5.2, 2.7, 6.9))
    lines = [
        ("run", (0, 0, -6.5), (5.2, 0, -6.5)),
        ("run", (0, 2.7, -6.5), (5.2, 2.7, -6.5)),
        ("return", (0, 0, -6.5), (0, 0, -2.5)),
        ("return", (5.2, 2.7, -6.5), (5.2, 2.7, -2.5)),
        ("rise", (0, 0, -6.5), (0, 2.7, -6.5)),
        ("rise", (5.2, 0, -6.5), (5.2, 2.7, -6.5)),
    ]
    survey = surveyed(view, lines, ((0, 0, -6.5), (0, 2.7, -6.5)))
    survey["datum"] = view.project(np.array([0, 0, -6.5])).tolist()
    shot, _ = new_shot(page, address, interior(view, true), "room.jpg", survey)
    hand = Hand(page)
    page.keyboard.press("m")
    hand.drag_finely(view.project(np.array([0.0, 0, -6.5])), view.project(np.array([5.2, 2.7, -6.5])))
    count(page, shot, 1)
    room = solids(page, shot)[0]
    assert len(faces_of(room).loops) == 5
    assert np.allclose(room.size[:2], (5.2, 2.7), rtol=0.01)
    assert abs(room.corner[2]) < 0.01 * 6.1 and abs(room.corner[0]) < 0.05  # the datum is the far wall's corner
    # a window bay cut into the far wall, by its corners
    page.keyboard.press("x")
    hand.drag_finely(view.project(np.array([1.5, 0.9, -6.5])), view.project(np.array([3.5, 2.1, -6.5])))
    until(lambda: len(solids(page, shot)[0].cuts) == 1)
    cut = solids(page, shot)[0].cuts[0]
    assert np.allclose([cut.low[0], cut.low[1], cut.high[0], cut.high[1]], (1.5, 0.9, 3.5, 2.1), atol=0.03)
    page.get_by_label("Close Opening").click()
    until(lambda: not solids(page, shot)[0].cuts)
    # folded instead: the ground and a backdrop at the far wall's foot
    page.keyboard.press("f")
    hand.click_finely(view.project(np.array([2.6, 0.0, -6.5])))
    count(page, shot, 3)
    page.keyboard.press("Control+z")
    count(page, shot, 1)
    # a street: a drag along either façade's foot, then up
    page.keyboard.press("e")
    hand.drag_finely(view.project(np.array([0, 0, -5.0])), view.project(np.array([0, 0, -6.4])))
    hand.drag_finely(view.project(np.array([5.2, 0, -5.0])), view.project(np.array([5.2, 0, -6.4])))
    hand.click_finely(view.project(np.array([5.2, 2.7, -6.4])))
    count(page, shot, 5)
    walls = [s for s in solids(page, shot) if s.kind == "wall"]
    assert len(walls) == 2 and all(abs(s.height - 2.7) < 0.05 for s in walls)
