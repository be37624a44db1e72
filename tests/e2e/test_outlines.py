"""An outline's points by mouse: those of its holes, many of them, and of a second outline."""

from __future__ import annotations

import numpy as np
import pytest
from tests.e2e.board import Board, state, until

OUTER = [[1200, 700], [2000, 700], [2000, 1400], [1200, 1400]]
HOLE = [[1500, 900], [1700, 900], [1700, 1100], [1500, 1100]]


@pytest.fixture
def pierced(page, halt):
    """The id of a plate that is an outline with a hole, chosen on the board; and the board."""
    base = f"/api/shots/{halt}"
    photo = state(page, halt)["shot"]["photos"][0]["id"]
    page.request.post(f"{base}/plates", data={"photo": photo, "outline": {"points": OUTER}, "name": "Pierced"})
    plate = state(page, halt)["shot"]["plates"][-1]
    loops = [{"points": OUTER, "smooth": False}, {"points": HOLE, "smooth": [True, False, False, True]}]
    step = plate["steps"][0]["id"]
    assert page.request.patch(f"{base}/plates/{plate['id']}/steps/{step}", data={"set": {"loops": loops}}).ok
    page.goto(f"/shot/{halt}/plates")
    page.locator(f"[data-plates] tr:has-text('{plate['name']}')").click()
    page.wait_for_selector("[data-outline]")
    return plate["id"], Board(page)


def loops(page, halt, plate):
    found = next(p for p in state(page, halt)["shot"]["plates"] if p["id"] == plate)
    return next(s for s in found["steps"] if s["do"] == "outline")["loops"]


def test_points_of_a_hole_are_moved_put_in_and_taken_out(page, halt, pierced):
    plate, board = pierced
    now = lambda: loops(page, halt, plate)  # noqa: E731
    board.drag((1700, 1100), (1760, 1180))
    got = until(lambda: now()[1]["points"][2] != HOLE[2] and now())
    assert np.allclose(got[1]["points"][2], (1760, 1180), atol=3) and got[0]["points"] == OUTER
    assert got[1]["smooth"] == [True, False, False, True]  # the others stay as they were
    page.mouse.dblclick(*board.place((1600, 900)))
    got = until(lambda: len(now()[1]["points"]) == 5 and now())
    assert np.allclose(got[1]["points"][1], (1600, 900), atol=3)
    assert got[1]["smooth"] == [True, False, False, False, True]
    for count, at in ((4, (1600, 900)), (3, (1500, 1100))):
        page.mouse.move(*board.place(at))
        page.keyboard.press("Delete")
        until(lambda n=count: len(now()[1]["points"]) == n)
    page.mouse.move(*board.place((1500, 900)))
    page.keyboard.press("Delete")  # three are no hole any more without one of them
    until(lambda: len(now()) == 1)
    page.keyboard.press("Control+z")
    until(lambda: len(now()) == 2)
    for _ in range(3):
        page.keyboard.press("Control+z")
    until(lambda: len(now()[1]["points"]) == 4)


def test_many_points_are_shown_about_the_pointer_only(page, halt):
    """The demo's outline has hundreds of them."""
    page.goto(f"/shot/{halt}/plates")
    page.locator("[data-plates] tr", has_text="Trolley and lamp").first.click()
    page.wait_for_selector("[data-outline]")
    board = Board(page)
    every = [p for loop in loops(page, halt, "trolley-and-lamp") for p in loop["points"]]
    assert len(every) > 200
    page.mouse.move(*board.place((200, 200)))
    until(lambda: page.locator("circle.point").count() == 0)
    page.mouse.move(*board.place(every[0]))
    shown = until(lambda: page.locator("circle.point").count())
    assert 0 < shown < len(every) / 2


def test_a_point_is_made_smooth_by_itself_while_it_is_dragged_by_a_click_or_by_its_field(page, halt, pierced):
    plate, board = pierced
    smooth = lambda: loops(page, halt, plate)[0]["smooth"]  # noqa: E731
    line = lambda: page.locator("[data-outline]").get_attribute("d").count("L")  # noqa: E731
    straight = line()
    page.mouse.move(*board.place((2000, 700)))
    page.keyboard.down("Shift")
    page.mouse.down()
    page.mouse.up()
    page.keyboard.up("Shift")
    until(lambda: smooth() == [False, True, False, False])
    until(lambda: line() == straight + 30)  # sixteen pieces on either side of it
    at = board.place((1200, 1400))
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] - 20, at[1] + 14, steps=4)
    page.keyboard.press("s")  # while it is in hand
    page.mouse.up()
    until(lambda: smooth() == [False, True, False, True])
    moved = loops(page, halt, plate)[0]["points"][3]
    assert moved[0] < 1200 and moved[1] > 1400
    page.locator("[data-step=outline] .name").click()
    own = page.locator("[data-own-smooth] input")
    assert own.is_checked()
    page.locator("[data-own-smooth]").click()
    until(lambda: smooth() == [False, True, False, False])
    page.keyboard.press("Control+z")
    until(lambda: smooth() == [False, True, False, True])
    assert loops(page, halt, plate)[1]["smooth"] == [True, False, False, True]  # nothing of the hole's
