"""What can be used without a mouse, and read by anybody: no violations found by axe-core (WCAG 2.1 A and AA)."""

from __future__ import annotations

from pathlib import Path

import pytest

AXE = (Path(__file__).resolve().parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
RUN = """axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(
    v => `${v.id}: ${v.help}: ` + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | ')))"""
PAGES = {
    "/": "[data-shot] img",
    "/shot/varrow-halt/photo": "[data-frame]",
    "/shot/varrow-halt/survey": "[data-camera]",
    "/shot/varrow-halt/massing": "[data-solids] tr",
    "/shot/varrow-halt/plates": "[data-plates] tr",
    "/shot/varrow-halt/move": "canvas[data-frame]",
    "/shot/varrow-halt/handoff": ".strip",
}


@pytest.mark.parametrize("path", PAGES)
def test_nothing_stands_in_the_way_of_those_who_do_not_see_or_point(page, path):
    page.goto(path)
    page.wait_for_selector(PAGES[path])
    for selector in ("[data-solids] tr", "[data-plates] tr >> nth=2", "[data-edges] tbody tr"):
        if path.endswith(("massing", "plates", "survey")) and page.locator(selector).count():
            page.locator(selector).first.click()  # with what is chosen shown in the ledger
    page.wait_for_timeout(300)
    page.evaluate(AXE)
    found = page.evaluate(RUN)
    assert not found, "\n".join(found)
