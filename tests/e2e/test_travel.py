"""How the camera travels, set by mouse: pace, aim, sway; kept, undone, and in what the engine draws."""

from __future__ import annotations

import numpy as np
import pytest
from tests.e2e.board import state, until


def cameras(page, shot):
    return page.request.get(f"/api/shots/{shot}/path").json()["cameras"]


def chosen(page, label: str, option: str) -> None:
    box = page.locator("[data-travel]").get_by_label(label, exact=True)
    box.locator("xpath=ancestor::*[contains(@class,'el-select__wrapper')]").click()
    page.get_by_role("option", name=option, exact=True).click()


def test_a_key_set_under_a_pace_is_seen_where_it_was_set(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-travel]")
    chosen(page, "Pace", "slow at first")
    curve = until(lambda: state(page, halt)["shot"]["move"]["speed"])
    keys = state(page, halt)["shot"]["move"]["keys"]
    first = state(page, halt)["first_frame"]
    page.get_by_label("Frame", exact=True).fill(str(first + 40))
    page.get_by_label("Frame", exact=True).press("Enter")
    before = cameras(page, halt)[40]
    page.get_by_label("At rise").fill("3")
    page.get_by_label("At rise").press("Enter")
    after = until(lambda: len((m := state(page, halt)["shot"]["move"])["keys"]) > len(keys) and m)
    there = cameras(page, halt)[40]
    assert there["position"] == pytest.approx([before["position"][0], 3.0, before["position"][2]], abs=1e-9)
    made = next(k for k in after["keys"] if k["id"] not in {k["id"] for k in keys})
    assert made["frame"] < first + 40  # of the keys' own time: at first it is slow
    assert len(after["speed"]) == len(curve) + 1
    # the key is known there again: changed and removed, not set once more
    page.get_by_label("At rise").fill("2.5")
    page.get_by_label("At rise").press("Enter")
    until(lambda: cameras(page, halt)[40]["position"][1] == pytest.approx(2.5, abs=1e-9))
    assert len(state(page, halt)["shot"]["move"]["keys"]) == len(keys) + 1
    page.get_by_role("button", name="Remove key").click()
    until(lambda: state(page, halt)["shot"]["move"]["keys"] == keys)


def test_pace_aim_and_sway_lie_over_the_keys(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-travel]")
    before, keys = cameras(page, halt), state(page, halt)["shot"]["move"]["keys"]
    chosen(page, "Pace", "slow at first")
    until(lambda: state(page, halt)["shot"]["move"]["speed"])
    slow = cameras(page, halt)
    assert np.allclose(slow[0]["position"], before[0]["position"]) and np.allclose(
        slow[-1]["position"], before[-1]["position"]
    )
    assert not np.allclose(slow[60]["position"], before[60]["position"], atol=1e-3)
    chosen(page, "What the camera keeps looking at", "Station house")
    until(lambda: (state(page, halt)["shot"]["move"]["aim"] or {}).get("solid") == "station")
    page.locator("[data-travel]").get_by_label("Sway, turning").fill("0.5")
    page.locator("[data-travel]").get_by_label("Sway, turning").press("Enter")
    until(lambda: state(page, halt)["shot"]["move"]["sway"])
    swaying = cameras(page, halt)
    assert abs(swaying[50]["pan_deg"] - slow[50]["pan_deg"]) > 0.01
    assert state(page, halt)["shot"]["move"]["keys"] == keys
    page.reload()
    page.wait_for_selector("[data-travel]")
    page.get_by_role("button", name="Take it off").click()
    until(lambda: state(page, halt)["shot"]["move"]["sway"] is None)
    assert cameras(page, halt) == before
    page.get_by_role("button", name="Undo").click()
    until(lambda: state(page, halt)["shot"]["move"]["sway"] is not None)


def test_a_key_is_set_to_what_is_seen_under_aim_and_sway(page, halt):
    """A figure typed and a key dragged in plan say where the camera is seen, whatever sways and turns it."""
    travel = {
        "aim": {"solid": "station"},
        "sway": {"frequency_hz": 1.3, "position_m": [0.1, 0.1, 0.1], "rotation_deg": [1, 1, 1], "seed": 4},
    }
    assert page.request.patch(f"/api/shots/{halt}/travel", data=travel).ok
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-travel]")
    page.locator("#frame").fill("30")
    page.locator("#frame").press("Enter")
    page.get_by_label("At rise").fill("2.345")
    page.get_by_label("At rise").press("Enter")
    until(lambda: any(k["frame"] == 30 for k in state(page, halt)["shot"]["move"]["keys"]))
    there = next(c for c in cameras(page, halt) if c["frame"] == 30)
    assert abs(there["position"][1] - 2.345) < 1e-6
    key = next(k for k in state(page, halt)["shot"]["move"]["keys"] if k["frame"] == 30)
    assert abs(key["position"][1] - 2.345) > 1e-3  # it stands where the sway, taken off, leaves it
    box = page.locator(".plan [data-key='30'] rect").bounding_box()
    scale = 100 * float(page.locator(".plan svg").first.get_attribute("data-scale"))
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 10, y - 5)
    page.mouse.move(x + 20, y - 10)
    page.mouse.up()
    wanted = there["position"][0] + 20 / scale
    until(lambda: abs(next(c for c in cameras(page, halt) if c["frame"] == 30)["position"][0] - wanted) < 0.02)
