"""A piece is given a key by figures; the browser's view and the engine's picture of it agree."""

from __future__ import annotations

import base64
import io

import cv2
import numpy as np
from PIL import Image
from playwright.sync_api import expect
from tests.e2e.board import state, until

from roofline.core.move.path import moment_at, shot_path
from roofline.demo.shot import FOLDER
from roofline.formats.package import open_package
from roofline.formats.pictures import to_display
from roofline.model.shot import Shot
from roofline.work.engines import Engines
from roofline.work.kept import Kept


def pictured(page) -> np.ndarray:
    """What the lens view shows, (H, W, 3) display values 0…255."""
    page.wait_for_selector("[data-lens-view][data-quality=full]")
    shown = page.evaluate("() => document.querySelector('[data-lens-view]').toDataURL('image/png')")
    data = base64.b64decode(shown.split(",")[1])
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(float)


def test_a_trolley_rolls_and_both_pictures_show_it(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-motion]")
    page.get_by_role("group", name="Views").get_by_role("button", name="Lens").click()
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name="Trolley and lamp flat").click()
    page.fill("#frame", "60")
    page.press("#frame", "Enter")
    page.get_by_label("Off along run").fill("-1.5")
    page.get_by_label("Off along run").press("Enter")
    page.get_by_label("Turned about rise").fill("20")
    page.get_by_label("Turned about rise").press("Enter")

    def flat():
        return next(s for s in state(page, halt)["shot"]["solids"] if s["id"] == "trolley-and-lamp-flat")

    until(lambda: flat()["motion"] and [k for k in flat()["motion"]["keys"] if k["rotation"][2]])
    assert len(flat()["motion"]["keys"]) == 1
    assert flat()["motion"]["keys"][0]["offset"] == [-1.5, 0, 0]
    moved = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][59]["moved"]
    assert [m["solid"] for m in moved] == ["trolley-and-lamp-flat"]
    until(lambda: page.locator("[data-lens-view]").get_attribute("data-moved") == "1")
    page.wait_for_selector("[data-lens-view][data-frame='60'][data-quality=full]")
    shot = Shot.model_validate(state(page, halt)["shot"])
    files = open_package(FOLDER)
    named = {p.id: q for p, q in zip(shot.plates, files.shot.plates, strict=True)}
    plates = [p.model_copy(update={"file": named[p.id].file, "matte": named[p.id].matte}) for p in shot.plates]
    photos = [p.model_copy(update={"file": q.file}) for p, q in zip(shot.photos, files.shot.photos, strict=True)]
    shot = shot.model_copy(update={"plates": plates, "photos": photos})
    engine = Engines(files.read, Kept()).engine(shot)
    moment = moment_at(shot, shot_path(shot), 60, pictured(page).shape[1])
    own = to_display(engine.picture(moment)[..., :3]) * 255
    got = engine.measure(moment)
    label = np.asarray(got.face) * 64 + np.asarray(got.pair) % 61
    border = cv2.morphologyEx(label.astype(np.float32), cv2.MORPH_GRADIENT, np.ones((3, 3))) > 0
    away = cv2.distanceTransform((~border).astype(np.uint8), cv2.DIST_L2, 5) > 2.5
    away[:3], away[-3:], away[:, :3], away[:, -3:] = False, False, False, False

    def off() -> float:
        browser = pictured(page)
        n = min(len(own), len(browser))
        return float(np.abs(own[:n] - browser[:n]).mean(-1)[away[:n]].mean())

    until(lambda: off() < 3)  # the newest answer may still be on its way to the picture
    page.get_by_role("button", name="Let it stand").click()
    until(lambda: flat()["motion"] is None)
    expect(page.locator("[data-motion]")).to_be_visible()


def test_a_flat_fades_in_both_pictures_and_only_flats_do(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-motion]")
    page.get_by_role("group", name="Views").get_by_role("button", name="Lens").click()
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name="Platform", exact=True).click()
    expect(page.locator("[data-motion]").get_by_label("Opacity")).to_have_count(0)
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name="Trolley and lamp flat").click()
    page.fill("#frame", "60")
    page.press("#frame", "Enter")
    page.locator("[data-motion]").get_by_label("Opacity").fill("35")
    page.locator("[data-motion]").get_by_label("Opacity").press("Enter")

    def flat():
        return next(s for s in state(page, halt)["shot"]["solids"] if s["id"] == "trolley-and-lamp-flat")

    until(lambda: flat()["motion"] and flat()["motion"]["keys"][0]["opacity"] == 0.35)
    got = page.request.get(f"/api/shots/{halt}/frames/60/picture?width=640")
    own = np.asarray(Image.open(io.BytesIO(got.body())).convert("RGB")).astype(float)
    path = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][59]["moved"]
    assert path[0]["opacity"] == 0.35

    def off() -> float:
        shown = Image.fromarray(pictured(page).astype(np.uint8)).resize(
            (own.shape[1], own.shape[0]), Image.Resampling.LANCZOS
        )
        inside = (slice(250, 300), slice(385, 460))  # on the trolley
        return float(np.abs(np.asarray(shown).astype(float) - own)[inside].mean())

    until(lambda: off() < 3)
    page.keyboard.press("Control+z")
    until(lambda: flat()["motion"] is None)
    until(lambda: off() > 12)  # as it was: clearly another picture


def test_a_group_moves_together(page, halt):
    group, members = "The hut", ["hut", "hut-roof"]
    grouped = {"op": "mark", "ids": members, "group": group}
    assert page.request.post(f"/api/shots/{halt}/arrange", data=grouped).ok
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-motion]")
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name=f"all of {group}").click()
    page.fill("#frame", "120")
    page.press("#frame", "Enter")
    page.get_by_label("Off along run").fill("0.8")
    page.get_by_label("Off along run").press("Enter")
    until(lambda: [g["name"] for g in state(page, halt)["shot"]["groups"]] == [group])
    moved = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][119]["moved"]
    assert sorted(m["solid"] for m in moved) == sorted(members)
    assert all(np.allclose(m["shift"], [0.8, 0, 0]) for m in moved)
    until(lambda: page.locator("[data-lens-view]").get_attribute("data-moved") == str(len(members)))
    expect(page.get_by_label("Off along run")).to_have_value("0.8")
    page.get_by_role("button", name="Let it stand").click()
    until(lambda: state(page, halt)["shot"]["groups"] == [])


def test_the_camera_rides_and_what_rides_with_it_goes_along(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-carrier]")
    before = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    page.click("[data-put-carrier]")
    until(lambda: state(page, halt)["shot"]["move"]["carrier"])
    assert page.request.get(f"/api/shots/{halt}/path").json()["cameras"] == before  # it stands where it is
    page.fill("#frame", "120")
    page.press("#frame", "Enter")
    expect(page.locator("[data-carrier]")).to_contain_text("frame 120")
    page.get_by_label("Carrier along run").fill("2")
    page.get_by_label("Carrier along run").press("Enter")
    expect(page.locator("[data-carrier]")).to_contain_text("its key on frame 120")  # at once, whatever the server does
    # a rest key at home has come with the carrier: three in all
    until(lambda: [k["frame"] for k in state(page, halt)["shot"]["move"]["carrier"]["keys"]] == [1, 60, 120], 90)
    after = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    for frame, by in ((1, 0.0), (120, 2.0)):
        assert np.allclose(np.subtract(after[frame - 1]["position"], before[frame - 1]["position"]), [by, 0, 0])
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name="Trolley and lamp flat").click()
    page.get_by_text("Rides on the carrier").click()
    until(lambda: any(s["motion"] and s["motion"]["rides"] for s in state(page, halt)["shot"]["solids"]))
    moved = page.request.get(f"/api/shots/{halt}/path").json()["cameras"][119]["moved"]
    assert [m["solid"] for m in moved] == ["trolley-and-lamp-flat"] and np.allclose(moved[0]["shift"], [2, 0, 0])
    page.click("[data-no-carrier]")
    until(lambda: state(page, halt)["shot"]["move"]["carrier"] is None)
    expect(page.locator("[data-put-carrier]")).to_be_visible()


def test_the_moving_demo_is_the_same_in_both_pictures(page):
    """Soft, half-clear and drifting cut-outs over the photo: cloud before the hills, smoke over the chimney."""
    page.set_viewport_size({"width": 1024, "height": 640})
    page.goto("/shot/varrow-halt-moving/move")
    page.wait_for_selector("[data-lens-view]")
    page.fill("#frame", "30")
    page.press("#frame", "Enter")
    page.wait_for_function("() => document.querySelector('[data-lens-view]')?.dataset.frame === '30'")
    own = page.request.get("/api/shots/varrow-halt-moving/frames/30/picture?width=960").body()
    size = (960, 540)
    engine = np.asarray(Image.open(io.BytesIO(own)).convert("RGB").resize(size)).astype(float)
    frames = page.request.get("/api/shots/varrow-halt-moving/path").json()["cameras"][29]["moved"]
    assert len(frames) >= 4  # trolley, cloud, smoke, post
    parts = {"cloud": (slice(55, 110), slice(190, 280)), "smoke": (slice(0, 40), slice(560, 630))}
    bare = page.request.get("/api/shots/varrow-halt-moving/frames/30/picture?width=960&without=cloud-bank").body()
    without = np.asarray(Image.open(io.BytesIO(bare)).convert("RGB").resize(size)).astype(float)
    assert np.abs(engine - without)[parts["cloud"]].mean() > 8  # there is something to agree on

    def off() -> float:
        shown = Image.fromarray(pictured(page).astype(np.uint8)).resize(size, Image.Resampling.LANCZOS)
        return max(float(np.abs(np.asarray(shown).astype(float) - engine)[at].mean()) for at in parts.values())

    until(lambda: off() < 3, 90)
