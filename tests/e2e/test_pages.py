"""What every page owes: words for what is wrong or missing, keys, nothing cut off, and two pictures that agree."""

from __future__ import annotations

import io
import time

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.formats.test_pictures import huge_png

from roofline.core.moment import still


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("notes.jpg", b"a text file named .jpg", "notes.jpg is not a picture"),
        ("torn.jpg", None, "damaged or cut short"),
        ("vast.png", huge_png(), "40000 × 40000"),
    ],
)
def test_bad_files_are_told_on_the_page_and_nothing_is_lost(page, name, content, says):
    if content is None:
        out = io.BytesIO()
        Image.fromarray(np.random.default_rng(0).integers(0, 255, (300, 400, 3), dtype=np.uint8)).save(out, "JPEG")
        content = out.getvalue()[:9000]
    page.goto("/shot/varrow-halt/photo")
    page.wait_for_selector("[data-frame]")
    before = state(page, "varrow-halt")["shot"]
    page.set_input_files("[data-bring]", {"name": name, "mimeType": "image/jpeg", "buffer": content})
    expect(page.get_by_role("alert")).to_contain_text(says)
    assert state(page, "varrow-halt")["shot"] == before
    page.get_by_role("button", name="Understood").click()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_photo_can_be_dropped_and_a_figure_refused(page):
    shot = page.request.post("/api/shots", data={"name": "Dropped"}).json()["id"]
    page.goto(f"/shot/{shot}/photo")
    page.wait_for_selector("text=Bring the photograph")
    blob = io.BytesIO()
    Image.new("RGB", (900, 300), (90, 120, 80)).save(blob, "JPEG")
    transfer = page.evaluate_handle(
        """bytes => { const t = new DataTransfer(); t.items.add(new File([new Uint8Array(bytes)], 'Wide.jpg', {
        type: 'image/jpeg' })); return t }""",
        list(blob.getvalue()),
    )
    page.dispatch_event(".stage", "drop", {"dataTransfer": transfer})
    page.wait_for_selector("[data-frame]")
    expect(page.locator(".ledger")).to_contain_text("The photo is enlarged")  # 900 × 300 for 1920 × 1080
    width = page.get_by_label("Width", exact=True)
    width.fill("nine")
    width.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is not a number")
    width.fill("5")
    width.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("From 16")
    assert state(page, shot)["shot"]["delivery"]["width"] == 1920
    scale = page.get_by_label("Photo px per delivered px")
    scale.fill("1.2")
    scale.press("Enter")
    expect(page.locator(".ledger")).to_contain_text("The frame reaches past the photo")


def test_every_stage_of_an_empty_shot_says_what_comes_first(page):
    shot = page.request.post("/api/shots", data={"name": "Empty"}).json()["id"]
    for stage, says in (
        ("photo", "Bring the photograph"),
        ("survey", "A photo comes first"),
        ("massing", "surveyed photo"),
        ("plates", "first plate"),
        ("move", "starts from a surveyed photo"),
        ("handoff", "nothing to deliver yet"),
    ):
        page.goto(f"/shot/{shot}/{stage}")
        expect(page.locator(".board")).to_contain_text(says)
        expect(page.locator(".board button").first).to_be_visible()


def test_the_demo_opens_within_two_seconds(page):
    began = time.monotonic()
    page.goto("/shot/varrow-halt/photo")
    page.wait_for_function(
        "() => { const i = document.querySelector('.picture img'); return i && i.complete && i.naturalWidth > 0 }"
    )
    assert time.monotonic() - began < 2.0 * 3  # shared machine: the figure itself is in make bench


def test_keys_work_and_are_listed(page):
    page.goto("/shot/varrow-halt/move")
    page.wait_for_selector("[data-strip]")
    page.locator("div.lens").click(position={"x": 5, "y": 300})
    page.keyboard.press("h")
    expect(page.locator("#frame")).to_have_value("60")
    page.keyboard.press("ArrowRight")
    expect(page.locator("#frame")).to_have_value("61")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("verdicts over the lens view")
    page.keyboard.press("Escape")
    page.keyboard.press("Alt+2")
    page.wait_for_url("**/survey")
    before = state(page, "varrow-halt")["shot"]["photos"][0]["survey"]["edges"]
    page.locator("[data-edges] tbody tr").first.click()
    page.keyboard.press("Delete")
    until(lambda: len(state(page, "varrow-halt")["shot"]["photos"][0]["survey"]["edges"]) == len(before) - 1)
    page.keyboard.press("Control+z")
    until(lambda: state(page, "varrow-halt")["shot"]["photos"][0]["survey"]["edges"] == before)


@pytest.mark.parametrize("frame", [1, 60, 90, 120])
def test_the_browsers_picture_and_the_engines_agree(page, demo, frame):
    """Home, middle and last frame both ways: mean absolute difference below 3/255 away from borders.

    On a smaller frame too: what was interpolated over large faces was once off by a pixel on some sizes only.
    """
    if frame == 1:
        page.set_viewport_size({"width": 1180, "height": 760})
    from roofline.core.move.path import moment_at, shot_path

    page.goto("/shot/varrow-halt/move")
    page.wait_for_selector("#frame")
    page.get_by_role("group", name="Views").get_by_role("button", name="Lens").click()
    page.fill("#frame", str(frame))
    page.press("#frame", "Enter")
    page.wait_for_selector(f"[data-lens-view][data-frame='{frame}'][data-quality=full]", timeout=60_000)
    page.wait_for_function("() => document.fonts.status === 'loaded'")
    shown = page.evaluate("() => document.querySelector('[data-lens-view]').toDataURL('image/png')")
    import base64

    browser = np.asarray(Image.open(io.BytesIO(base64.b64decode(shown.split(",")[1]))).convert("RGB")).astype(float)
    h, w = browser.shape[:2]
    shot, engine = demo
    view = moment_at(shot, shot_path(shot), frame, w).view
    assert abs(view.height - h) <= 1
    from roofline.formats.pictures import to_display

    own = to_display(engine.picture(still(view))[..., :3]) * 255
    n = min(h, view.height)
    got = engine.measure(still(view))
    label = got.face * 64 + got.pair % 61
    border = cv2.morphologyEx(label.astype(np.float32), cv2.MORPH_GRADIENT, np.ones((3, 3))) > 0
    away = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 5) > 2.5
    # the frame's own border is one too
    away[:3], away[-3:], away[:, :3], away[:, -3:] = False, False, False, False
    off = np.abs(own[:n] - browser[:n]).mean(-1)[away[:n]]
    assert away.mean() > 0.5
    assert off.mean() < 2.4  # house rule: 3


STAGES = ("photo", "survey", "massing", "plates", "move", "handoff")


@pytest.mark.parametrize("stage", STAGES)
def test_nothing_written_overlaps_or_is_cut_off(page, stage):
    """Every stage of the demo at 1280 × 800: labels drawn on a board keep apart, and words fit where they stand."""
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"/shot/varrow-halt/{stage}")
    page.wait_for_selector("h2, h3")
    page.wait_for_timeout(1500)
    over = page.evaluate(
        """() => {
          const found = []
          for (const svg of document.querySelectorAll('svg')) {
            const texts = [...svg.querySelectorAll('text')].filter(
              (t) => t.textContent.trim() && t.getBoundingClientRect().width)
            for (let i = 0; i < texts.length; i++) for (let j = 0; j < i; j++) {
              const [a, b] = [texts[i].getBoundingClientRect(), texts[j].getBoundingClientRect()]
              const x = Math.min(a.right, b.right) - Math.max(a.left, b.left)
              const y = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top)
              if (x > 1 && y > 4) found.push([texts[i].textContent, texts[j].textContent])
            }
          }
          return found
        }"""
    )
    assert over == []
    cut = page.evaluate(
        """() => [...document.querySelectorAll('button, label, th, td, h1, h2, h3, p, a')]
          .filter((e) => e.clientWidth && getComputedStyle(e).display !== 'inline' && e.scrollWidth > e.clientWidth + 1)
          .map((e) => e.textContent.trim().slice(0, 40))"""
    )
    assert cut == []
    pages = page.evaluate("() => [document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
    assert pages[0] <= 1280 and pages[1] <= 800


def test_what_no_plate_reaches_is_paper_in_orbit_and_black_as_delivered(page):
    page.goto("/shot/varrow-halt/massing")
    page.click("[data-view=orbit]")
    page.wait_for_selector("[data-orbit] canvas[data-drawn][data-quality=full]", timeout=120_000)
    board = np.asarray(Image.open(io.BytesIO(page.locator("[data-orbit]").screenshot())).convert("RGB")).astype(int)
    paper = (np.ptp(board, axis=-1) < 30) & (board.min(-1) > 140)
    assert (board.max(-1) < 8).mean() < 0.02
    assert paper.mean() > 0.25
