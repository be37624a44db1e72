"""An empty shot: nothing is shut without a need, and each part says what it needs, with the button that makes it."""

from __future__ import annotations

from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.stages.test_stage_beginning import smooth

PARTS = ("From an idea", "How it travels", "Things that move", "Ways out", "Paint list", "Along the move")


def empty(page) -> str:
    made = page.request.post("/api/shots", data={"name": "Empty"})
    assert made.ok, made.text()
    return made.json()["id"]


def bring(page) -> None:
    other = page.locator("input[type=file]:not([data-begin-one]):not([data-begin-layers])").first
    other.set_input_files({"name": "mist.png", "mimeType": "image/png", "buffer": smooth(2400, 1600)})


def test_each_part_of_move_is_there_and_says_what_it_needs(page):
    shot = empty(page)
    page.goto(f"/shot/{shot}/move")
    for part in PARTS:
        here = page.locator(f"[data-needs='{part}']")
        expect(here).to_contain_text("It needs a photo.")
        expect(here.get_by_role("button", name="Bring a photo")).to_be_visible()
    page.locator("[data-needs='Ways out']").get_by_role("button").click()
    page.wait_for_url(f"**/shot/{shot}/photo")
    bring(page)
    until(lambda: len(state(page, shot)["shot"]["photos"]) == 1)
    page.click("[data-stage=move]")
    expect(page.locator("[data-needs='Paint list']")).to_contain_text("assumes what is not known")
    expect(page.locator(".strip .end")).to_have_text("not checked")
    page.locator("[data-needs='Paint list']").get_by_role("button", name="A first move").click()
    expect(page.locator("[data-paint-list]")).to_be_visible(timeout=60_000)
    expect(page.locator("[data-needs]")).to_have_count(0)
    for part in ("idea", "travel", "ways", "along"):
        expect(page.locator(f"[data-{part}]")).to_be_visible()
    expect(page.locator(".strip .end")).to_contain_text("frames hold", timeout=60_000)


def test_massing_opens_by_one_press_and_says_what_is_assumed(page):
    shot = empty(page)
    page.goto(f"/shot/{shot}/massing")
    page.get_by_role("button", name="Go to Photo").click()
    page.wait_for_url(f"**/shot/{shot}/photo")
    bring(page)
    until(lambda: len(state(page, shot)["shot"]["photos"]) == 1)
    page.click("[data-stage=massing]")
    page.click("[data-assume-scale]")
    expect(page.locator("[data-assumed]")).to_contain_text("the eye 1.60 m above the ground", timeout=60_000)
    page.wait_for_selector("[data-tool=block]")
    now = state(page, shot)["shot"]
    assert now["photos"][0]["camera"]["position"][1] == 1.6 and now["solids"] == []
    page.click("[data-stage=move]")  # without a key nothing is checked
    expect(page.locator("[data-needs='Ways out']")).to_contain_text("It needs a set")
    expect(page.locator(".strip .end")).to_have_text("not checked")
