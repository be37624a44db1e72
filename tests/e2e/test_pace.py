"""The pace of a move by its handles in the strip: dragged, added, taken away, given up; the path stays the same."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect
from tests.e2e.board import state, until


def speed(page, shot):
    return state(page, shot)["shot"]["move"]["speed"]


def middle(page, handle):
    box = page.locator(f"[data-handle='{handle}']").bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def positions(page, shot):
    cameras = page.request.get(f"/api/shots/{shot}/path").json()["cameras"]
    return np.array([c["position"] for c in cameras])


def test_a_pace_is_shaped_by_its_handles(page, halt):
    page.click("[data-stage=move]")
    page.wait_for_selector("[data-travel]")
    expect(page.locator("[data-pace]")).to_have_count(0)  # no curve, no handles
    page.locator("[data-travel] .el-select__wrapper").first.click()
    page.get_by_role("option", name="quick, slow in the middle, quick").click()
    expect(page.locator("[data-handle]")).to_have_count(4)
    until(lambda: speed(page, halt))
    far = np.linalg.norm(np.diff(positions(page, halt), axis=0), axis=1)
    assert far[0] > 0.8 * far[1] and far[-1] > 0.8 * far[-2]  # in motion at the very ends: from rest it is a third
    in_motion = page.get_by_label("Starts and ends in motion")
    expect(in_motion).to_be_checked()
    page.keyboard.press("Control+z")
    expect(in_motion).not_to_be_checked()
    until(lambda: speed(page, halt) is None)
    page.keyboard.press("Control+Shift+z")
    expect(in_motion).to_be_checked()
    page.get_by_text("Starts and ends in motion").click()
    until(lambda: not any(k["speed"] for k in state(page, halt)["shot"]["move"]["keys"]))
    before = until(lambda: speed(page, halt))
    x, y = middle(page, 1)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y - 12, steps=5)
    page.keyboard.press("Escape")  # given up: all is as it was
    page.mouse.up()
    assert speed(page, halt) == before and np.allclose(middle(page, 1), (x, y), atol=1)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y + 8, steps=5)
    moved = page.locator("[data-handle='1']").bounding_box()
    assert moved["x"] > x + 40  # it follows the hand, asked or not
    page.mouse.up()
    after = until(lambda: (now := speed(page, halt)) != before and now)
    assert after[1][0] > before[1][0] + 3 and after[1][1] < before[1][1]
    assert [after[0], after[2], after[3]] == [before[0], before[2], before[3]]
    # a handle cannot pass its neighbour, nor go back
    x, y = middle(page, 1)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 900, y + 40, steps=6)
    page.mouse.up()
    pushed = until(lambda: (now := speed(page, halt)) != after and now)
    assert pushed[1][0] == pushed[2][0] - 1 and 0 <= pushed[1][1] <= pushed[2][1]
    page.keyboard.press("Control+z")
    until(lambda: speed(page, halt) == after)

    a, b = middle(page, 2), middle(page, 3)
    # on the curve between the last two handles: pressed twice, it has one more there
    d = page.evaluate(
        """([x]) => { const p = document.querySelector('[data-pace] .reach')
        const r = p.ownerSVGElement.getBoundingClientRect()
        for (let l = 0; l < p.getTotalLength(); l += 1) { const q = p.getPointAtLength(l)
          if (q.x + r.left > x) return [q.x + r.left, q.y + r.top] } }""",
        [(a[0] + b[0]) / 2],
    )
    page.mouse.dblclick(*d)
    expect(page.locator("[data-handle]")).to_have_count(5)
    more = until(lambda: len(speed(page, halt)) == 5 and speed(page, halt))
    assert [h[0] for h in more] == sorted(h[0] for h in more) and [h[1] for h in more] == sorted(h[1] for h in more)
    page.mouse.dblclick(*middle(page, 3))
    until(lambda: len(speed(page, halt)) == 4)
    # the way is the same, only how fast it is travelled is not
    travelled = positions(page, halt)
    page.locator("[data-travel] .el-select__wrapper").first.click()
    page.get_by_role("option", name="as the keys have it").click()
    until(lambda: speed(page, halt) is None)
    own = positions(page, halt)
    way = np.concatenate([own[:1], own])
    gap = np.linalg.norm(travelled[:, None] - way[None], axis=2).min(1)
    assert gap.max() < np.linalg.norm(np.diff(own, axis=0), axis=1).max()


def test_a_change_while_a_check_is_under_way_is_checked_as_well(page, halt):
    """The answer to the first order is held back until another change has been made: that one must not be forgotten."""
    held = []
    page.click("[data-stage=move]")
    page.wait_for_selector("[data-travel]")
    page.route("**/check", lambda r: held.append(r) if r.request.method == "POST" and not held else r.continue_())
    page.get_by_label("Stretch", exact=True).fill("2.37")  # a move that no test has checked before
    page.get_by_label("Stretch", exact=True).press("Enter")
    until(lambda: page.wait_for_timeout(50) or held)
    first = state(page, halt)["revision"]
    answer = held[0].fetch()  # the server has begun, and the page does not know yet
    ended = until(lambda: page.request.get(f"/api/jobs/{answer.json()['id']}").json()["state"] == "done", 90)
    assert ended
    page.get_by_label("Stretch", exact=True).fill("2.43")
    page.get_by_label("Stretch", exact=True).press("Enter")
    until(lambda: state(page, halt)["revision"] > first)
    page.wait_for_timeout(600)  # longer than a check waits after a change
    held[0].fulfill(response=answer)
    until(lambda: page.request.get(f"/api/shots/{halt}/check").json()["report"], 60)  # which nobody else asked for
    assert state(page, halt)["shot"]["limits"]["stretch"] == 2.43
    expect(page.locator("[data-stage=move]")).to_contain_text("frames hold", timeout=60_000)
    expect(page.locator("[data-finding]").first).to_be_visible(timeout=30_000)
