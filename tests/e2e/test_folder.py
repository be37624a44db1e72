"""The data folder taken away under an open page: it says so, loses nothing unsaid, and goes on by itself."""

from __future__ import annotations

from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.conftest import a_toy


def test_a_page_says_that_the_folder_is_away_and_goes_on_by_itself(page, running):
    address, data = running
    toy = a_toy(page, address)
    page.goto(f"/shot/{toy}/move")
    page.wait_for_selector("canvas[data-frame]")
    away, told = data.with_name("taken-away"), page.locator("[data-folder-gone]")
    stretch = page.get_by_label("Stretch", exact=True)
    before = state(page, toy)["shot"]["limits"]["stretch"]
    data.rename(away)
    try:
        expect(told).to_contain_text("cannot find the data folder", timeout=5_000)
        stretch.fill("3.25")
        with page.expect_response(lambda r: r.url.endswith("/limits") and r.status == 503):
            stretch.press("Enter")
        expect(stretch).to_have_attribute("aria-invalid", "true")
        expect(stretch).to_have_value("3.25")  # refused, and not lost
    finally:
        away.rename(data)
    expect(told).to_have_count(0, timeout=5_000)
    assert state(page, toy)["shot"]["limits"]["stretch"] == before
    stretch.press("Enter")
    until(lambda: state(page, toy)["shot"]["limits"]["stretch"] == 3.25)
