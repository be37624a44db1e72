"""Plates made of what is brought: a video that runs in the lens view and in deliveries, a tone, a depth picture."""

from __future__ import annotations

import io
import re

import numpy as np
from PIL import Image
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.test_motion import pictured
from tests.formats.test_clips import film, pictures

FACE = "hut/front"


def plate_named(page, shot, name):
    return next((p for p in state(page, shot)["shot"]["plates"] if p["name"] == name), None)


def on_face(page, shot, frame):
    """A delivered pixel, of the frame's own size, that shows the face, with its world point."""
    for x in range(40, 1900, 60):
        for y in (500, 600, 700, 800):
            told = page.request.get(f"/api/shots/{shot}/frames/{frame}/probe?x={x}&y={y}").json()
            if told["surface"] == FACE and told["plate"] == "film":
                return x, y
    raise AssertionError("the video is seen nowhere")


def test_a_video_runs_on_a_wall(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.locator("[data-plate-file]").set_input_files(
        {"name": "film.mkv", "mimeType": "video/x-matroska", "buffer": film()}
    )
    expect(page.locator("[data-clip]")).to_have_text("20 pictures, 0.83 s · 64 × 48 px")
    made = until(lambda: plate_named(page, halt, "film"))
    assert made["video"] == {"first": 1, "rate": None, "after": "hold"}
    page.get_by_label("Begins on frame").fill("11")
    page.get_by_label("Begins on frame").press("Enter")
    page.get_by_label("Rate").fill("12")
    page.get_by_label("Rate").press("Enter")
    page.locator("[data-source] .el-select__wrapper").first.click()
    page.get_by_role("option", name="over and over").click()
    until(lambda: plate_named(page, halt, "film")["video"] == {"first": 11, "rate": 12, "after": "loop"})
    page.locator("[data-source] .el-select__wrapper").last.click()
    page.get_by_role("option", name="Hut, front").click()
    until(lambda: plate_named(page, halt, "film")["canvas"] != made["canvas"])
    throws = state(page, halt)["shot"]["throws"]
    assert throws[0]["plate"] == "film" and throws[0]["targets"] == [FACE]

    page.set_viewport_size({"width": 1024, "height": 640})  # what is drawn in software is drawn small
    page.goto(f"/shot/{halt}/move")
    for frame, n in ((20, 4), (60, 4), (9, 19)):
        page.fill("#frame", str(frame))
        page.press("#frame", "Enter")
        view = page.locator("[data-lens-view]")
        until(lambda frame=frame, view=view: view.get_attribute("data-running") == str(frame))
        x, y = on_face(page, halt, frame)
        wanted = {tuple(c) for c in pictures()[n].reshape(-1, 3).tolist()}  # lit, or its darker corner

        def off(colour, wanted=wanted):
            return min(np.abs(np.subtract(colour, w)).max() for w in wanted)

        own = page.request.get(f"/api/shots/{halt}/frames/{frame}/picture?width=960").body()
        engine = np.asarray(Image.open(io.BytesIO(own)).convert("RGB")).astype(float)
        assert off(engine[y // 2, x // 2]) < 6, (frame, engine[y // 2, x // 2])
        shown = pictured(page)
        k = shown.shape[1] / 1920
        assert off(shown[int(y * k), int(x * k)]) < 12, (frame, shown[int(y * k), int(x * k)])
    page.locator("[data-play]").click()  # and it runs: pictures are got ahead, and shown
    until(lambda: page.locator("[data-lens-view]").get_attribute("data-running") not in ("", "9"))
    page.locator("[data-play]").click()
    page.goto(f"/shot/{halt}/plates")
    page.wait_for_selector("[data-plates] tr")
    page.keyboard.press("Control+z")
    until(lambda: not state(page, halt)["shot"]["throws"][0]["targets"])


def test_a_tone_is_made_and_changed(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.locator("[data-tone]").click()
    source = page.locator("[data-source]")
    expect(source.get_by_text("Soft cloud of the two")).to_be_visible()
    source.get_by_label("Tone to").fill("#ff8000")
    source.get_by_text("Soft cloud of the two").click()
    source.get_by_label("Width").fill("300")
    source.get_by_label("Width").press("Enter")

    def tone():
        return next(p for p in state(page, halt)["shot"]["plates"] if p["tone"])

    until(lambda: tone()["tone"]["cloud"] and tone()["canvas"][2] == 300)
    np.testing.assert_allclose(tone()["tone"]["to"], (1, 128 / 255, 0), atol=1e-6)
    look = page.request.get(f"/api/shots/{halt}/plates/{tone()['id']}/look?width=200").body()
    shown = np.asarray(Image.open(io.BytesIO(look)).convert("RGB")).reshape(-1, 3)
    assert shown[:, 0].max() > 150 and shown[:, 0].min() < 100  # soft cloud between dark and orange


def test_a_depth_picture_cuts_a_plate(page, halt):
    """Half of a picture is near: what lies between the depth step's metres is that half."""
    page.goto(f"/shot/{halt}/plates")
    page.get_by_role("button", name="A plate of the photo").click()
    page.locator("[data-add-step] .el-select__wrapper").click()
    page.get_by_role("option", name="Depth", exact=True).click()
    photo = state(page, halt)["shot"]["photos"][0]
    w, h = photo["width"] // 4, photo["height"] // 4
    grey = np.zeros((h, w), np.uint8)
    grey[:, : w // 4] = 255  # nearest
    out = io.BytesIO()
    Image.fromarray(grey).save(out, "PNG")
    page.locator("[data-depth-file]").set_input_files(
        {"name": "wrong.png", "mimeType": "image/png", "buffer": small_square()}
    )
    expect(page.locator(".problem")).to_contain_text("it has to show the same")
    page.locator("[data-depth-file]").set_input_files(
        {"name": "depth.png", "mimeType": "image/png", "buffer": out.getvalue()}
    )
    page.get_by_label("Its nearest").fill("2")
    page.get_by_label("Its nearest").press("Enter")
    page.get_by_label("Its farthest").fill("50")
    page.get_by_label("Its farthest").press("Enter")

    def step():
        return next(s for p in state(page, halt)["shot"]["plates"] for s in p["steps"] if s["do"] == "depth")

    until(lambda: step()["picture"] and step()["picture"]["far_m"] == 50 and step()["picture"]["near_m"] == 2)
    expect(page.get_by_text(re.compile(r"The matte covers 2(4\.[5-9]|5\.[0-5]) % of the plate"))).to_be_visible()
    page.get_by_role("button", name="By the set").click()
    until(lambda: step()["picture"] is None)


def small_square() -> bytes:
    out = io.BytesIO()
    Image.new("L", (50, 50)).save(out, "PNG")
    return out.getvalue()
