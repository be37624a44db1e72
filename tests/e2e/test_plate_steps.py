"""Steps of a plate by mouse: outline, hair, brush, colour, fill, clone; undone; looked at."""

from __future__ import annotations

import base64
import io
import time
from contextlib import suppress

import numpy as np
from PIL import Image
from playwright.sync_api import TimeoutError, expect
from tests.e2e.board import Board, state, until


def chosen(page, shot, name):
    return next(p for p in state(page, shot)["shot"]["plates"] if p["name"] == name)


def steps(page, shot, name) -> list[str]:
    return [x["do"] for x in chosen(page, shot, name)["steps"]]


def add(page, title: str) -> None:
    """A step from the list of kinds; opened once more where a list that was just closing has closed this one too."""
    option, ends = page.get_by_role("option", name=title, exact=True), time.monotonic() + 60
    while not option.is_visible() and time.monotonic() < ends:
        page.locator("[data-add-step] .el-select__wrapper").click()
        with suppress(TimeoutError):
            option.wait_for(timeout=10_000)
    option.click()


def shown(page) -> np.ndarray:
    """What the board shows of the plate, (H, W, C), once it is worked out."""
    look = page.locator("[data-look]")
    expect(look).to_have_attribute("data-look", "there", timeout=60_000)
    until(lambda: look.evaluate("i => i.complete && i.naturalWidth > 0"))  # another may have been asked for since
    url = page.evaluate(
        """async () => { const img = document.querySelector('[data-look]'), c = document.createElement('canvas')
        c.width = img.naturalWidth; c.height = img.naturalHeight
        c.getContext('2d').drawImage(img, 0, 0); return c.toDataURL('image/png') }"""
    )
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(url.split(",")[1]))))


def test_a_foreground_is_taken_off_by_colour_brush_and_outline(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.wait_for_selector("[data-plates]")
    page.get_by_role("button", name="A plate of the photo").click()
    page.wait_for_selector("[data-plates] tr.chosen")
    name = page.locator("[data-plates] tr.chosen td").first.inner_text().split(" ", 1)[1].strip()
    board = Board(page)

    add(page, "Colour")
    board.click((300, 200))  # the sky
    until(lambda: steps(page, halt, name) == ["colour"])
    page.get_by_role("group", name="How the plate is shown").get_by_role("button", name="Matte").click()
    sky = shown(page)[..., 0]
    assert sky[20, 150] > 200 and sky[-40, 900] < 20  # the sky is taken, the gravel is not
    page.get_by_label("Tolerance").fill("2")
    page.get_by_label("Tolerance").press("Enter")
    until(lambda: chosen(page, halt, name)["steps"][0]["tolerance"] == 2)
    assert shown(page)[..., 0].mean() < sky.mean()

    add(page, "Brush")
    until(lambda: steps(page, halt, name) == ["colour", "brush"])
    before = shown(page)[..., 0].astype(float)
    board.drag((1500, 1900), (1900, 1900))
    board.drag((1500, 2000), (1900, 2000))  # at once
    until(lambda: len(chosen(page, halt, name)["steps"][1]["strokes"]) == 2)
    drawn = shown(page)[..., 0].astype(float)
    k = drawn.shape[1] / 3240
    assert drawn[int(1900 * k), int(1700 * k)] > 250 and before[int(1900 * k), int(1700 * k)] < 20
    page.keyboard.press("Control+z")
    until(lambda: len(chosen(page, halt, name)["steps"][1]["strokes"]) == 1)
    page.reload()
    page.wait_for_selector("[data-plates] tr")
    page.locator("[data-plates] tr", has_text=name).first.click()
    page.locator("[data-step=brush] .name").click()
    page.get_by_role("button", name="Take the last stroke away").click()
    until(lambda: not chosen(page, halt, name)["steps"][1]["strokes"])

    page.locator("[data-step=brush]").get_by_role("button", name="Earlier").click()
    until(lambda: steps(page, halt, name) == ["brush", "colour"])
    page.locator("[data-step=brush]").get_by_role("checkbox", name="Brush on").click(force=True)
    until(lambda: chosen(page, halt, name)["steps"][0]["off"])
    page.locator("[data-step=brush]").get_by_role("button", name="Take out").click()
    until(lambda: steps(page, halt, name) == ["colour"])


def test_a_drawn_place_is_filled_and_a_clone_lies_where_it_was_drawn(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.wait_for_selector("[data-plates]")
    page.get_by_role("button", name="A plate of the photo").click()
    page.wait_for_selector("[data-plates] tr.chosen")
    name = page.locator("[data-plates] tr.chosen td").first.inner_text().split(" ", 1)[1].strip()
    board = Board(page)
    plain = shown(page)[..., :3].astype(float)
    k = plain.shape[1] / 3240

    add(page, "Fill")
    until(lambda: steps(page, halt, name) == ["fill"])
    board.drag((700, 1850), (900, 1850))
    until(lambda: len(chosen(page, halt, name)["steps"][0]["where"][0]["strokes"]) == 1)
    filled = shown(page)[..., :3].astype(float)
    there = np.s_[int(1840 * k) : int(1860 * k), int(720 * k) : int(880 * k)]
    assert np.abs(filled - plain)[there].mean() > 3  # other gravel, of the same sort
    assert np.abs(filled[there].mean((0, 1)) - plain[there].mean((0, 1))).max() < 14
    assert np.abs(filled - plain)[: int(1500 * k)].max() == 0
    page.get_by_role("button", name="Try another").click()
    until(lambda: chosen(page, halt, name)["steps"][0]["seed"] == 1)
    assert np.abs(shown(page)[..., :3] - filled)[there].mean() > 0.1

    add(page, "Clone")
    until(lambda: steps(page, halt, name) == ["fill", "clone"])
    page.get_by_role("button", name="Set where it is taken from").click()
    board.click((1000, 400))
    board.click((1000, 1900))
    until(lambda: len(chosen(page, halt, name)["steps"][1]["strokes"]) == 1)
    step = chosen(page, halt, name)["steps"][1]
    assert abs(step["offset"][0]) <= 4 and abs(step["offset"][1] + 1500) <= 8
    cloned = shown(page)[..., :3].astype(float)
    at = np.s_[int(1895 * k) : int(1905 * k), int(995 * k) : int(1005 * k)]
    source = np.s_[int(395 * k) : int(405 * k), int(995 * k) : int(1005 * k)]
    assert np.abs(cloned[at].mean((0, 1)) - plain[source].mean((0, 1))).max() < 10


def test_clean_plates_for_all_are_made_and_thrown_before_the_photo(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.wait_for_selector("[data-plates]")
    before = state(page, halt)["shot"]
    page.click("[data-clean-all]")
    until(lambda: len(state(page, halt)["shot"]["plates"]) > len(before["plates"]) + 3, seconds=120)
    after = state(page, halt)["shot"]
    made = [p for p in after["plates"] if p["id"] not in {q["id"] for q in before["plates"]}]
    assert all(p["role"] == "clean" and p["steps"][0]["do"] == "fill" for p in made)
    behind = {p["id"]: next(s["where"] for s in p["steps"] if "in_front_of" in s.get("where", [])) for p in made}
    surface = {ident: where["in_front_of"][0] for ident, where in behind.items()}
    on = {surface[p["id"]]: p["steps"][0]["on"] for p in made}
    assert all(face == on[face] for face in on if "/" in face)  # squared up on each face, …
    assert {s for s in on if on[s] is None} <= {"tower", "tank", "tank-lid"}  # … but of round pieces
    order = [t["plate"] for t in after["throws"]]
    assert all(order.index(p["id"]) < order.index("platform-side") for p in made)
    assert {t["plate"]: t["targets"][0] for t in after["throws"] if t["plate"] in surface} == surface
    expect(page.get_by_label("Filter plates by name")).to_be_visible()
    page.get_by_label("Filter plates by name").fill("station")
    expect(page.locator("[data-plates] tr")).to_have_count(sum("station" in p["name"].lower() for p in after["plates"]))
    page.keyboard.press("Control+z")


def test_a_throw_is_graded_and_half_clear(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.wait_for_selector("[data-throw]")
    page.locator("[data-throw=platform-side] .head").click()
    page.locator("[data-throw=platform-side]").get_by_label("Exposure").fill("0.5")
    page.locator("[data-throw=platform-side]").get_by_label("Exposure").press("Enter")
    page.locator("[data-throw=platform-side]").get_by_label("Opacity").fill("60")
    page.locator("[data-throw=platform-side]").get_by_label("Opacity").press("Enter")
    throw = lambda: next(t for t in state(page, halt)["shot"]["throws"] if t["plate"] == "platform-side")  # noqa: E731
    until(lambda: throw()["opacity"] == 0.6 and throw()["grade"]["exposure"] == 0.5)
    page.get_by_role("button", name="Take its grade off").click()
    until(lambda: throw()["grade"] is None and throw()["opacity"] == 0.6)
