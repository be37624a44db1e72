"""Throws by hand: matched to another plate, tried first where they serve best, and which plate gives what."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect
from scipy.ndimage import binary_erosion
from tests.e2e.board import state, until


def throw(page, shot, plate):
    return next(t for t in state(page, shot)["shot"]["throws"] if t["plate"] == plate)


def test_a_plate_that_is_too_dark_is_matched_to_the_photo(page, halt):
    page.click("[data-stage=plates]")
    page.locator("[data-throw=front-without-canopy] .head").click()
    body = page.locator("[data-throw=front-without-canopy]")
    body.get_by_label("Exposure").fill("-0.8")
    body.get_by_label("Exposure").press("Enter")
    until(lambda: (throw(page, halt, "front-without-canopy")["grade"] or {}).get("exposure") == -0.8)
    revision = state(page, halt)["revision"]
    body.locator("[data-match]").select_option("platform-side")
    expect(body.locator("[data-matched]")).to_contain_text("remains", timeout=120_000)
    # it shows the same front, without the canopy's shade: what is found takes the darkness off again
    grade = until(lambda: (g := throw(page, halt, "front-without-canopy")["grade"]) and g["exposure"] != -0.8 and g)
    assert abs(grade["exposure"]) < 0.12 and abs(grade["temperature"]) < 12 and abs(grade["saturation"] - 1) < 0.1
    assert float(body.get_by_label("Exposure").input_value()) == round(grade["exposure"], 2)
    assert state(page, halt)["revision"] == revision + 1
    page.keyboard.press("Control+z")
    until(lambda: throw(page, halt, "front-without-canopy")["grade"]["exposure"] == -0.8)


def test_what_is_tried_first_is_said_by_hand_and_found_by_merit(page, halt):
    page.click("[data-stage=plates]")
    page.locator("[data-throw=platform-side] .head").click()
    body = page.locator("[data-throw=platform-side]")
    expect(body.get_by_label("Tried first on")).to_be_attached()
    body.locator(".el-select").nth(1).locator(".el-select__wrapper").click()
    page.get_by_role("option", name="first on Platform", exact=True).click()
    until(lambda: throw(page, halt, "platform-side")["first_on"] == ["platform"])
    page.keyboard.press("Escape")
    # the clean plate behind the trolley is pushed aside by that: merit gives it back its place
    page.click("[data-merit]")
    expect(page.locator("[data-merit-said]")).to_contain_text("over the move", timeout=120_000)
    until(lambda: throw(page, halt, "platform-side")["first_on"] == [])
    page.keyboard.press("Control+z")
    until(lambda: throw(page, halt, "platform-side")["first_on"] == ["platform"])


def test_the_map_of_plates_says_what_the_probe_says(page, halt):
    page.click("[data-stage=move]")
    page.get_by_role("group", name="Views").get_by_role("button", name="Lens").click()
    page.locator("[data-giving]").click()
    expect(page.locator("canvas[data-verdicts][data-shown=true]")).to_be_visible(timeout=60_000)
    seen = page.evaluate(
        """() => { const c = document.querySelector('canvas[data-verdicts]'), g = c.getContext('2d');
        return [c.width, c.height, [...g.getImageData(0, 0, c.width, c.height).data]] }"""
    )
    pixels = np.array(seen[2], np.uint8).reshape(seen[1], seen[0], 4)
    shot = state(page, halt)["shot"]
    hexes = ("2f7d74", "b87a12", "6b4fa0", "b5432a", "2b5c8a", "7a6a2c")  # as the tags have them
    pigments = [[int(h[k : k + 2], 16) for k in (0, 2, 4)] for h in hexes]
    plates, given = [p["id"] for p in shot["plates"]], set()
    code = pixels[..., :3].astype(int) @ [1, 256, 65536]
    for colour in np.unique(code[pixels[..., 3] > 0]):
        inside = binary_erosion(code == colour, iterations=3)
        if not inside.any():
            continue
        y, x = np.argwhere(inside)[inside.sum() // 2]
        scale = shot["delivery"]["width"] / seen[0]
        at = {"x": (x + 0.5) * scale, "y": (y + 0.5) * scale}
        story = page.request.get(f"/api/shots/{halt}/frames/1/probe", params=at).json()
        expected = np.array(pigments[plates.index(story["plate"])])
        assert np.abs(pixels[y, x, :3] - expected).max() <= 2, (story["plate"], pixels[y, x])
        given.add(story["plate"])
    assert len(given) > 1
    page.locator("[data-overlay]").click()  # one or the other
    expect(page.locator("[data-giving] input")).not_to_be_checked()


def test_a_seam_is_set_by_hand_and_seen(page, halt):
    """The trolley's clean plate fades into the photo around it: the browser's picture of it gets a soft border."""
    page.goto(f"/shot/{halt}/plates")
    row = page.locator("[data-throw=from-the-hut]")
    row.get_by_role("button").first.click()
    row.get_by_label("Seam over").fill("60")
    row.get_by_label("Seam over").press("Enter")
    row.get_by_text("Along the least visible cut").click()

    def seam():
        return next(t for t in state(page, halt)["shot"]["throws"] if t["plate"] == "from-the-hut")["seam"]

    until(lambda: seam() == {"px": 60, "along": "least"})
    row.get_by_text("Along the least visible cut").click()
    until(lambda: seam() == {"px": 60, "along": "width"})
    row.get_by_label("Seam over").fill("")
    row.get_by_label("Seam over").press("Enter")
    until(lambda: seam() is None)
    page.keyboard.press("Control+z")
    until(lambda: seam() == {"px": 60, "along": "width"})
