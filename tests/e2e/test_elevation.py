"""The move from the side: standing room along the heading, a key raised by hand."""

from __future__ import annotations

import numpy as np
from tests.e2e.board import at_rest, state, until


def test_a_key_is_raised_from_the_side(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-side]")
    page.fill("#frame", "120")
    page.press("#frame", "Enter")
    page.click("[data-side]")
    page.get_by_text("Standing room").click()
    page.wait_for_selector("[data-room='120']")
    room = page.locator(".planhost [role=status]")
    until(lambda: "frame 120" in (room.text_content() or "") and "lens at" not in room.text_content())
    before = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][119]
    forward = np.array(before["rotation"][2])
    way = np.array([forward[0], forward[2]]) / np.hypot(forward[0], forward[2])
    at_rest(page, "[data-key='120'] rect")
    box = page.locator("[data-key='120'] rect").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    unit = float(page.locator(".plan svg").get_attribute("data-scale")) * 100
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 30, y - 24, steps=6)
    page.mouse.up()

    def moved():
        now = next(k for k in state(page, halt)["shot"]["move"]["keys"] if k["frame"] == 120)["position"]
        return now if abs(now[1] - before["position"][1]) > 1e-6 else None

    now = until(moved)
    by = np.subtract(now, before["position"])
    assert abs(by[1] - 24 / unit) < 2 / unit
    np.testing.assert_allclose(by[[0, 2]], -30 / unit * way, atol=2 / unit)  # along the heading, nothing aside
    page.get_by_role("button", name="From above").click()
    page.wait_for_selector("[data-handle]")
