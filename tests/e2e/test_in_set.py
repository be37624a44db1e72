"""A plate looked at in the set while it is being mended, by keys and mouse."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect
from tests.e2e.board import state, until

from roofline.formats.reading import read

FRONT = "trolley-and-lamp"


def shown(page) -> np.ndarray:
    image = page.locator("[data-set-look]")
    until(lambda: image.get_attribute("data-set-look") == "there" and image.evaluate("i => i.naturalWidth") > 0)
    return read(page.request.get(image.get_attribute("src")).body(), "shown")[..., :3].astype(int)


def test_the_worst_frame_is_one_key_away_with_the_plate_without_it_and_alone(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.locator("[data-plates] tr").filter(has_text="Platform side").click()
    page.keyboard.press("i")
    pane = page.locator("[data-in-set-pane]")
    expect(pane.locator("[data-from=worst]")).to_contain_text("Worst: frame", timeout=60_000)
    frames = page.request.get(f"/api/shots/{halt}/check").json()["report"]["frames"]
    worst = max(frames, key=lambda f: sum(c["percent"] for c in f["causes"] if c["plate"] == "platform-side"))
    expect(pane.locator("[data-from=worst]")).to_have_text(f"Worst: frame {worst['frame']}")
    whole = shown(page)
    assert f"/frames/{worst['frame']}/" in page.locator("[data-set-look]").get_attribute("src")
    pane.locator("[data-how=alone]").click()
    alone = shown(page)
    assert np.abs(alone - whole).max() > 50
    # alone on one of its surfaces: a part of that
    page.locator(".el-select__wrapper").filter(has_text="on all its surfaces").click()
    page.get_by_role("option", name="on Station house").click()
    part = shown(page)
    assert (part.max(-1) > 8).sum() < 0.7 * (alone.max(-1) > 8).sum()
    # without it, from home, nothing but other plates
    pane.locator("[data-how=without]").click()
    pane.locator("[data-from=home]").click()
    home = next(k["frame"] for k in state(page, halt)["shot"]["move"]["keys"] if k["home"])
    until(lambda: f"/frames/{home}/" in page.locator("[data-set-look]").get_attribute("src"))
    without = shown(page)
    pane.locator("[data-how=with]").click()
    assert np.abs(shown(page) - without).max() > 50
    page.keyboard.press("i")
    expect(pane).to_have_count(0)


def test_it_follows_what_is_done_to_the_plate(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.locator("[data-plates] tr").filter(has_text="Trolley and lamp").first.click()
    page.get_by_role("button", name="In the set").click()
    page.locator("[data-from=home]").click()
    before = shown(page)
    src = page.locator("[data-set-look]").get_attribute("src")
    grade = {"grade": {"exposure": 2.0}}
    assert page.request.patch(f"/api/shots/{halt}/throws/{FRONT}", data=grade).ok
    expect(page.locator("[data-set-look]")).not_to_have_attribute("src", src)
    after = shown(page)
    lighter = (after - before).max(-1) > 20
    assert 0.005 < lighter.mean() < 0.2  # the trolley, and not the place behind it
