"""How the camera travels, set by mouse: pace, aim, sway; kept, undone, and in what the engine draws."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect
from tests.e2e.board import state, until


def cameras(page, shot):
    return page.request.get(f"/api/shots/{shot}/path").json()["cameras"]


def chosen(page, label: str, option: str) -> None:
    box = page.locator("[data-travel]").get_by_label(label, exact=True)
    box.locator("xpath=ancestor::*[contains(@class,'el-select__wrapper')]").click()
    page.get_by_role("option", name=option, exact=True).click()


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
    page.get_by_label("At rise").fill("3")  # a key cannot be set under it, and that is said
    page.get_by_label("At rise").press("Enter")
    expect(page.get_by_text("lie over the keys: take them off").first).to_be_visible()
    page.reload()
    page.wait_for_selector("[data-travel]")
    page.get_by_role("button", name="Take it off").click()
    until(lambda: state(page, halt)["shot"]["move"]["sway"] is None)
    assert cameras(page, halt) == before
    page.get_by_role("button", name="Undo").click()
    until(lambda: state(page, halt)["shot"]["move"]["sway"] is not None)
