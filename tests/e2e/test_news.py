"""Many pages of one browser: one stream of news, one request a change; and the plan that stays where it is."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

SHOT = "varrow-halt"


@pytest.fixture
def many(chromium, running):
    """Opens pages in one browser context, each with a list of what it asks the API for."""
    address, _ = running
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=address)

    def open_pages(count: int, stage: str):
        out = []
        for _ in range(count):
            page, asked = context.new_page(), []
            page.on("request", lambda r, asked=asked: asked.append((r.method, r.url)) if "/api/" in r.url else None)
            page.goto(f"/shot/{SHOT}/{stage}")
            page.wait_for_selector(".rail ol")
            out.append((page, asked))
        return out

    yield open_pages
    context.close()


def rename(page, name: str) -> None:
    page.click(".rail .title")
    page.fill("[aria-label='Name of the shot']", name)
    page.press("[aria-label='Name of the shot']", "Enter")


def api(asked: list) -> list[str]:
    return [f"{method} {url.split('/api')[1].split('?')[0]}" for method, url in asked if "/picture" not in url]


@pytest.mark.slow
def test_forty_pages_hear_of_a_change_by_one_stream(many):
    pages = many(40, "photo")
    for page, _ in pages:
        expect(page.locator(".rail .title")).to_be_visible()
    streams = [api(asked).count("GET /news") for _, asked in pages]
    assert sum(streams) == 1, streams
    for _, asked in pages:
        asked.clear()
    first = pages[-1]
    first[0].bring_to_front()
    rename(first[0], "Forty")
    for page, _ in pages:
        expect(page.locator(".rail .title")).to_have_text("Forty")
    first[0].wait_for_timeout(500)
    assert api(first[1]) == [f"PUT /shots/{SHOT}/name"]
    for _, asked in pages[:-1]:
        assert api(asked) == [f"GET /shots/{SHOT}"]
    # the page that listens goes; another one takes over
    listener = streams.index(1)
    pages.pop(listener)[0].close()
    pages[0][0].bring_to_front()
    pages[0][0].keyboard.press("Control+z")
    for page, _ in pages:
        expect(page.locator(".rail .title")).to_have_text("Varrow Halt")


def test_one_change_costs_one_request(page):
    page.goto(f"/shot/{SHOT}/massing")
    page.wait_for_selector("[data-solids] tr")
    page.wait_for_timeout(1500)
    asked = []
    page.on("request", lambda r: asked.append((r.method, r.url)) if "/api/" in r.url else None)
    with page.expect_response(lambda r: r.url.endswith("/name") and r.ok) as answer:
        rename(page, "Once")
    assert len(answer.value.body()) < 5000
    expect(page.locator(".rail .title")).to_have_text("Once")
    page.wait_for_timeout(1200)
    assert api(asked) == [f"PUT /shots/{SHOT}/name"]
    asked.clear()
    page.keyboard.press("Control+z")
    expect(page.locator(".rail .title")).to_have_text("Varrow Halt")
    page.wait_for_timeout(1200)
    assert api(asked) == [f"POST /shots/{SHOT}/undo"]


def test_a_plan_stays_under_the_hand_and_grows_for_what_is_made_outside(page, running):
    address, _ = running
    page.goto(f"/shot/{SHOT}/massing")
    page.wait_for_selector("[data-plan=station]")

    def scale() -> float:
        return float(page.locator(".plan svg").get_attribute("data-scale"))

    page.wait_for_timeout(500)
    before = scale()

    def arrange(**body):
        return page.request.post(f"{address}/api/shots/{SHOT}/arrange", data=body).json()

    made = arrange(op="repeat", ids=["hut"], step=[-4.0, 0, 4.0], times=1)["made"]
    page.wait_for_selector(f"[data-plan={made[0]}]")
    assert scale() == pytest.approx(before)  # what is made inside changes nothing
    far = arrange(op="repeat", ids=["hut"], step=[0, 0, -60.0], times=1)["made"]
    page.wait_for_selector(f"[data-plan={far[0]}]")
    page.wait_for_function("b => Number(document.querySelector('.plan svg').dataset.scale) < 0.95 * b", arg=before)
    arrange(op="remove", ids=[*made, *far])
    page.wait_for_selector(f"[data-plan={far[0]}]", state="detached")
    wide = scale()
    assert wide < before  # it never shrinks by itself …
    page.get_by_role("button", name="Fit", exact=True).click()
    page.wait_for_function(
        "b => Math.abs(Number(document.querySelector('.plan svg').dataset.scale) - b) < 1e-6", arg=before
    )
    for _ in range(3):
        page.request.post(f"{address}/api/shots/{SHOT}/undo")


def test_the_plan_on_move_shows_the_buildings(page):
    page.goto(f"/shot/{SHOT}/move")
    page.wait_for_selector(".plan [data-plan=station]")
    page.wait_for_timeout(500)
    plan = page.locator(".plan").bounding_box()
    for piece in ("station", "hut", "tower"):
        box = page.locator(f"[data-plan={piece}] .solid").bounding_box()
        assert plan["x"] < box["x"] and box["x"] + box["width"] < plan["x"] + plan["width"]
        assert plan["y"] < box["y"] and box["y"] + box["height"] < plan["y"] + plan["height"]


def test_a_shot_removed_elsewhere_is_told(page, running):
    address, _ = running
    made = page.request.post(f"{address}/api/shots", data={"name": "Short lived"}).json()["id"]
    page.goto(f"/shot/{made}/photo")
    page.wait_for_selector(".rail ol")
    page.wait_for_timeout(500)
    page.request.delete(f"{address}/api/shots/{made}")
    expect(page.get_by_role("alert")).to_contain_text("removed in another window")
