"""Hands that are quicker than answers, clumsy, or two at once: nothing is lost, doubled or put in the wrong place."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.e2e.board import Board, state, until
from tests.e2e.hands import GIVEN_UP, Answers, give_up, go, keys_of, middle, press_and_move

# ---------------------------------------------------------------- given up

STARTS = {
    # stage: what is waited for, and where the press begins
    "photo": ("[data-frame] rect", "[data-frame] rect"),
    "survey": ("g.edge.rise", "g.edge.rise .end"),
    "move": (".plan [data-key='120'] rect", ".plan [data-key='120'] rect"),
    "lens": ("canvas[data-frame]", "canvas[data-lens-view]"),
    "plates": ("[data-plates] tr", ".point"),
    "massing": ("[data-solids] tr", ".planhost [data-plan=hut] .grip"),
}


@pytest.mark.parametrize("where", STARTS)
def test_what_is_given_up_is_put_back_and_nothing_is_sent(page, halt, where):
    wait, start = STARTS[where]
    if where == "plates":  # of few points all are shown; of many, as the demo's have, those about the pointer
        outline = {"points": [[1500, 900], [1900, 900], [1900, 1300], [1500, 1300]]}
        plate = {"photo": "platform-side", "outline": outline, "name": "Four corners"}
        assert page.request.post(f"/api/shots/{halt}/plates", data=plate).ok
    go(page, halt, "move" if where == "lens" else where, wait)
    if where == "survey":
        page.click("[data-tool=rise]")
    if where == "plates":
        page.locator("[data-plates] tr", has_text="Four corners").first.click()
    if where == "massing":
        page.locator("[data-solids] tr", has_text="Hut").first.click()
    before, revision = state(page, halt)["shot"], state(page, halt)["revision"]
    at = middle(page, f"{start} >> nth=0")
    box = page.locator(f"{start} >> nth=0").bounding_box()
    sent = []
    page.on("request", lambda r: sent.append(r.url) if r.method != "GET" else None)
    for way in GIVEN_UP:
        press_and_move(page, at)
        give_up(page, way)
        page.mouse.up()
        page.wait_for_timeout(250)
        after = page.locator(f"{start} >> nth=0").bounding_box()
        assert np.allclose([after[k] for k in "xy"], [box[k] for k in "xy"], atol=1.5), way
        assert not [u for u in sent if not re.search(r"/(try|touch|check)(\?|$)", u)], (way, sent)
        assert state(page, halt)["revision"] == revision and state(page, halt)["shot"] == before, way
    # and the hand goes on: the same gesture, finished, counts
    press_and_move(page, at)
    page.mouse.up()
    until(lambda: state(page, halt)["revision"] == revision + 1)


# ---------------------------------------------------------------- quicker than answers


def test_drags_on_move_are_counted_while_no_answer_comes(page, halt):
    go(page, halt, "move", "canvas[data-frame]")
    rise = page.get_by_label("At rise", exact=True)
    run = page.get_by_label("At run", exact=True)
    answers = Answers(page)
    at = middle(page, "canvas[data-lens-view]")
    before = keys_of(page, halt)
    # turned in the lens view, raised by a figure, moved in plan; then the last key, from another frame
    press_and_move(page, at, (40, 0))
    page.mouse.up()
    turned = float(page.get_by_label("Pan", exact=True).input_value())
    rise.fill("2.25")
    rise.press("Enter")
    expect(rise).to_have_value("2.25")
    x = float(run.input_value())
    press_and_move(page, middle(page, ".plan circle[data-lens]"), (30, 0))
    page.mouse.up()
    assert float(run.input_value()) > x + 0.1
    moved = float(run.input_value())
    page.locator("#frame").fill("120")
    page.locator("#frame").press("Enter")
    rise.fill("3")
    rise.press("Enter")
    expect(page.locator(".plan [data-key]")).to_have_count(len(before))
    answers.all()
    got = until(lambda: (k := keys_of(page, halt)) and k[120]["position"][1] == 3 and k)
    assert got[1]["position"][:2] == pytest.approx([moved, 2.25], abs=1e-3)
    assert got[60] == before[60] and got[120]["position"][0] == before[120]["position"][0]
    cameras = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
    assert cameras[0]["pan_deg"] == pytest.approx(turned, abs=0.01)
    assert [k["id"] for k in got.values()] == [k["id"] for k in before.values()]


def test_a_wheel_and_a_figure_count_for_the_frame_they_were_made_at(page, halt):
    go(page, halt, "move", "canvas[data-frame]")
    before = keys_of(page, halt)
    page.mouse.move(*middle(page, "canvas[data-lens-view]"))
    page.mouse.wheel(0, -200)
    page.keyboard.press("ArrowRight")  # before the wheel has come to rest
    until(lambda: keys_of(page, halt)[1]["position"] != before[1]["position"])
    assert set(keys_of(page, halt)) == set(before)
    page.locator("#frame").fill("120")
    page.locator("#frame").press("Enter")
    page.get_by_label("At rise", exact=True).fill("4.5")  # typed, and not sent
    strip = page.locator("svg[data-strip]").bounding_box()
    page.mouse.click(strip["x"] + 40, strip["y"] + 50)
    got = until(lambda: (k := keys_of(page, halt)) and k[120]["position"][1] == 4.5 and k)
    assert set(got) == set(before) and got[60] == before[60]
    # typed and gone to another stage by its key
    page.locator("#frame").fill("60")
    page.locator("#frame").press("Enter")
    page.get_by_label("Roll", exact=True).fill("7")
    page.keyboard.press("Alt+5")
    page.keyboard.press("Alt+2")
    page.wait_for_url("**/survey")
    cameras = until(lambda: (c := page.request.get(f"/api/shots/{halt}/path").json()["cameras"]) and c)
    until(lambda: abs(page.request.get(f"/api/shots/{halt}/path").json()["cameras"][59]["roll_deg"] - 7) < 1e-6)
    assert len(cameras) == 120


def test_undo_takes_back_what_was_done_last_sent_or_not(page, halt):
    go(page, halt, "move", "canvas[data-frame]")
    limits = state(page, halt)["shot"]["limits"]
    answers = Answers(page)
    for label, value in (("Stretch", "3"), ("Magnification", "2.5"), ("Focal length", "40")):
        field = page.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Enter")
    page.locator("canvas[data-lens-view]").focus()
    focal = page.get_by_label("Focal length", exact=True)
    page.keyboard.press("Control+z")  # the focal length: it has not been sent
    expect(focal).not_to_have_value("40")
    page.keyboard.press("Control+z")  # the magnification: neither
    expect(page.get_by_label("Magnification", exact=True)).to_have_value(str(limits["magnification"]))
    expect(page.get_by_label("Stretch", exact=True)).to_have_value("3")
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_label("Magnification", exact=True)).to_have_value("2.5")
    answers.all()
    until(lambda: state(page, halt)["shot"]["limits"] == {**limits, "stretch": 3, "magnification": 2.5})
    assert [s for s in answers.sent if s[1] == "/undo"] == []
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    until(lambda: state(page, halt)["shot"]["limits"] == limits)


def test_what_is_refused_is_said_and_what_was_typed_stays(page, halt):
    go(page, halt, "move", "canvas[data-frame]")
    limits = state(page, halt)["shot"]["limits"]
    answers = Answers(page)
    stretch, gaps = (page.get_by_label(x, exact=True) for x in ("Stretch", "Magnification"))
    stretch.fill("3")
    stretch.press("Enter")
    gaps.fill("2,5")
    gaps.press("Enter")
    answers.fail(422, "Not today.")
    expect(page.get_by_role("alert").filter(has_text="Not today.").first).to_be_visible()
    expect(stretch).to_have_value("3")
    answers.let_go()
    until(lambda: state(page, halt)["shot"]["limits"] == {**limits, "magnification": 2.5})
    page.unroute("**/api/shots/**")
    stretch.press("Enter")  # once more
    until(lambda: state(page, halt)["shot"]["limits"]["stretch"] == 3)


def test_a_server_that_is_away_is_told_and_missed_changes_are_fetched(page, halt):
    go(page, halt, "move", "canvas[data-frame]")
    page.context.set_offline(True)
    field = page.get_by_label("Stretch", exact=True)
    field.fill("3")
    field.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="does not answer").first).to_be_visible(timeout=5_000)
    name = "Changed meanwhile"
    assert page.request.put(f"/api/shots/{halt}/name", data={"name": name}).ok
    page.context.set_offline(False)
    expect(page.locator(".rail .title")).to_have_text(name)
    expect(page.locator(".problem")).to_have_count(0)
    field.press("Enter")
    until(lambda: state(page, halt)["shot"]["limits"]["stretch"] == 3)


def test_figures_take_sums_and_keys_and_drags(page, halt):
    go(page, halt, "photo", "[data-frame]")

    def rate():
        return state(page, halt)["shot"]["delivery"]["fps"]

    field = page.get_by_label("Frame rate", exact=True)
    field.fill("48,4/2 + .8")
    field.press("Enter")
    until(lambda: rate() == 25)
    revision = state(page, halt)["revision"]
    for key in ("ArrowUp", "ArrowUp", "Shift+ArrowUp", "Alt+ArrowDown"):
        field.press(key)
    expect(field).to_have_value("36.9")
    until(lambda: rate() == 36.9)
    assert state(page, halt)["revision"] == revision + 1  # one change, one undo
    at = middle(page, "label:has(input[aria-label='Frame rate']) .label")
    press_and_move(page, at, (-40, 0))
    expect(field).to_have_value("26.9")
    give_up(page, "Escape")
    page.mouse.up()
    expect(field).to_have_value("36.9")
    press_and_move(page, at, (-40, 0))
    page.mouse.up()
    until(lambda: rate() == 26.9)
    field.fill("2 apples")
    field.press("Enter")
    expect(page.get_by_text("“2 apples” is not a number.")).to_be_visible()
    field.press("Escape")
    expect(field).to_have_value("26.9")


# ---------------------------------------------------------------- plates


def test_points_of_an_outline_and_throws_are_changed_while_no_answer_comes(page, halt):
    go(page, halt, "plates", "[data-plates] tr")
    page.locator("[data-plates] tr", has_text="Trolley and lamp").first.click()
    before = state(page, halt)["shot"]
    plate = next(p for p in before["plates"] if p["name"] == "Trolley and lamp")
    answers = Answers(page)
    board = Board(page)
    points = np.array(plate["steps"][0]["loops"][0]["points"])
    board.zoom_to(points[0], 3)
    scale = board.lies()[0]
    near = np.argsort(np.linalg.norm(points - points[0], axis=1))
    first, second = near[0], next(i for i in near[1:] if np.linalg.norm(points[i] - points[0]) > 12 / scale)
    for i in (first, second):
        at = board.place(points[i])
        press_and_move(page, at, (0, 30))
        page.mouse.up()
    page.locator("[data-throw]").nth(1).locator(".head").click()
    page.get_by_role("button", name="Earlier").click()
    page.get_by_role("button", name="Later").click()
    page.get_by_label("Only where its camera could see").uncheck()
    order = page.locator("[data-throw]").evaluate_all("x => x.map(e => e.dataset.throw)")
    answers.all(900)
    got = until(lambda: (s := state(page, halt)["shot"]) and not s["throws"][1]["occlusion"] and s)
    assert [t["plate"] for t in got["throws"]] == [t["plate"] for t in before["throws"]] == order
    assert [t["targets"] for t in got["throws"]] == [t["targets"] for t in before["throws"]]
    outline = np.array(next(p for p in got["plates"] if p["id"] == plate["id"])["steps"][0]["loops"][0]["points"])
    moved = outline - points
    assert set(np.flatnonzero(np.linalg.norm(moved, axis=1) > 0)) == {first, second}
    assert moved[[first, second]] == pytest.approx(np.array([[0, 30 / scale]] * 2), abs=1.5 / scale)


def test_an_outline_is_closed_once_however_it_is_closed(page, halt):
    go(page, halt, "plates", "[data-plates] tr")
    count = len(state(page, halt)["shot"]["plates"])
    page.get_by_role("button", name="Outline a foreground piece").click()
    answers = Answers(page)
    board = Board(page)
    for at in ((1700, 900), (1900, 900), (1800, 1200)):
        page.mouse.click(*board.place(at))
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    page.mouse.dblclick(*board.place((1500, 1300)))
    answers.fail(422, "The outline holds no part of the photo.")
    expect(page.locator("[data-outline]")).to_be_visible()  # there again, to be mended
    page.locator(".picture").focus()
    page.keyboard.press("Enter")
    answers.all()
    until(lambda: len(state(page, halt)["shot"]["plates"]) == count + 1)
    page.wait_for_timeout(300)
    assert len(state(page, halt)["shot"]["plates"]) == count + 1


def test_a_plate_and_a_photo_are_removed_once_and_brought_back(page, halt):
    go(page, halt, "plates", "[data-plates] tr")
    before = state(page, halt)["shot"]
    page.locator("[data-plates] tr", has_text="Trolley and lamp").first.click()
    page.get_by_role("button", name="Remove this plate").dblclick()
    expect(page.locator("[data-plates] tr")).to_have_count(len(before["plates"]) - 2)
    until(lambda: len(state(page, halt)["shot"]["plates"]) == len(before["plates"]) - 2)
    expect(page.get_by_role("alert")).to_have_count(0)
    page.keyboard.press("Control+z")
    until(lambda: state(page, halt)["shot"] == before)
    page.keyboard.press("Alt+1")
    page.locator("tr", has_text="From the hut").click()
    page.get_by_role("button", name="Remove this photo").click()
    until(lambda: len(state(page, halt)["shot"]["photos"]) == 1)
    expect(page.get_by_role("alert")).to_have_count(0)
    page.keyboard.press("Control+z")
    until(lambda: state(page, halt)["shot"] == before)


# ---------------------------------------------------------------- two pages


def test_another_pages_changes_leave_the_hand_alone(page, halt):
    go(page, halt, "move", ".plan [data-key='120'] rect")
    before = keys_of(page, halt)
    at = middle(page, ".plan [data-key='120'] rect")
    press_and_move(page, at, (40, 0))
    x = float(page.get_by_label("At run", exact=True).input_value())
    assert page.request.put(f"/api/shots/{halt}/name", data={"name": "Renamed meanwhile"}).ok
    assert page.request.delete(f"/api/shots/{halt}/keys/1").ok
    expect(page.locator(".rail .title")).to_have_text("Renamed meanwhile")
    expect(page.locator(".plan [data-key='1']")).to_have_count(0)
    assert float(page.get_by_label("At run", exact=True).input_value()) == x
    page.mouse.up()
    until(lambda: abs(keys_of(page, halt)[120]["position"][0] - x) < 1e-3)
    assert set(keys_of(page, halt)) == {60, 120} and keys_of(page, halt)[60] == before[60]


def test_a_gesture_ends_when_what_is_in_hand_is_removed_elsewhere(page, halt):
    go(page, halt, "move", ".plan [data-key='120'] rect")
    press_and_move(page, middle(page, ".plan [data-key='120'] rect"), (40, 0))
    assert page.request.delete(f"/api/shots/{halt}/keys/120").ok
    expect(page.get_by_role("alert").filter(has_text="removed elsewhere")).to_be_visible()
    page.mouse.up()
    page.wait_for_timeout(300)
    assert set(keys_of(page, halt)) == {1, 60}
    # an edge as well
    go(page, halt, "survey", "g.edge.rise")
    page.click("[data-tool=rise]")
    edges = state(page, halt)["shot"]["photos"][0]["survey"]["edges"]
    number = int(page.locator("g.edge.rise").first.get_attribute("data-edge"))
    press_and_move(page, middle(page, "g.edge.rise .end >> nth=0"), (20, 10))
    gone = edges[number]["id"]
    photo = state(page, halt)["shot"]["photos"][0]["id"]
    url = f"/api/shots/{halt}/photos/{photo}/survey"
    assert page.request.patch(url, data={"edges": {"removed": [gone]}}).ok
    expect(page.locator("g.edge")).to_have_count(len(edges))  # in hand it is still shown
    # the hand goes on until it hears of it
    told = page.get_by_role("alert").filter(has_text="removed elsewhere")

    def heard():
        page.mouse.move(400, 300)
        page.mouse.move(404, 302)
        return told.is_visible()

    until(heard)
    page.mouse.up()
    expect(page.locator("g.edge")).to_have_count(len(edges) - 1)
    left = state(page, halt)["shot"]["photos"][0]["survey"]["edges"]
    assert left == [e for e in edges if e["id"] != gone]
