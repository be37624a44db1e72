"""A whole move by mouse: an idea, standing room, a key at its border, pace, things that move, paint list, delivery."""

from __future__ import annotations

import io

import av
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.e2e.board import at_rest, now, state, until
from tests.e2e.building import Hand
from tests.e2e.test_ideas import drawn
from tests.e2e.test_sources import plate_named
from tests.formats.test_clips import film
from tools.varrow import truth

FRAMES = 120
FLAT = "Trolley and lamp flat"
SIZE = (480, 270)


def figure(page, label: str, value: str):
    page.get_by_label(label, exact=True).fill(value)
    page.get_by_label(label, exact=True).press("Enter")


def to_frame(page, frame: int):
    page.fill("#frame", str(frame))
    page.press("#frame", "Enter")


def mover(page, name: str):
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name=name).click()


def piece(page, shot, name: str) -> dict:
    return next(s for s in state(page, shot)["shot"]["solids"] if s["name"] == name)


def a_window_in_the_hut(page, shot) -> str:
    """An opening cut into the hut's front, as its window lies in the photo; the name of the face behind it."""
    page.click("[data-stage=massing]")
    page.wait_for_selector("[data-piece]")
    page.keyboard.press("x")
    x0, y0, z0 = truth.HUT["lo"]
    x1, _, z1 = truth.HUT["hi"]
    corners = truth.first_view().project(np.array([(x0 + 0.9, y0 + 1.0, z1), (x1 - 0.8, y0 + 1.9, z1)]))
    Hand(page).drag_finely(*corners)
    cut = until(lambda: (piece(page, shot, "Signal hut").get("cuts") or [None])[0])
    wide, tall = np.subtract(cut["high"], cut["low"])[:2]
    assert wide == pytest.approx(x1 - x0 - 1.7, rel=0.05) and tall == pytest.approx(0.9, rel=0.05)
    hut = piece(page, shot, "Signal hut")["id"]
    shape = next(s for s in state(page, shot)["shapes"] if s["id"] == hut)
    return next(n for n in shape["names"] if n.endswith("-back"))


def a_film_behind_the_window(page, shot):
    face = a_window_in_the_hut(page, shot)
    page.click("[data-stage=plates]")
    file = {"name": "film.mkv", "mimeType": "video/x-matroska", "buffer": film()}
    page.locator("[data-plate-file]").set_input_files(file)
    expect(page.locator("[data-clip]")).to_contain_text("20 pictures")
    made = until(lambda: plate_named(page, shot, "film"))
    page.locator("[data-source] .el-select__wrapper").first.click()
    page.get_by_role("option", name="over and over").click()
    until(lambda: plate_named(page, shot, "film")["video"]["after"] == "loop")
    page.locator("[data-source] .el-select__wrapper").last.click()
    page.get_by_role("option", name=f"Signal hut, {face}").click()
    until(lambda: plate_named(page, shot, "film")["canvas"] != made["canvas"])
    page.click("[data-stage=move]")
    page.wait_for_selector("[data-idea]")


def an_idea(page, shot):
    """A push towards the station, drawn in the lens view and let go of."""
    before = state(page, shot)["shot"]["move"]["keys"]
    tried = drawn(page, "push in", (0.0, -0.06))
    page.mouse.up()
    made = until(lambda: (k := state(page, shot)["shot"]["move"]["keys"]) != before and k)
    assert (made[0]["frame"], made[-1]["frame"]) == (1, FRAMES) and made[0]["home"]
    home, end = (np.array(made[n]["position"]) for n in (0, -1))
    assert 0.1 < np.linalg.norm(end - home) < 3 and tried


def the_last_key_at_its_border(page, shot):
    """Taken so far aside that its frame fails, and back until it holds again."""
    to_frame(page, FRAMES)
    page.locator("[data-standing]").click()
    page.wait_for_selector(f"[data-room='{FRAMES}']", timeout=90_000)
    was = state(page, shot)["shot"]["move"]["keys"][-1]["position"]
    at_rest(page, f".plan [data-key='{FRAMES}'] rect")
    box = page.locator(f".plan [data-key='{FRAMES}'] rect").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    felt = page.locator("[data-feels]")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=6)
    until(lambda: felt.count() and float(felt.get_attribute("data-margin")) < 0)
    for aside in range(50, -1, -10):
        page.mouse.move(x + aside, y, steps=2)
        with page.expect_response(lambda r: "/stand?" in r.url):
            page.mouse.move(x + aside + 1, y)
        if float(felt.get_attribute("data-margin")) >= 0:
            break
    page.mouse.up()
    now = until(lambda: (p := state(page, shot)["shot"]["move"]["keys"][-1]["position"]) != was and p)
    assert np.linalg.norm(np.subtract(now, was)) > 0.001
    page.locator("[data-standing]").click()


def moving_keys(page, shot) -> list[int]:
    return [k["frame"] for k in (piece(page, shot, FLAT)["motion"] or {"keys": []})["keys"]]


def what_moves(page, shot):
    mover(page, FLAT)
    to_frame(page, 30)
    figure(page, "Off along run", "0.01")
    to_frame(page, 90)
    figure(page, "Off along run", "-0.6")
    figure(page, "Opacity", "60")
    # what is given a key away from home gets a rest key there
    until(lambda: moving_keys(page, shot) == [1, 30, 90])
    until(lambda: piece(page, shot, FLAT)["motion"]["keys"][-1]["opacity"] == 0.6)
    mover(page, "Hills and sky")
    figure(page, "Drifts along run", "0.02")
    until(lambda: (piece(page, shot, "Hills and sky")["motion"] or {}).get("drift") == [0.02, 0, 0])
    last = piece(page, shot, FLAT)["motion"]["keys"][-1]
    assert last["frame"] == 90 and last["opacity"] == 0.6 and last["offset"] == [-0.6, 0, 0]


def all_painted(page, shot):
    page.click("[data-look-bare]")
    done = page.get_by_text("Nothing that the move shows is bare.")
    expect(page.locator("[data-region]").first.or_(done)).to_be_visible(timeout=120_000)
    if page.locator("[data-region]").count():
        page.click("[data-fill-all]")
        expect(done).to_be_visible(timeout=180_000)
    expect(page.locator("[data-stage=move]")).to_contain_text(f"{FRAMES} of {FRAMES} frames hold", timeout=90_000)


def delivered(page, tmp_path) -> list[np.ndarray]:
    page.click("[data-stage=handoff]")
    page.click("[data-deliver]")
    expect(page.locator("[data-deliveries]")).to_contain_text("v001", timeout=180_000)
    with page.expect_download() as download:
        page.get_by_role("link", name="Save").click()
    download.value.save_as(tmp_path / "move.mp4")
    with av.open(str(tmp_path / "move.mp4")) as container:
        return [f.to_ndarray(format="rgb24") for f in container.decode(container.streams.video[0])]


def runs_behind_the_window(page, shot, frame: int) -> bool:
    """Whether some pixel of a frame shows the film on the opening's back."""
    for x in range(SIZE[0] // 2, SIZE[0], 8):
        for y in range(60, 200, 8):
            told = page.request.get(f"/api/shots/{shot}/frames/{frame}/probe?x={x}&y={y}").json()
            if (told["plate"], told["surface"][-5:] if told["surface"] else "") == ("film", "-back"):
                return True
    return False


@pytest.mark.slow
def test_a_move_from_an_idea_to_its_delivery(page, halt, tmp_path):
    small = {"width": SIZE[0], "height": SIZE[1], "fps": 24, "frames": FRAMES}
    assert page.request.put(now(page, f"/api/shots/{halt}/delivery"), data=small).ok
    page.set_viewport_size({"width": 1100, "height": 720})
    a_film_behind_the_window(page, halt)
    an_idea(page, halt)
    figure(page, "Stretch", "6")  # the film is coarse, and the trolley's ground is smeared: both are accepted
    figure(page, "Magnification", "200")
    the_last_key_at_its_border(page, halt)
    page.locator("[data-travel] .el-select__wrapper").first.click()
    page.get_by_role("option", name="quick, slow in the middle, quick").click()
    until(lambda: state(page, halt)["shot"]["move"]["speed"])
    what_moves(page, halt)
    all_painted(page, halt)
    assert runs_behind_the_window(page, halt, 61)
    frames = delivered(page, tmp_path)
    assert len(frames) == FRAMES and frames[0].shape == (SIZE[1], SIZE[0], 3)
    for frame in (1, 30, 61, 90, FRAMES):
        got = page.request.get(f"/api/shots/{halt}/frames/{frame}/picture?width={SIZE[0]}").body()
        own = np.asarray(Image.open(io.BytesIO(got)).convert("RGB"))
        assert np.abs(frames[frame - 1].astype(int) - own).mean() < 4, frame
