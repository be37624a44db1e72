"""Every stage's main job begun and finished by keys alone; and where the focus goes when what had it is taken away."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect
from tests.e2e.board import at_rest, state, until
from tests.e2e.hands import go, keys_of


def walk(page, steps: dict[str, int]):
    for key, count in steps.items():
        for _ in range(count):
            page.keyboard.press(key)


def bring(page):
    """Bring the cursor, once the boards have been laid out."""
    at_rest(page, "[data-lens-view]" if page.locator("[data-lens-view]").count() else ".picture img >> nth=0")
    page.keyboard.press("k")
    expect(page.locator("[data-cursor]")).to_be_visible()


def drag(page, steps: dict[str, int], press: str = "Space"):
    """Press with the cursor, go so far, let go."""
    page.keyboard.press(press)
    walk(page, steps)
    page.keyboard.press("Space")


def stands(page) -> tuple[float, float]:
    """Where the cursor stands on its picture, as is told to those who cannot see it."""
    words = page.locator(".words").text_content().removeprefix("held at ").removesuffix(" px")
    x, y = words.split(", ")
    return float(x), float(y)


def edges(page, shot) -> list[dict]:
    got = state(page, shot)
    return next(p for p in got["shot"]["photos"] if p["id"] == got["shot"]["photos"][0]["id"])["survey"]["edges"]


def test_the_cursor_goes_by_steps_by_pixels_and_by_tenths(page, halt):
    go(page, halt, "survey", "[data-camera]")
    bring(page)
    x, y = stands(page)
    scale = float(page.locator(".picture svg.over").first.get_attribute("data-scale"))
    page.keyboard.press("ArrowRight")
    assert stands(page)[0] == pytest.approx(x + 8 / scale, abs=0.11)
    x, y = stands(page)
    walk(page, {"Control+ArrowDown": 3, "Shift+ArrowLeft": 4})
    assert stands(page) == (pytest.approx(x - 0.4, abs=0.05), pytest.approx(y + 3, abs=0.05))
    before = page.locator(".picture svg.over").first.get_attribute("data-scale")
    page.keyboard.press("+")  # as the wheel: about the cursor, which stays where it is
    until(lambda: page.locator(".picture svg.over").first.get_attribute("data-scale") != before)
    page.keyboard.press("k")
    expect(page.locator("[data-cursor]")).to_have_count(0)


def test_an_edge_is_traced_and_mended_by_keys(page, halt):
    go(page, halt, "survey", "[data-camera]")
    was = {e["id"]: e for e in edges(page, halt)}
    page.keyboard.press("u")
    bring(page)
    walk(page, {"ArrowLeft": 9})
    a = stands(page)
    drag(page, {"ArrowDown": 12}, "Alt+Space")  # Alt: where it is pressed, not on the nearest border
    b = stands(page)
    made = until(lambda: [e for e in edges(page, halt) if e["id"] not in was])
    assert made[0]["family"] == "rise"
    for point, wanted in zip(made[0]["points"], (a, b), strict=True):
        assert point == pytest.approx(wanted, abs=0.06)
    page.keyboard.press("Space")
    walk(page, {"Shift+ArrowRight": 7})
    page.keyboard.press("Escape")  # given up: it is where it was
    assert next(e for e in edges(page, halt) if e["id"] == made[0]["id"]) == made[0]
    walk(page, {"Shift+ArrowLeft": 7})
    drag(page, {"Shift+ArrowRight": 7}, "Alt+Space")
    until(lambda: next(e for e in edges(page, halt) if e["id"] == made[0]["id"])["points"][1][0] > b[0] + 0.5)
    moved = next(e for e in edges(page, halt) if e["id"] == made[0]["id"])["points"][1]
    assert moved == pytest.approx((b[0] + 0.7, b[1]), abs=0.15)


def test_a_tape_is_laid_and_its_length_typed_where_it_lies(page, halt):
    go(page, halt, "survey", "[data-camera]")

    def tapes():
        return state(page, halt)["shot"]["photos"][0]["survey"]["lengths"]

    before = {t["id"] for t in tapes()}
    page.keyboard.press("t")
    bring(page)
    walk(page, {"ArrowLeft": 6})
    drag(page, {"ArrowUp": 10}, "Alt+Space")
    asked = page.get_by_label("How long is it?")
    expect(asked).to_be_focused()
    page.keyboard.type("2.5")
    page.keyboard.press("Enter")
    until(lambda: [t for t in tapes() if t["id"] not in before and t["metres"] == 2.5])
    expect(page.locator("[data-tape-ask]")).to_have_count(0)
    expect(page.locator(".picture")).to_be_focused()
    walk(page, {"ArrowRight": 6})
    drag(page, {"ArrowDown": 8}, "Alt+Space")
    expect(asked).to_be_focused()
    page.keyboard.press("e")  # no figure: it takes the tool that it always takes
    expect(page.locator("[data-tool=return]")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("[data-tape-ask]")).to_have_count(0)
    until(lambda: sorted(t["metres"] for t in tapes() if t["id"] not in before) == [1, 2.5])


def test_a_block_is_built_by_keys(page, halt):
    go(page, halt, "massing", "[data-plan]")
    before = len(state(page, halt)["shot"]["solids"])
    page.locator(".picture").focus()
    page.keyboard.press("b")
    bring(page)
    walk(page, {"ArrowDown": 9})
    drag(page, {"ArrowRight": 12, "ArrowDown": 2})
    walk(page, {"ArrowUp": 6})
    drag(page, {})
    until(lambda: len(state(page, halt)["shot"]["solids"]) == before + 1)
    made = state(page, halt)["shot"]["solids"][-1]
    assert made["kind"] == "block"
    expect(page.locator(f"[data-piece='{made['id']}']")).to_have_class(re.compile("chosen"))
    page.keyboard.press("Delete")
    until(lambda: len(state(page, halt)["shot"]["solids"]) == before)
    expect(page.locator(".picture")).to_be_focused()


def test_a_plate_is_outlined_by_keys(page, halt):
    go(page, halt, "plates", "[data-plates]")
    before = len(state(page, halt)["shot"]["plates"])
    page.get_by_role("button", name="Outline").first.focus()
    page.keyboard.press("Enter")
    bring(page)
    corners = []
    for side in ({"ArrowUp": 4}, {"ArrowRight": 9}, {"ArrowDown": 8}):
        walk(page, side)
        corners.append(stands(page))
        drag(page, {})
    page.keyboard.press("Enter")
    until(lambda: len(state(page, halt)["shot"]["plates"]) == before + 1)
    outline = state(page, halt)["shot"]["plates"][-1]["steps"][0]["loops"][0]["points"]
    for point, wanted in zip(outline, corners, strict=True):
        assert point == pytest.approx(wanted, abs=0.06)


def test_the_camera_is_turned_and_moved_by_keys(page, halt):
    go(page, halt, "move", ".plan [data-key]")
    frame = min(keys_of(page, halt))  # on which the stage opens
    was = keys_of(page, halt)[frame]
    page.get_by_label("Lens view").focus()
    bring(page)
    step = page.get_by_label("Lens view").get_attribute("data-unit")
    assert 0 < float(step) < 1
    drag(page, {"ArrowLeft": 4})
    until(lambda: keys_of(page, halt)[frame]["rotation"] != was["rotation"])
    turned = keys_of(page, halt)[frame]
    assert turned["position"] == pytest.approx(was["position"])
    page.keyboard.press("-")
    until(lambda: keys_of(page, halt)[frame]["position"] != turned["position"])


def focused(page) -> str:
    return page.evaluate("document.activeElement === document.body ? '' : document.activeElement.outerHTML")


@pytest.mark.parametrize(
    ("stage", "wait", "choose", "remove"),
    [
        ("survey", "[data-edges]", "[data-edges] tbody tr", "[data-remove]"),
        ("survey", "[data-camera]", None, "[aria-label='Remove tape 1']"),
        ("massing", "[data-piece]", "[data-piece]", "role=button[name='Remove']"),
        ("plates", "[data-plates]", "[data-plates] tr >> nth=2", "role=button[name='Remove this plate']"),
        ("move", ".plan [data-key]", None, "role=button[name='Remove key']"),
    ],
)
def test_the_focus_goes_on_when_what_had_it_is_removed(page, halt, stage, wait, choose, remove):
    go(page, halt, stage, wait)
    if choose:
        page.locator(choose).first.click()
    button = page.locator(".ledger").locator(remove).first
    button.focus()
    revision = state(page, halt)["revision"]
    page.keyboard.press("Enter")
    until(lambda: state(page, halt)["revision"] > revision)
    until(lambda: focused(page))
    page.wait_for_timeout(150)
    assert focused(page)
