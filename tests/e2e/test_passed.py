"""A flat pushed in depth by hand: what it passes is said at once, and it can be drawn before the ground."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until

from roofline.formats.reading import read

FLAT = "trolley-and-lamp-flat"


def flat(page, shot) -> dict:
    return next(s for s in state(page, shot)["shot"]["solids"] if s["id"] == FLAT)


def at_home(page, shot) -> np.ndarray:
    home = next(k["frame"] for k in state(page, shot)["shot"]["move"]["keys"] if k["home"])
    body = page.request.get(f"/api/shots/{shot}/frames/{home}/picture?width=480", timeout=90_000).body()
    return read(body, "home")[..., :3].astype(np.float64)


def apart(a: np.ndarray, b: np.ndarray) -> float:
    """Peak signal to noise, dB."""
    return float(10 * np.log10(255**2 / max(np.mean((a - b) ** 2), 1e-9)))


def pushed_to(page, metres: float) -> None:
    field = page.get_by_label("Foot from home")
    field.fill(str(metres))
    field.press("Enter")


@pytest.mark.slow
def test_what_lies_below_is_drawn_before_the_ground_or_hidden_by_it(page, halt):
    before = at_home(page, halt)
    page.goto(f"/shot/{halt}/massing")
    page.locator(f"[data-piece={FLAT}]").click()
    pushed_to(page, 10.7)
    expect(page.locator("[data-sunk]")).to_contain_text("below the ground")
    until(lambda: flat(page, halt)["foot"][1] < -0.2)
    hidden = apart(at_home(page, halt), before)
    page.click("[data-let-through]")
    expect(page.locator("[data-passes]")).to_contain_text("The ground does not hide the part below 0.00 m")
    expect(page.locator("[data-sunk]")).to_have_count(0)
    until(lambda: flat(page, halt)["passes"] == pytest.approx(0, abs=1e-9))
    through = apart(at_home(page, halt), before)
    assert through > 45 and through > hidden + 5, (through, hidden)
    page.click("[data-hide-below]")
    until(lambda: flat(page, halt)["passes"] is None)
    assert apart(at_home(page, halt), before) == pytest.approx(hidden, abs=0.1)
    page.keyboard.press("Control+z")
    until(lambda: flat(page, halt)["passes"] is not None)


@pytest.mark.slow
def test_a_push_past_a_neighbour_is_said_at_once_and_no_more_when_it_is_undone(page, halt):
    page.goto(f"/shot/{halt}/massing")
    with page.expect_response(lambda r: r.url.endswith(f"{FLAT}/order") and r.ok):
        page.locator(f"[data-piece={FLAT}]").click()
    pushed_to(page, 22)
    told = page.locator("[data-overtaken]")
    expect(told).to_contain_text("at home.", timeout=30_000)
    expect(told).to_contain_text("% of this flat")
    page.keyboard.press("Control+z")
    expect(told).to_have_count(0, timeout=30_000)
