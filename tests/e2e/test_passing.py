"""Keys are passed as the hand draws it, in plan and in the lens view, or at a speed that is typed."""

from __future__ import annotations

import numpy as np
import pytest
from tests.e2e.board import at_rest, state, until


def key_at(page, shot, frame):
    return next(k for k in state(page, shot)["shot"]["move"]["keys"] if k["frame"] == frame)


def middle(page, selector):
    at_rest(page, selector)
    box = page.locator(selector).bounding_box()
    return np.array([box["x"] + box["width"] / 2, box["y"] + box["height"] / 2])


def test_a_handle_is_drawn_in_plan_and_taken_back(page, halt):
    page.goto(f"/shot/{halt}/move")
    frame = state(page, halt)["shot"]["move"]["keys"][1]["frame"]
    page.fill("#frame", str(frame))
    page.press("#frame", "Enter")
    page.wait_for_selector("[data-handle=ahead]")
    grip, spot = middle(page, "[data-handle=ahead]"), middle(page, f"[data-key='{frame}'] rect")
    unit = float(page.locator(".plan svg").get_attribute("data-scale")) * 100  # pixels of a metre
    page.mouse.move(*grip)
    page.mouse.down()
    page.mouse.move(*(grip + [10, -40]), steps=5)
    page.keyboard.press("Escape")  # given up: nothing is asked
    page.mouse.up()
    assert key_at(page, halt, frame)["velocity"] is None
    to = spot + [70, 25]
    page.mouse.move(*grip)
    page.mouse.down()
    page.mouse.move(*to, steps=5)
    page.mouse.up()
    key = until(lambda: (k := key_at(page, halt, frame))["velocity"] and k)
    keys = state(page, halt)["shot"]["move"]["keys"]
    frames = (keys[[k["frame"] for k in keys].index(frame) + 1]["frame"] - frame) / 3
    drawn = (to - spot) * (1 - 16 / np.linalg.norm(to - spot))  # a handle begins beside its key
    np.testing.assert_allclose(np.array(key["velocity"])[[0, 2]] * frames, drawn / unit, atol=3 / unit)
    cameras = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    passed = np.subtract(cameras[frame]["position"], cameras[frame - 2]["position"]) / 2
    np.testing.assert_allclose(passed, key["velocity"], atol=0.15 * np.linalg.norm(key["velocity"]))
    assert page.locator("[data-passing]").input_value() == "drawn"
    speed = float(page.get_by_label("Speed there").input_value())
    assert speed == pytest.approx(24 * np.linalg.norm(key["velocity"]), abs=0.002)
    page.get_by_label("Speed there").fill(str(speed / 2))
    page.get_by_label("Speed there").press("Enter")
    until(lambda: np.allclose(key_at(page, halt, frame)["velocity"], np.array(key["velocity"]) / 2, rtol=0.02))
    page.locator("[data-passing]").select_option("rest")
    until(lambda: (k := key_at(page, halt, frame))["velocity"] is None and k["ease"] == "rest")
    page.keyboard.press("Control+z")
    until(lambda: key_at(page, halt, frame)["velocity"])


def test_the_first_key_is_passed_at_a_speed_and_turned_in_the_lens_view(page, halt):
    page.goto(f"/shot/{halt}/move")
    last = state(page, halt)["shot"]["move"]["keys"][-1]["frame"]
    page.fill("#frame", str(last))
    page.press("#frame", "Enter")
    page.locator("[data-passing]").select_option("speed")
    page.get_by_label("Speed there").fill("1.2")
    page.get_by_label("Speed there").press("Enter")
    until(lambda: key_at(page, halt, last)["speed"] == pytest.approx(0.05))
    cameras = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    way = np.subtract(cameras[-1]["position"], cameras[-2]["position"])
    assert np.linalg.norm(way) * 24 == pytest.approx(1.2, rel=0.06)
    # the mark of where the camera goes can be dragged: as fast, another way
    page.wait_for_selector("[data-heading]")
    was = middle(page, "[data-heading] circle")
    page.mouse.move(*was)
    page.mouse.down()
    page.mouse.move(*(was + [40, 10]), steps=4)
    page.mouse.up()
    key = until(lambda: (k := key_at(page, halt, last))["velocity"] and k)
    assert np.linalg.norm(key["velocity"]) == pytest.approx(0.05, rel=0.02) and key["speed"] is None
    until(lambda: np.abs(middle(page, "[data-heading] circle") - was - [40, 10]).max() < 3)
