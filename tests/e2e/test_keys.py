"""Keys, the sheet of keys, and the bar between the views."""

from __future__ import annotations

from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.hands import go, middle, press_and_move


def test_letters_work_after_boxes_and_lists_and_never_while_text_is_typed(page, halt):
    go(page, halt, "survey", "[data-camera]")
    page.get_by_label("Snap").click()
    page.keyboard.press("u")
    expect(page.locator("[data-tool=rise]")).to_have_attribute("aria-pressed", "true")
    page.get_by_label("Which grid is shown").select_option("front")
    page.keyboard.press("e")
    expect(page.locator("[data-tool=return]")).to_have_attribute("aria-pressed", "true")
    page.get_by_label("Focal length", exact=True).press_sequentially("r")
    expect(page.locator("[data-tool=return]")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Escape")
    page.keyboard.press("Alt+4")
    page.locator("[data-plates] tr").nth(2).click()
    name = page.get_by_label("Name", exact=True)
    was = name.input_value()
    name.fill("Something else")
    name.press("Escape")
    expect(name).to_have_value(was)
    name.fill("Kept")
    name.press("Control+z")  # text, as long as it has not been sent
    page.wait_for_timeout(200)
    assert was in {p["name"] for p in state(page, halt)["shot"]["plates"]}
    name.fill("Kept")
    name.press("Enter")
    until(lambda: "Kept" in {p["name"] for p in state(page, halt)["shot"]["plates"]})
    name.press("Control+z")  # then the change
    until(lambda: was in {p["name"] for p in state(page, halt)["shot"]["plates"]})


def test_the_sheet_of_keys_is_made_from_the_map(page, halt):
    go(page, halt, "survey", "[data-camera]")
    page.keyboard.press("?")
    sheet = page.locator("[data-keys]")
    for says in ("trace Run", "split the chosen edge", "roof", "backdrop", "close the outline", "play or pause"):
        expect(sheet).to_contain_text(says)
    assert sheet.locator("dt").count() > 50


def test_the_division_of_views_is_dragged_and_remembered(page, halt):
    go(page, halt, "move", ".plan [data-key]")

    def height() -> float:
        return page.locator(".planhost").bounding_box()["height"]

    before = height()
    press_and_move(page, middle(page, "[data-divider]"), (0, -80))
    page.mouse.up()
    until(lambda: abs(height() - before - 80) < 4)
    page.reload()
    page.wait_for_selector(".plan [data-key]")
    until(lambda: abs(height() - before - 80) < 4)
    page.locator("[data-divider]").focus()
    page.keyboard.press("ArrowDown")
    until(lambda: height() < before + 75)
    page.locator("[data-divider]").dblclick()
    until(lambda: abs(height() - before) < 4)
