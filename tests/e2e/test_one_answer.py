"""A check has one answer: on the demo, no frame that was shown as holding, or as failing, is ever shown otherwise."""

from __future__ import annotations

import re

from playwright.sync_api import expect
from tests.e2e.board import until
from tests.e2e.conftest import a_toy

WATCH = """
() => {
  const seen = (window.seenAs = {})
  const note = () => {
    document.querySelectorAll('[data-told]').forEach((cell, n) => {
      const now = cell.dataset.told
      seen[n] ??= []
      if (seen[n].at(-1) !== now) seen[n].push(now)
    })
  }
  new MutationObserver(note).observe(document.body, { childList: true, subtree: true, attributes: true })
  note()
}
"""


def test_a_newcomer_sees_open_frames_and_then_one_answer(page, halt):
    # another rate changes no picture, but what others have checked of the demo is of another move then
    page.request.patch(f"/api/shots/{halt}/delivery", data={"fps": 25})
    page.evaluate(WATCH)
    answered = []
    page.on(
        "response", lambda r: answered.append(r) if r.url.endswith("/check") and r.request.method == "GET" else None
    )
    page.click("[data-stage=move]")
    end = page.locator(".strip .end")
    expect(end).to_have_text(re.compile(r"^79 of 120 frames hold$"), timeout=120_000)
    assert page.locator("[data-told=good]").count() == 79 and page.locator("[data-told=bad]").count() == 41
    seen = page.evaluate("() => Object.values(window.seenAs)")
    assert len(seen) == 120
    # a fast machine may have settled all before the page asks; what the page was told is what it showed
    was_open = {n for r in answered for n in (r.json()["report"] or {"open": []})["open"]}
    assert {n + 1 for n, told in enumerate(seen) if "open" in told} == was_open
    for told in seen:
        assert len([t for t in told if t != "open"]) == 1, told  # open first or not at all, then one answer
    expect(page.locator("[data-finding]").filter(has_text="close to a limit")).to_have_count(0)
    page.request.post(f"/api/shots/{halt}/check?fine=true")
    page.reload()
    expect(end).to_have_text(re.compile(r"^79 of 120 frames hold$"), timeout=60_000)


def test_a_frames_picture_that_is_late_says_so_and_one_that_failed_is_asked_for_again(page, running):
    toy = a_toy(page, running[0])
    held = []

    def hold(route):
        held.append(route) if len(held) < 2 else route.continue_()

    page.route("**/frames/*/picture*", hold)
    page.goto(f"/shot/{toy}/move")
    page.wait_for_selector("canvas[data-frame]")
    page.click("[data-ends]")
    waits = page.locator("[data-waits]")
    expect(waits).to_have_text(["Waiting for the server…"] * 2)
    with page.expect_request("**/picture*&again=1"):
        held[0].fulfill(status=503, json={"detail": "Busy."})
        expect(waits.filter(has_text="No picture came. Trying again…")).to_have_count(1)
    held[1].continue_()
    expect(waits).to_have_count(0)
    shown = "i => i.every(x => x.complete && x.naturalWidth > 0)"
    until(lambda: page.locator("[data-end]").evaluate_all(shown))
