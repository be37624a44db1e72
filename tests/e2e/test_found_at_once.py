"""A photograph that is brought: its camera is there when Survey opens, and can be looked into and taken back."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.core.houses import two_houses
from tests.e2e.board import Board, state, until
from tests.e2e.test_beginnings import drop, the_shot
from tests.stages.test_stage_finding import TRUE, street

from roofline.formats.pictures import png


def photo(page, shot) -> dict:
    return state(page, shot)["shot"]["photos"][0]


@pytest.mark.slow
def test_a_photograph_dropped_on_the_shelf_has_its_camera_when_survey_opens(page):
    page.goto("/")
    page.wait_for_selector(".shelf")
    drop(page, [("street.jpg", street())], ".shelf")
    page.wait_for_url("**/shot/*/photo", timeout=60_000)
    shot = the_shot(page)
    page.click("[data-stage=survey]")
    expect(page.locator("[data-camera]")).to_contain_text("mm", timeout=60_000)
    expect(page.locator("[data-find]")).to_have_count(0)
    found = photo(page, shot)
    sigma = found["result"]["sigma"]["focal_px"]
    assert abs(found["camera"]["focal_px"] - TRUE) < 2 * sigma < 0.2 * TRUE
    focal = f"{found['camera']['focal_px'] * 36 / 1500:.2f} ± {sigma * 36 / 1500:.2f} mm"
    expect(page.locator("[data-camera] tr").first).to_contain_text(focal)
    count = len(found["survey"]["edges"])
    assert page.locator("[data-edge]").count() == count > 12

    # looked for again and taken, they do not lie there twice; what was drawn stays
    page.click("[data-tool=run]")
    board = Board(page)
    board.drag((300, 850), (700, 900))
    until(lambda: len(photo(page, shot)["survey"]["edges"]) == count + 1)
    mine = photo(page, shot)["survey"]["edges"][-1]
    page.click("[data-find-more]")
    page.wait_for_selector("[data-take]", timeout=60_000)
    again = page.locator("[data-found] polyline").count()
    page.click("[data-take]")
    until(lambda: len(photo(page, shot)["survey"]["edges"]) == again + 1)
    assert mine in photo(page, shot)["survey"]["edges"] and not mine["found"]
    # one after the other is taken back, down to the photo
    for left in (count + 1, count, 0):
        page.keyboard.press("Control+z")
        until(lambda n=left: len(photo(page, shot)["survey"]["edges"]) == n)
    expect(page.locator("[data-find]")).to_be_visible()
    assert photo(page, shot)["camera"] is None


@pytest.mark.slow
def test_a_picture_that_can_be_read_otherwise_says_so_until_it_was_looked_at(page):
    shot = page.request.post("/api/shots", data={"name": "Two"}).json()["id"]
    page.goto(f"/shot/{shot}/photo")
    page.locator("[data-bring]").set_input_files(
        {"name": "two.png", "mimeType": "image/png", "buffer": png(two_houses())}
    )
    page.wait_for_selector("[data-frame]")
    page.click("[data-stage=survey]")
    expect(page.locator("[data-camera]")).to_contain_text("mm", timeout=60_000)
    expect(page.locator(".sentence.warn", has_text="another way")).not_to_have_count(0)
    first = photo(page, shot)
    # Run and Return are names: exchanged, what is said of them goes with them
    said = page.locator(".sentence.warn", has_text="short edges only")
    words = said.all_inner_texts()
    page.click("[data-exchange]")
    expect(said.first).to_have_text(words[0].replace("Run", "Return"))
    page.keyboard.press("Control+z")
    expect(said.first).to_have_text(words[0])
    page.click("[data-look-readings]")
    grid = page.locator("[data-grid]")
    page.wait_for_selector("[data-other-reading]", timeout=60_000)
    kept = grid.get_attribute("d")
    page.click("[data-other-reading]")
    expect(grid).not_to_have_attribute("d", kept)  # each with its own grid on the picture
    page.click("[data-take]")
    chosen = until(lambda: (p := photo(page, shot))["survey"]["doubt"] != first["survey"]["doubt"] and p)
    expect(page.locator(".sentence.warn", has_text="another way")).to_have_count(0)
    expect(page.locator("[data-look-readings]")).to_have_count(0)
    assert not np.allclose(chosen["camera"]["rotation"], first["camera"]["rotation"], atol=0.02)
    ids = [{e["id"] for e in p["survey"]["edges"]} for p in (first, chosen)]
    assert not ids[0] & ids[1]  # the other reading's, and none of the first one's


def test_of_a_picture_without_edges_it_is_said_once(page):
    shot = page.request.post("/api/shots", data={"name": "Grey"}).json()["id"]
    page.goto(f"/shot/{shot}/photo")
    grey = np.full((300, 450, 3), 128, np.uint8)
    page.locator("[data-bring]").set_input_files({"name": "grey.png", "mimeType": "image/png", "buffer": png(grey)})
    said = page.locator("[data-said]")
    expect(said).to_contain_text("No clear directions were found", timeout=60_000)
    page.click("[data-stage=survey]")
    expect(said).to_contain_text("trace edges")
    said.get_by_role("button", name="Understood").click()
    expect(said).to_have_count(0)
    expect(page.locator("[data-find]")).to_be_visible()
