"""The move from the side: standing room along the heading, a key raised by hand."""

from __future__ import annotations

import re

import numpy as np
from tests.e2e.board import at_rest, state, until

LAYERS = 7


def looked_at(page, shot, frame: int, view: str):
    """A frame of the move, its set from a view, standing room asked for."""
    page.goto(f"/shot/{shot}/move")
    page.wait_for_selector(view)
    page.fill("#frame", str(frame))
    page.press("#frame", "Enter")
    page.click(view)
    page.get_by_text("Standing room").click()


def test_a_key_is_raised_from_the_side(page, halt):
    looked_at(page, halt, 120, "[data-side]")
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


def test_standing_room_is_a_volume_all_around(page, halt):
    """Layers above and below the lens, each from where the frame holds at its height; turned by a drag."""
    looked_at(page, halt, 60, "[data-around]")
    says = page.locator(".planhost [role=status]")
    until(lambda: f"{LAYERS} of {LAYERS} layers" in (says.text_content() or ""), 120)
    assert page.locator("[data-layers] [data-height]").count() == LAYERS
    cubic, rise = (float(v) for v in re.search(r"^([\d.]+) m³.* ([\d.]+) m apart", says.text_content()).groups())
    x, y, z = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][59]["position"]
    reach, held = 1.5, 0
    for height in (y + n * rise for n in range(-3, 4)):
        area = f"x0={x - reach}&z0={z - reach}&x1={x + reach}&z1={z + reach}&step={reach / 9}&width=96&height={height}"
        got = page.request.get(f"/api/shots/{halt}/frames/60/standing?{area}").json()
        held += sum(m >= 0 for i, m in enumerate(got["margin"]) if i not in got["open"])
    assert held > 20 and abs(cubic - held * (reach / 9) ** 2 * rise) < 0.06
    layer = page.locator("[data-layers] [data-height]").nth(LAYERS // 2)
    before, pan = layer.get_attribute("d"), page.locator("[data-orbit]").get_attribute("data-pan")
    box = page.locator("[data-orbit]").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + box["height"] / 2 + 10, steps=3)
    page.mouse.up()
    assert page.locator("[data-orbit]").get_attribute("data-pan") != pan
    until(lambda: layer.get_attribute("d") != before)
    page.get_by_role("button", name="From above").click()
    page.wait_for_selector(".plan [data-key='60']")
