"""Keys that hold a part of the camera, focus, and the first and the last frame, by hand."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.hands import press_and_move

from roofline.formats.reading import read


def figure(page, label: str, value: str):
    field = page.get_by_label(label, exact=True)
    field.fill(value)
    field.press("Enter")


def key_on(page, shot, frame):
    return next((k for k in state(page, shot)["shot"]["move"]["keys"] if k["frame"] == frame), None)


def test_a_key_for_the_lens_alone_and_one_taken_up_again_by_the_hand(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    before = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    figure(page, "Frame", "90")
    page.click("[data-set-key]")
    expect(page.locator("[data-holds]")).to_be_visible()
    for value in ("position", "rotation"):
        page.locator(f"[data-holds-value={value}]").click()
    until(lambda: sorted(key_on(page, halt, 90)["free"]) == ["position", "rotation"])
    figure(page, "Focal length", "40")
    until(lambda: key_on(page, halt, 90)["zoom"] > before[89]["zoom"] * 1.1)
    after = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    assert [c["position"] for c in after] == [pytest.approx(c["position"]) for c in before]
    assert after[89]["focal_px"] > before[89]["focal_px"] * 1.1
    assert sorted(key_on(page, halt, 90)["free"]) == ["position", "rotation"]  # typing the one does not hold the others
    # turned by hand in the lens view, the key holds its direction again, and its position still not
    box = page.get_by_role("group", name="Lens view").bounding_box()
    at = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    press_and_move(page, at, (60, 0))
    page.mouse.up()
    until(lambda: key_on(page, halt, 90)["free"] == ["position"])
    expect(page.locator("[data-holds-value=rotation]")).to_have_class("el-checkbox is-checked", timeout=5000)
    page.get_by_role("button", name="Undo").click()
    until(lambda: sorted(key_on(page, halt, 90)["free"]) == ["position", "rotation"])


def test_focus_is_dragged_in_plan_and_clicked_in_the_lens_view(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    figure(page, "Frame", "60")
    figure(page, "Focus distance", "6")
    until(lambda: key_on(page, halt, 60)["focus_m"] == 6)
    home = key_on(page, halt, 60)["home"]
    line = page.locator("[data-focus-at]").bounding_box()
    at = (line["x"] + line["width"] / 2, line["y"] + line["height"] / 2)
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0], at[1] - 12, steps=3)
    page.mouse.move(at[0], at[1] - 24, steps=3)
    told = page.locator("[data-focus] text")
    expect(told).not_to_have_text("focus 6.00 m")
    page.mouse.up()
    moved = until(lambda: (k := key_on(page, halt, 60)["focus_m"]) != 6 and k)
    assert moved > 6
    expect(told).to_have_text(f"focus {moved:.2f} m")
    assert key_on(page, halt, 60)["home"] == home
    page.click("[data-pick-focus]")
    box = page.get_by_role("group", name="Lens view").bounding_box()
    spot = (box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.8)
    page.mouse.click(*spot)
    clicked = until(lambda: (k := key_on(page, halt, 60)["focus_m"]) != moved and k)
    frame = page.locator("canvas[data-frame]").bounding_box()
    delivered = state(page, halt)["shot"]["delivery"]
    x = (spot[0] - frame["x"]) / frame["width"] * delivered["width"]
    y = (spot[1] - frame["y"]) / frame["height"] * delivered["height"]
    probe = page.request.get(f"/api/shots/{halt}/frames/60/probe?x={x}&y={y}").json()
    assert clicked == pytest.approx(probe["depth_m"], rel=0.02)
    expect(page.locator("[data-pick-focus]")).to_have_text("Focus on a click")


def test_focus_is_keyed_and_lies_across_the_view_in_plan(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    expect(page.locator("[data-focus]")).to_have_count(0)
    figure(page, "Frame", "60")
    figure(page, "Focus distance", "12")
    until(lambda: key_on(page, halt, 60)["focus_m"] == 12 and key_on(page, halt, 60)["home"])
    figure(page, "f-stop", "2.8")
    until(lambda: key_on(page, halt, 60)["f_stop"] == 2.8)
    expect(page.locator("[data-sharp]")).to_contain_text("Sharp to one pixel from")
    figure(page, "Frame", "120")
    figure(page, "Focus distance", "6")
    until(lambda: key_on(page, halt, 120)["focus_m"] == 6)
    figure(page, "Frame", "90")
    camera = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][89]
    assert 6 < camera["focus"]["focus_m"] < 12
    expect(page.locator("[data-focus] text")).to_have_text(f"focus {camera['focus']['focus_m']:.2f} m")
    # the line in plan is as far before the lens as it says, by the plan's own scale
    line, lens = page.locator("[data-focus-at]").bounding_box(), page.locator("[data-lens]").bounding_box()
    middle = (line["x"] + line["width"] / 2, line["y"] + line["height"] / 2)
    eye = (lens["x"] + lens["width"] / 2, lens["y"] + lens["height"] / 2)
    bar = page.locator(".scale i").bounding_box()["width"]
    metres = float(page.locator(".scale span").inner_text().split()[0])
    away = ((middle[0] - eye[0]) ** 2 + (middle[1] - eye[1]) ** 2) ** 0.5 * metres / bar
    level = (sum(camera["rotation"][2][i] ** 2 for i in (0, 2))) ** 0.5
    assert away == pytest.approx(camera["focus"]["focus_m"] * level, rel=0.03)
    # taken off by emptying the field
    figure(page, "Frame", "120")
    figure(page, "Focus distance", "")
    until(lambda: key_on(page, halt, 120)["focus_m"] is None)


def test_the_first_and_the_last_frame_stand_side_by_side(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    page.locator("[data-ends]").click()
    shown = page.locator("[data-ends-shown] img")
    expect(shown).to_have_count(2)
    for frame in (1, 120):
        src = page.locator(f"[data-end='{frame}']").get_attribute("src")
        until(lambda frame=frame: page.locator(f"[data-end='{frame}']").evaluate("i => i.naturalWidth") >= 160)
        got = read(page.request.get(src).body(), "shown").astype(int)
        wanted = read(page.request.get(f"/api/shots/{halt}/frames/{frame}/picture?width={got.shape[1]}").body(), "w")
        assert abs(got - wanted).max() == 0
    one, other = (shown.nth(i).bounding_box() for i in (0, 1))
    assert one["x"] + one["width"] <= other["x"] and abs(one["y"] - other["y"]) < 1
    expect(page.locator("[data-ends-shown]")).to_contain_text("Frame 120 does not hold")
    # it follows a change, and a press goes there
    src = page.locator("[data-end='120']").get_attribute("src")
    assert page.request.patch(f"/api/shots/{halt}/travel", data={"aim_share": 0.5}).ok
    expect(page.locator("[data-end='120']")).not_to_have_attribute("src", src)
    page.locator("[data-end='120']").click()
    expect(page.locator("#frame")).to_have_value("120")
    expect(page.locator("[data-ends-shown]")).to_have_count(0)
