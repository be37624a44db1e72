"""Standing room in plan and the paint list, by mouse: looked for, filled, nothing left."""

from __future__ import annotations

from playwright.sync_api import expect
from tests.e2e.board import state, until


def test_standing_room_lies_about_the_lens_and_follows_the_frame(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("#frame")
    page.get_by_role("group", name="Views").get_by_role("button", name="Plan").click()
    page.fill("#frame", "60")
    page.press("#frame", "Enter")
    page.locator("[data-standing]").click()
    expect(page.locator("[data-room='60']")).to_have_count(2, timeout=90_000)  # coarse everywhere, fine about the lens
    until(lambda: page.locator("[data-room='60']").last.get_attribute("data-cells") == str(65 * 65), 60)
    line = page.locator("[data-room='60'] path.just").bounding_box()
    lens = page.locator("circle.lens").bounding_box()
    assert line["x"] < lens["x"] + lens["width"] and line["x"] + line["width"] > lens["x"]
    assert line["y"] < lens["y"] + lens["height"] and line["y"] + line["height"] > lens["y"]
    expect(page.get_by_role("status").filter(has_text="m² about the lens")).to_be_visible()
    page.fill("#frame", "120")
    page.press("#frame", "Enter")
    expect(page.locator("[data-room='120']")).not_to_have_count(0, timeout=60_000)
    assert 10 < int(page.locator("[data-ticks]").get_attribute("data-ticks")) <= 30
    page.locator("[data-standing-whole]").click()
    expect(page.get_by_role("status").filter(has_text="the whole move")).to_be_visible(timeout=60_000)
    page.locator("[data-standing]").click()
    expect(page.locator("[data-room]")).to_have_count(0)


def test_what_is_bare_is_listed_and_filled_by_one_press(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-paint-list]")
    before = state(page, halt)["shot"]
    page.click("[data-look-bare]")
    expect(page.locator("[data-region]")).not_to_have_count(0, timeout=90_000)
    first = page.locator("[data-region]").first
    expect(first).to_contain_text("Hills and sky, front")
    last = int(first.get_by_role("button", name="Frame").inner_text().split()[-1])
    first.get_by_role("button", name="Frame").click()
    expect(page.locator("#frame")).to_have_value(str(last))
    with page.expect_download() as saved:
        page.get_by_role("button", name="Save masks").click()
    assert saved.value.suggested_filename.endswith("paint-list.zip")
    page.click("[data-fill-all]")
    expect(page.get_by_text("Nothing that the move shows is bare.")).to_be_visible(timeout=120_000)
    after = state(page, halt)["shot"]
    made = [p for p in after["plates"] if p["id"] not in {q["id"] for q in before["plates"]}]
    assert made and all(p["name"].startswith("Paint ") and p["steps"][0]["do"] == "fill" for p in made)
    assert [t["plate"] for t in after["throws"]][-len(made) :] == [p["id"] for p in made]
    page.get_by_role("button", name="Undo").click()
    until(lambda: state(page, halt)["shot"]["plates"] == before["plates"])


def test_six_ways_are_worked_out_and_one_is_taken(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("[data-ways]")
    page.click("[data-look-ways]")
    expect(page.locator("[data-way]")).to_have_count(6, timeout=240_000)
    part = page.locator("[data-way=part]")
    expect(part).to_contain_text("% of the way from home")
    # what it does to every frame, and the worst one as it would be
    rows = part.locator("[data-way-strip] [data-row]")
    expect(rows).to_have_count(2, timeout=60_000)
    told = page.request.get(f"/api/shots/{halt}/ways/part/strip").json()
    assert int(rows.nth(0).get_attribute("data-failing")) == sum(not f["holds"] for f in told["before"]) > 20
    assert rows.nth(1).get_attribute("data-failing") == "0"
    worst = next(f for f in told["before"] if f["frame"] == told["worst"])
    assert not worst["holds"]
    part.locator("[data-way-look]").click()
    page.wait_for_function("() => document.querySelector('[data-way-then]')?.naturalWidth === 480")
    same = [
        page.request.get(f"/api/shots/{halt}{p}/{told['worst']}{q}?width=480").body()
        for p, q in (("/frames", "/picture"), ("/ways/part/frames", ""))
    ]
    assert same[0] != same[1]
    before = state(page, halt)["shot"]
    part.get_by_role("button", name="Take it").click()
    until(lambda: state(page, halt)["shot"]["move"] != before["move"])
    until(lambda: any(t["stage"] == "move" and "120 of 120" in t["figure"] for t in state(page, halt)["rail"]), 90)
    page.get_by_role("button", name="Undo").click()
    until(lambda: state(page, halt)["shot"]["move"] == before["move"])


def test_a_dragged_key_is_told_whether_it_holds_and_what_sets_its_border(page, halt):
    page.goto(f"/shot/{halt}/move")
    page.wait_for_selector("canvas[data-frame]")
    page.get_by_role("group", name="Views").get_by_role("button", name="Both").click()
    page.fill("#frame", "60")
    page.press("#frame", "Enter")
    felt = page.locator("[data-feels]")

    def held(box):
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    # turned a little in the lens view
    at = held(page.get_by_role("group", name="Lens view").bounding_box())
    page.mouse.move(at[0] + 5, at[1], steps=3)
    expect(felt).to_contain_text("Holds here")
    near = float(felt.get_attribute("data-margin"))
    page.keyboard.press("Escape")
    page.mouse.up()
    expect(felt).to_have_count(0)
    # dragged far off in plan
    at = held(page.locator("[data-lens]").bounding_box())
    page.mouse.move(at[0] + 70, at[1] - 40, steps=6)
    expect(felt).to_contain_text("of the frame")
    assert near >= 0 > float(felt.get_attribute("data-margin"))
    assert any(s["name"] in felt.inner_text() for s in state(page, halt)["shot"]["solids"])
    page.keyboard.press("Escape")
    expect(felt).to_have_count(0)
    assert state(page, halt)["undo"] is None  # only tried, nothing kept
