"""Takes of one camera by mouse: a bracket of exposures, one of them without the trolley and the lamp, which then shows
what is behind them; held against the same place photographed a third time."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.e2e.board import Board, state, until
from tests.e2e.test_story_plates import alike, behind_them, gone, stood_up, surveyed_and_built, taken_off

# made by python -m tools.varrow.photograph first OUT --bare --seed 11 --stops 0.4 --quality 85
TAKE = Path(__file__).with_name("data") / "without-the-trolley.jpg"
STOPS = -1.3


def darker(stops: float) -> bytes:
    """The take, exposed shorter."""
    s = np.asarray(Image.open(TAKE), dtype=np.float32) / 255
    light = np.where(s <= 0.04045, s / 12.92, ((s + 0.055) / 1.055) ** 2.4) * 2.0**stops
    display = np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)
    out = io.BytesIO()
    Image.fromarray((display * 255 + 0.5).astype(np.uint8)).save(out, "JPEG", quality=95, subsampling=0)
    return out.getvalue()


def photo(page, shot, ident: str) -> dict:
    return next(p for p in state(page, shot)["shot"]["photos"] if p["id"] == ident)


def bring(page, shot, name: str, data: bytes) -> str:
    """The id of a photo that is brought under Photo."""
    before = {p["id"] for p in state(page, shot)["shot"]["photos"]}
    page.set_input_files("[data-bring]", {"name": name, "mimeType": "image/jpeg", "buffer": data})
    return until(
        lambda: next((p["id"] for p in state(page, shot)["shot"]["photos"] if p["id"] not in before), None), 60
    )


def of_one_camera(page, shot, ident: str) -> None:
    page.locator(f"[data-photo={ident}]").click()
    page.get_by_label("Standpoint that this photo shares").select_option(label="as Platform side was")
    until(lambda: photo(page, shot, ident)["camera"] == photo(page, shot, "platform-side")["camera"])
    assert photo(page, shot, ident)["steady_px"] < 0.5
    expect(page.get_by_label("Lens that this photo shares")).to_be_disabled()
    expect(page.locator("[data-steady]")).to_contain_text("Nothing moved between the two")


@pytest.mark.slow
def test_a_take_without_them_shows_what_is_behind(page, running):
    shot = surveyed_and_built(page, running[0])
    page.goto(f"/shot/{shot}/photo")
    page.wait_for_selector("[data-bring]", state="attached")
    take = bring(page, shot, "Trolley away.jpg", TAKE.read_bytes())
    dark = bring(page, shot, "Darker.jpg", darker(STOPS))
    page.click("[data-stage=survey]")
    for ident in (take, dark):
        of_one_camera(page, shot, ident)
    page.locator("[data-photo=platform-side]").click()

    page.click("[data-stage=plates]")
    page.wait_for_selector("[data-plates]")
    page.locator(f"[data-throw={dark}] .head").click()
    page.locator(f"[data-throw={dark}] [data-match]").select_option(take)
    grade = until(lambda: next(t for t in state(page, shot)["shot"]["throws"] if t["plate"] == dark)["grade"], 60)
    assert grade["exposure"] == pytest.approx(-STOPS, abs=0.05)

    board = Board(page)
    taken_off(page, shot, board)
    stood_up(page, shot, board)
    page.click("[data-stage=plates]")
    page.locator(".el-select:has([aria-label='What clean plates are filled with']) .el-select__wrapper").click()
    page.get_by_role("option", name="what Trolley away shows there").click()
    page.click("[data-clean-all]")
    expect(page.locator("[data-plates] tr", has_text="Clean Platform").first).to_be_visible(timeout=120_000)
    gone(page, shot)
    clean, true, inner = behind_them(page, shot)
    now = alike(clean, true, inner)
    print(f"SSIM in the hole, from another take: {now:.2f}")
    assert now > 0.85
    off = np.abs(clean.astype(float) - true)[inner]
    assert np.median(off) < 8
