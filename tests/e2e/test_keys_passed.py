"""Keys of pieces and of the carrier, passed as the hand says; and a piece that a move in depth sinks."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.test_at_speed import opened, piece, toy, typed

__all__ = ["toy"]


def motion(page, toy):
    return piece(page, toy, "house")["motion"]


def test_a_piece_comes_to_rest_or_passes_at_a_speed(page, toy):
    opened(page, toy, "move", "[data-motion]")
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name="House", exact=True).click()
    typed(page, "Frame", "12", "Enter")
    typed(page, "Off along run", "0.5", "Enter")
    until(lambda: motion(page, toy) and [k["frame"] for k in motion(page, toy)["keys"]] == [1, 12])
    way = page.locator("[data-ease=it]")
    expect(way).to_have_value("even")
    way.select_option("rest")
    until(lambda: motion(page, toy)["keys"][-1]["ease"] == "rest")
    way.select_option("speed")
    typed(page, "Speed there", "0.96", "Enter")
    key = until(lambda: (k := motion(page, toy)["keys"][-1])["speed"] == pytest.approx(0.04) and k)
    assert key["ease"] is None and key["offset"][0] == pytest.approx(0.5)
    # what else is typed into the key leaves how it is passed
    typed(page, "Off along rise", "0.1", "Enter")
    until(lambda: motion(page, toy)["keys"][-1]["offset"][1] == pytest.approx(0.1))
    assert motion(page, toy)["keys"][-1]["speed"] == pytest.approx(0.04)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    until(lambda: motion(page, toy)["keys"][-1]["speed"] != pytest.approx(0.04))


def test_the_carrier_comes_to_rest(page, toy):
    opened(page, toy, "move", "[data-put-carrier]")
    page.click("[data-put-carrier]")
    page.wait_for_selector("[data-no-carrier]")
    typed(page, "Frame", "20", "Enter")
    typed(page, "Carrier along run", "0.3", "Enter")
    page.locator("[data-ease='the carrier']").select_option("rest")
    keys = until(lambda: (k := state(page, toy)["shot"]["move"]["carrier"]["keys"])[-1].get("ease") == "rest" and k)
    assert keys[-1]["frame"] == 20 and keys[-1]["position"][0] == pytest.approx(0.3)


def test_what_is_pushed_under_the_ground_is_told_and_brought_back_or_lifted(page, toy):
    opened(page, toy, "massing", "[data-piece=house]")
    page.locator("[data-piece=house]").click()
    expect(page.locator("[data-sunk]")).to_have_count(0)
    before = piece(page, toy, "house")
    page.get_by_role("button", name="5 % farther").click()
    expect(page.locator("[data-sunk]")).to_contain_text("0.08 m below the ground")  # 5 % of the lens's 1.7 m
    page.click("[data-back-onto]")
    expect(page.locator("[data-sunk]")).to_have_count(0)
    back = until(lambda: (p := piece(page, toy, "house"))["corner"][1] == pytest.approx(0, abs=1e-6) and p)
    assert back["corner"] == pytest.approx(before["corner"], abs=1e-6)
    assert back["size"] == pytest.approx(before["size"], abs=1e-6)
    page.get_by_role("button", name="5 % farther").click()
    page.click("[data-lift-onto]")
    expect(page.locator("[data-sunk]")).to_have_count(0)
    lifted = until(lambda: (p := piece(page, toy, "house"))["corner"][1] == pytest.approx(0, abs=1e-6) and p)
    assert lifted["size"] == pytest.approx([1.05 * v for v in before["size"]])
