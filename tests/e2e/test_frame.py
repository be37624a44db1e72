"""The frame is one, whatever it is delivered at: sizes, lengths and film backs typed by hand."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.conftest import a_toy
from tests.e2e.test_keyed import figure

from roofline.formats.reading import read


def delivery(page, shot) -> dict:
    return state(page, shot)["shot"]["delivery"]


def cameras(page, shot) -> list[dict]:
    return page.request.get(f"/api/shots/{shot}/path").json()["cameras"]


@pytest.fixture
def toy(page, running):
    shot = a_toy(page, running[0])
    page.goto(f"/shot/{shot}/photo")
    page.wait_for_selector("[data-frame]")
    return shot


def seen(page, shot, frame: int) -> np.ndarray:
    return read(
        page.request.get(f"/api/shots/{shot}/frames/{frame}/picture?width=80", timeout=180_000).body(), "seen"
    ).astype(int)


def test_another_size_is_the_same_frame_and_another_aspect_is_told_first(page, toy):
    before, pictures = cameras(page, toy), [seen(page, toy, f) for f in (1, 24)]
    # two figures, one after the other at once: of another aspect between them, of the same at the end
    figure(page, "Width", "320")
    figure(page, "Height", "200")
    until(lambda: (delivery(page, toy)["width"], delivery(page, toy)["height"]) == (320, 200))
    expect(page.locator("[data-other-aspect]")).to_have_count(0)
    for was, now in zip(before, cameras(page, toy), strict=True):
        assert now["zoom"] == pytest.approx(was["zoom"]) and now["focal_px"] == pytest.approx(2 * was["focal_px"])
    for was, frame in zip(pictures, (1, 24), strict=True):
        assert np.abs(seen(page, toy, frame) - was).mean() < 3
    # of another aspect: nothing is taken before it is told
    figure(page, "Height", "320")
    told = page.locator("[data-other-aspect]")
    expect(told).to_contain_text("320 × 320 px has another aspect")
    expect(told).to_contain_text("320 × 200 px of the photo now. It would take 200 × 200 px.")
    assert delivery(page, toy)["height"] == 200
    page.click("[data-same-aspect]")
    until(lambda: (delivery(page, toy)["width"], delivery(page, toy)["height"]) == (512, 320))
    figure(page, "Width", "320")
    page.click("[data-take-size]")
    until(lambda: (delivery(page, toy)["width"], delivery(page, toy)["height"]) == (320, 320))
    framing = delivery(page, toy)["framing"]
    assert framing["scale"] * 320 == pytest.approx(200)  # its height stayed
    page.get_by_role("button", name="Undo").click()
    until(lambda: delivery(page, toy)["width"] == 512)


def test_a_shorter_shot_asks_what_becomes_of_the_keys_beyond_its_end(page, toy):
    before = cameras(page, toy)
    figure(page, "Length", "12")
    beyond = page.locator("[data-beyond]")
    expect(beyond).to_contain_text("1 key of the camera lies beyond frame 12.")
    assert delivery(page, toy)["frames"] == 24
    page.click("[data-leave]")
    until(lambda: delivery(page, toy)["frames"] == 12)
    assert [k["frame"] for k in state(page, toy)["shot"]["move"]["keys"]] == [1, 12, 24]
    assert [c["position"] for c in cameras(page, toy)] == [c["position"] for c in before[:12]]
    expect(beyond).to_contain_text("1 key of the camera lies beyond frame 12.")  # it stays said
    page.click("[data-cut]")
    expect(beyond).to_have_count(0)
    for was, now in zip(before, cameras(page, toy), strict=False):
        assert now["position"] == pytest.approx(was["position"], abs=1e-9)
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    until(lambda: delivery(page, toy)["frames"] == 24)
    figure(page, "Length", "12")
    page.click("[data-fit]")
    until(lambda: [k["frame"] for k in state(page, toy)["shot"]["move"]["keys"]] == [1, 6, 12])
    assert cameras(page, toy)[-1]["position"] == pytest.approx(before[-1]["position"])
    # longer again: the camera would stand still, which is told, and the move fitted
    figure(page, "Length", "24")
    expect(page.locator("[data-longer]")).to_contain_text("The move ends on frame 12")
    page.click("[data-fit]")
    until(lambda: state(page, toy)["shot"]["move"]["keys"][-1]["frame"] == 24)


def test_focal_lengths_are_of_the_film_back_that_is_stated(page, toy):
    back = page.locator("[data-film-back]")
    expect(back).to_contain_text("The delivered frame takes 36.0 × 22.5 mm of it")
    back.locator(".el-select__wrapper").click()
    page.get_by_role("option", name="Super 35").click()
    until(lambda: state(page, toy)["shot"]["photos"][0]["film_back_mm"] == [24.89, 18.66])
    page.goto(f"/shot/{toy}/move")
    page.wait_for_selector("canvas[data-frame]")
    focal = page.get_by_label("Focal length", exact=True)
    camera = cameras(page, toy)[0]
    # the photo's 320 px are 24.89 mm, of 2 delivered pixels' worth each
    assert float(focal.input_value()) == pytest.approx(camera["focal_px"] * 2 * 24.89 / 320, abs=0.01)
    figure(page, "Focal length", "20")
    until(lambda: cameras(page, toy)[0]["focal_px"] * 2 * 24.89 / 320 == pytest.approx(20, abs=0.01))


def test_a_proof_is_delivered_at_half_size_and_changes_nothing(page, toy, running):
    page.goto(f"/shot/{toy}/handoff")
    page.locator("[data-group=frames]").click()
    page.get_by_text("Proof, half size").click()
    expect(page.locator(".ledger")).to_contain_text("80 × 50 px · 24 f")
    revision = state(page, toy)["revision"]
    page.click("[data-deliver]")
    page.wait_for_selector("[data-deliveries]")
    expect(page.locator("[data-deliveries]")).to_contain_text("png-half")
    frames = sorted((running[1] / "deliveries" / toy).rglob("*.png"))
    assert len(frames) == 24 and read(frames[0].read_bytes(), "frame").shape[:2] == (50, 80)
    assert state(page, toy)["revision"] == revision and delivery(page, toy)["width"] == 160
