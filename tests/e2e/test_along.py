"""Looking along the move by mouse: what the ledger, the strip and the lens view say is what was worked out."""

from __future__ import annotations

import re

from playwright.sync_api import expect
from tests.e2e.board import now, state


def test_what_is_seen_along_the_move_is_listed_drawn_and_shown_in_place(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    page.click("[data-look-along]")
    expect(page.locator("[data-runs]")).to_have_count(2, timeout=90_000)
    look = page.request.get(f"/api/shots/{halt}/along").json()["look"]
    near = max(look["frames"], key=lambda f: f["near_px"] or 0)
    expect(page.locator("[data-runs=near]")).to_contain_text(f"Frame {near['frame']}")
    expect(page.locator("[data-rushed]")).to_have_count(0)  # 11 px a frame is far below 64
    left = min(f["left_px"] for f in look["frames"] if f["left_px"] is not None)
    expect(page.locator("[data-room-beyond=left]")).to_contain_text(f"{left:.0f} px")
    # a piece that will look flat: its frame, and its place ringed
    row = page.locator("[data-stray=platform]")
    row.get_by_role("button").click()
    stray = next(s for s in look["strays"] if s["solid"] == "platform")
    expect(page.locator("#frame")).to_have_value(str(stray["frame"]))
    ring = page.locator("[data-marked] g")
    unit = float(page.get_by_role("group", name="Lens view").get_attribute("data-unit"))
    at = [float(v) for v in re.findall(r"[-\d.]+", ring.get_attribute("transform"))]
    assert abs(at[0] - stray["at"][0] * unit) < 1 and abs(at[1] - stray["at"][1] * unit) < 1
    page.get_by_label("One frame back").click()
    expect(page.locator("[data-marked]")).to_have_count(0)
    expect(page.locator("[data-edge=trolley-and-lamp]")).to_contain_text("fringe")
    # over the strip
    expect(page.locator("[data-course]")).to_have_count(0)
    for name, lines in (("pixels per frame", ["near", "far"]), ("room beyond the frame", ["left", "right", "top"])):
        page.get_by_text(name, exact=True).click()
        for line in lines:
            drawn = page.locator(f"[data-course] [data-line={line}]").get_attribute("d")
            assert drawn.count("L") > 60, line
    page.get_by_text("speed", exact=True).click()
    expect(page.locator("[data-course]")).to_have_count(0)


def test_a_changed_move_is_looked_along_anew_and_a_rushed_one_is_said(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    page.click("[data-look-along]")
    expect(page.locator("[data-runs]")).to_have_count(2, timeout=90_000)
    # the same way in a tenth of the frames
    keys = state(page, halt)["shot"]["move"]["keys"]
    quick = [{**k, "frame": 60 + (k["frame"] - 60) // 10} for k in keys]
    move = {**state(page, halt)["shot"]["move"], "keys": quick}
    assert page.request.put(now(page, f"/api/shots/{halt}/move"), data=move).ok
    expect(page.get_by_text("The move has changed since it was looked along.")).to_be_visible()
    page.click("[data-look-along]")
    expect(page.locator("[data-rushed]")).to_contain_text("64 px a frame", timeout=90_000)
    page.get_by_text("pixels per frame", exact=True).click()
    expect(page.locator("[data-course]")).to_contain_text("rushed above the line")
