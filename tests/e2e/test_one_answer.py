"""A check has one answer: on the demo, no frame that was shown as holding, or as failing, is ever shown otherwise."""

from __future__ import annotations

import re

from playwright.sync_api import expect

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
    page.evaluate(WATCH)
    page.click("[data-stage=move]")
    end = page.locator(".strip .end")
    expect(end).to_contain_text(" open", timeout=60_000)
    assert page.locator("[data-told=open]").count() > 0
    expect(page.locator("[data-finding]").filter(has_text="close to a limit")).to_be_visible()
    expect(end).to_have_text(re.compile(r"^79 of 120 frames hold$"), timeout=60_000)
    assert page.locator("[data-told=good]").count() == 79 and page.locator("[data-told=bad]").count() == 41
    seen = page.evaluate("() => Object.values(window.seenAs)")
    assert len(seen) == 120
    for told in seen:
        assert len([t for t in told if t != "open"]) == 1, told  # open first or not at all, then one answer
    expect(page.locator("[data-finding]").filter(has_text="close to a limit")).to_have_count(0)
    page.request.post(f"/api/shots/{halt}/check?fine=true")
    page.reload()
    expect(end).to_have_text(re.compile(r"^79 of 120 frames hold$"), timeout=60_000)
