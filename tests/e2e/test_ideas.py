"""Moves from ideas by hand: a kind, what it is about, how far; home stays pinned and one undo takes all back."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until


def keys(page, shot):
    return state(page, shot)["shot"]["move"]["keys"]


def choose(page, label, option):
    page.locator(f"[data-idea] .el-select:has([aria-label='{label}']) .el-select__wrapper").click()
    page.get_by_role("option", name=option, exact=True).click()


def lens_alone(page):
    page.click("[data-stage=move]")
    page.get_by_role("group", name="Views").get_by_role("button", name="Lens").click()
    page.wait_for_selector("[data-idea]")


def test_an_arc_around_a_piece_and_undo(page, halt):
    page.click("[data-stage=move]")
    page.wait_for_selector("[data-idea]")
    before = keys(page, halt)
    choose(page, "Kind of move", "arc around")
    choose(page, "What the move is about", "Station house")
    choose(page, "Where home is pinned", "the last frame")
    page.locator("[data-idea]").get_by_label("To the right by").fill("12")
    page.locator("[data-idea]").get_by_label("To the right by").press("Enter")
    made = until(lambda: (k := keys(page, halt)) != before and k)
    assert [k["home"] for k in made] == [False] * (len(made) - 1) + [True]
    assert (made[0]["frame"], made[-1]["frame"]) == (1, 120)
    cameras = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    now = state(page, halt)
    ident = next(s["id"] for s in now["shot"]["solids"] if s["name"] == "Station house")
    corners = np.array(next(s for s in now["shapes"] if s["id"] == ident)["vertices"])
    middle = 0.5 * (corners.min(0) + corners.max(0))
    away = np.array([np.linalg.norm(np.array(c["position"]) - middle) for c in cameras])
    assert np.ptp(away) / away[0] < 3e-3
    assert cameras[0]["pan_deg"] != pytest.approx(cameras[-1]["pan_deg"], abs=5)
    expect(page.locator("[data-finding]").first).to_contain_text("frames", timeout=60_000)  # judged as any move
    page.keyboard.press("Control+z")
    until(lambda: keys(page, halt) == before)


def test_a_push_towards_what_is_clicked_and_too_far_is_refused(page, halt):
    lens_alone(page)
    choose(page, "What the move is about", "a point, clicked in the lens view")
    box = page.locator("canvas[data-lens-view]").bounding_box()
    spot = (box["x"] + 0.3 * box["width"], box["y"] + 0.5 * box["height"])
    with page.expect_response(lambda r: "/probe" in r.url) as answer:
        page.mouse.move(*spot)
    world = np.array(answer.value.json()["world"])
    expect(page.locator("[data-board] .story, .story").first).to_contain_text("Depth")
    before = keys(page, halt)
    page.mouse.click(*spot)
    expect(page.locator("[data-idea]")).to_contain_text("a point of ")
    assert keys(page, halt) == before  # the click said what it is about, and turned nothing
    page.locator("[data-idea]").get_by_label("Nearer by").fill("2.5")
    page.locator("[data-idea]").get_by_label("Nearer by").press("Enter")
    made = until(lambda: (k := keys(page, halt)) != before and k)
    home, end = (np.array(k["position"]) for k in made)
    assert np.linalg.norm(end - home) == pytest.approx(2.5, abs=1e-6)
    way = (end - home) / 2.5
    assert np.allclose(way, (world - home) / np.linalg.norm(world - home), atol=2e-2)
    page.locator("[data-idea]").get_by_label("Nearer by").fill("500")
    page.locator("[data-idea]").get_by_label("Nearer by").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("go less far")
    assert keys(page, halt) == made


def drawn(page, kind: str, by: tuple[float, float], at=(0.45, 0.45)):
    """Press in the lens view and drag by shares of its height; not let go of."""
    choose(page, "Kind of move", kind)
    page.locator("[data-draw-idea]").click()
    expect(page.locator("[data-idea]")).to_contain_text("Press")
    box = page.locator("canvas[data-lens-view]").bounding_box()
    x, y = box["x"] + at[0] * box["width"], box["y"] + at[1] * box["height"]
    with page.expect_response(lambda r: "/probe" in r.url) as answer:
        page.mouse.move(x, y)
    expect(page.locator("[data-story]")).to_contain_text("Depth")
    page.mouse.down()
    with page.expect_response(lambda r: "/idea?" in r.url):
        page.mouse.move(x + by[0] * box["height"], y + by[1] * box["height"], steps=8)
    return answer.value.json()


def test_a_push_in_is_drawn_in_the_lens_view_and_its_verdict_follows(page, halt):
    lens_alone(page)
    before = keys(page, halt)
    told = drawn(page, "push in", (0, -0.2))
    expect(page.locator("[data-feels][data-margin]")).to_be_visible(timeout=30_000)  # judged while it is in hand
    expect(page.locator("[data-feels]")).to_contain_text("Nearer by ")
    assert page.locator("#frame").input_value() == "120" and keys(page, halt) == before
    page.mouse.up()
    made = until(lambda: (k := keys(page, halt)) != before and k)
    home, end = (np.array(k["position"]) for k in made)
    assert made[0]["home"] and made[-1]["frame"] == 120
    assert np.linalg.norm(end - home) == pytest.approx(0.2 * told["depth_m"], rel=0.02)
    way = (np.array(told["world"]) - home) / np.linalg.norm(np.array(told["world"]) - home)
    assert np.allclose((end - home) / np.linalg.norm(end - home), way, atol=2e-2)
    expect(page.locator("[data-idea]").get_by_label("Nearer by")).to_have_value(f"{np.linalg.norm(end - home):.4g}")
    page.keyboard.press("Control+z")
    until(lambda: keys(page, halt) == before)


def test_a_slide_that_is_given_up_leaves_everything_as_it_was(page, halt):
    lens_alone(page)
    before = keys(page, halt)
    sent: list[str] = []
    page.on("request", lambda r: r.method != "GET" and "/check" not in r.url and sent.append(r.url))
    drawn(page, "slide by", (-0.3, 0))
    page.keyboard.press("Escape")
    page.mouse.up()
    assert page.locator("#frame").input_value() == "1"  # home, where it was pressed
    expect(page.locator("[data-idea]").get_by_label("To the right by")).to_have_value("0.5")
    expect(page.locator("[data-feels]")).to_have_count(0)
    assert keys(page, halt) == before and not sent
