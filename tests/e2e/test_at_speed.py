"""What is typed, chosen or dragged is set, at any speed, however slow an answer is."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.e2e.board import Board, state, until
from tests.e2e.conftest import a_toy
from tests.e2e.hands import Answers
from tests.e2e.test_keyed import figure


@pytest.fixture
def toy(page, running):
    return a_toy(page, running[0])


def opened(page, toy, stage: str, wait: str):
    page.goto(f"/shot/{toy}/{stage}")
    page.wait_for_selector(wait)


def piece(page, toy, name: str) -> dict:
    return next(s for s in state(page, toy)["shot"]["solids"] if s["id"] == name)


def row(page, name: str):
    return page.locator(f"[data-piece={name}]")


def typed(page, label: str, value: str, end: str):
    """Typed as a hand does: into the field, then on with Tab or Enter."""
    field = page.get_by_label(label, exact=True)
    field.fill(value)
    field.press(end)


def test_figures_typed_faster_than_they_are_answered_are_all_kept(page, toy):
    opened(page, toy, "massing", "[data-piece=house]")
    row(page, "house").click()
    answers = Answers(page)
    typed(page, "Height", "4", "Tab")
    page.get_by_label("Along run", exact=True).fill("5.5")
    row(page, "ground").click()  # leaves the field: what was typed is of the house
    answers.all()
    until(lambda: piece(page, toy, "house")["size"][:2] == [5.5, 4])
    assert piece(page, toy, "ground")["size"] == [60, 60]
    expect(page.locator("[data-piece=ground]")).to_have_class("pick chosen")


def test_a_depth_is_a_depth_whatever_is_not_answered_yet(page, toy):
    opened(page, toy, "massing", "[data-piece=house]")
    home = np.array(state(page, toy)["shot"]["photos"][0]["camera"]["position"])
    row(page, "house").click()
    answers = Answers(page)
    typed(page, "Foot from home", "20", "Enter")
    typed(page, "Foot from home", "30", "Enter")
    answers.all()
    until(lambda: np.linalg.norm(np.array(piece(page, toy, "house")["corner"]) - home) == pytest.approx(30, abs=1e-6))


def test_a_slow_answer_does_not_take_the_choice_back(page, toy):
    opened(page, toy, "massing", "[data-piece=house]")
    row(page, "house").click()
    answers = Answers(page)
    typed(page, "Foot from home", "20", "Enter")
    row(page, "ground").click()
    answers.let_go()
    until(lambda: piece(page, toy, "house")["corner"] != [1, 0, -12])
    page.wait_for_timeout(300)  # the answer is there
    expect(page.locator("[data-piece=ground]")).to_have_class("pick chosen")
    typed(page, "Along run", "44", "Enter")
    answers.all()
    until(lambda: piece(page, toy, "ground")["size"] == [44, 60])
    assert piece(page, toy, "house")["size"][0] == pytest.approx(4 * 20 / np.linalg.norm([1, -1.7, -12]), rel=1e-6)


def test_a_second_drag_of_a_corner_counts_while_the_first_is_answered(page, toy):
    opened(page, toy, "massing", "[data-piece=house]")
    row(page, "house").click()
    # the corner that is highest in the picture, and its own height
    top = "[data-corner]"
    page.wait_for_selector(top)
    before = piece(page, toy, "house")

    def drag():
        boxes = page.locator(".handle:not(.side)").evaluate_all(
            "all => all.map(c => c.getBoundingClientRect()).map(b => [b.x + b.width / 2, b.y + b.height / 2])"
        )
        x, y = min(boxes, key=lambda at: at[1])
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y - 12, steps=4)
        page.mouse.up()

    answers = Answers(page)
    drag()
    page.wait_for_timeout(150)  # nothing is answered: the second begins where the first is shown
    drag()
    answers.let_go(1)
    once = until(lambda: (p := piece(page, toy, "house"))["size"] != before["size"] and p)
    answers.all()
    twice = until(lambda: (p := piece(page, toy, "house"))["size"] != once["size"] and p)
    assert twice["size"][1] > once["size"][1] > before["size"][1]


def test_a_direction_typed_does_not_stop_a_ride_that_is_not_answered_yet(page, toy):
    opened(page, toy, "move", "canvas[data-frame]")
    page.click("[data-put-carrier]")
    until(lambda: state(page, toy)["shot"]["move"]["carrier"])
    figure(page, "Frame", "12")
    answers = Answers(page)
    typed(page, "Carrier along run", "0.5", "Enter")
    typed(page, "Pan", "30", "Enter")
    answers.all()
    until(lambda: len(state(page, toy)["shot"]["move"]["carrier"]["keys"]) == 2)
    until(lambda: page.request.get(f"/api/shots/{toy}/path").json()["cameras"][11]["pan_deg"] == pytest.approx(30))
    move = state(page, toy)["shot"]["move"]
    assert [k["position"][0] for k in move["carrier"]["keys"]] == [0, 0.5]
    key = next(k for k in move["keys"] if k["frame"] == 12)
    assert key["position"] == pytest.approx([0.5, 1.7, -0.5])  # where it stood, and rides on from there
    seen = page.request.get(f"/api/shots/{toy}/path").json()["cameras"][11]
    assert seen["position"] == pytest.approx([1.0, 1.7, -0.5]) and seen["tilt_deg"] == pytest.approx(-5, abs=1e-6)


def test_a_figure_that_is_there_already_makes_a_key(page, toy):
    opened(page, toy, "move", "canvas[data-frame]")
    figure(page, "Frame", "7")
    pan = page.get_by_label("Pan", exact=True)
    pan.click()
    page.keyboard.press("End")
    page.keyboard.type("0")  # as it was, but for a digit that says nothing
    value = pan.input_value()
    pan.fill(value[:-1] if "." in value else value.removesuffix("0"))
    pan.press("Enter")
    until(lambda: any(k["frame"] == 7 for k in state(page, toy)["shot"]["move"]["keys"]))


def test_a_piece_gets_a_key_by_a_press_and_rests_where_home_is(page, toy):
    opened(page, toy, "move", "canvas[data-frame]")
    figure(page, "Frame", "24")
    page.locator("[data-motion] .el-select__wrapper").first.click()
    page.get_by_role("option", name="House").click()
    answers = Answers(page)
    typed(page, "Off along run", "1.5", "Enter")
    typed(page, "Off along rise", "0.25", "Enter")  # before the first is answered
    answers.all()
    motion = until(lambda: (m := piece(page, toy, "house")["motion"]) and m["keys"][-1]["offset"][1] and m)
    assert [(k["frame"], k["offset"]) for k in motion["keys"]] == [(1, [0, 0, 0]), (24, [1.5, 0.25, 0])]
    figure(page, "Frame", "12")
    page.click("[data-set-piece-key]")
    keys = until(lambda: (k := piece(page, toy, "house")["motion"]["keys"])[2:] and k)
    assert [k["frame"] for k in keys] == [1, 12, 24]
    assert 0 < keys[1]["offset"][0] < 1.5  # where it is by then, not where its nearest key has it


def test_a_directions_key_tells_the_next_edge(page, halt):
    def edges() -> list[dict]:
        return state(page, halt)["shot"]["photos"][0]["survey"]["edges"]

    board, count = Board(page), len(edges())

    def drawn(a, b) -> dict:
        before = len(edges())
        page.keyboard.down("Alt")  # as it is drawn, not snapped
        board.drag(a, b)
        page.keyboard.up("Alt")
        until(lambda: len(edges()) == before + 1)
        return edges()[-1]

    page.keyboard.press("r")
    first = drawn((700.0, 300.0), (1200.0, 310.0))
    page.keyboard.press("e")
    second = drawn((700.0, 500.0), (1200.0, 540.0))
    page.keyboard.press("u")
    third = drawn((900.0, 900.0), (905.0, 1200.0))
    assert [e["family"] for e in (first, second, third)] == ["run", "return", "rise"]
    assert [e["family"] for e in edges()[count:]] == ["run", "return", "rise"]
    # chosen on purpose, an edge gets the direction of the key
    page.keyboard.press("r")
    board.click((1010.0, 525.0))
    page.keyboard.press("u")
    until(lambda: next(e for e in edges() if e["id"] == second["id"])["family"] == "rise")


def test_figures_that_limit_one_another_are_typed_in_either_order(page, toy):
    step = {"id": "d", "name": None, "off": False, "do": "depth", "mode": "add", "near_m": 0, "far_m": 10, "soft_m": 0}
    assert page.request.post(f"/api/shots/{toy}/plates/plate-2/steps", data={"step": step, "place": None}).ok
    opened(page, toy, "plates", "[data-plates] tr")
    page.locator("[data-plates] tr", has_text="Spare 2").first.click()
    page.locator("[data-step=depth] button").first.click()

    def depths() -> tuple[float, float]:
        one = next(p for p in state(page, toy)["shot"]["plates"] if p["id"] == "plate-2")["steps"][0]
        return one["near_m"], one["far_m"]

    typed(page, "Nearest", "14", "Tab")  # farther than what is farthest yet: it waits
    expect(page.locator("[data-waits]")).to_contain_text("Nearest 14 m waits")
    assert depths() == (0, 10)
    typed(page, "Farthest", "25", "Enter")
    until(lambda: depths() == (14, 25))
    expect(page.locator("[data-waits]")).to_have_count(0)
