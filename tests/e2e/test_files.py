"""Files of every sort brought by hand: what was found in them is said; and a shot that holds what cannot be shown."""

from __future__ import annotations

import json
import sqlite3

import numpy as np
from PIL import Image
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.formats.test_reading import LIGHT, exr, profile, saved


def begun(page) -> str:
    shot = page.request.post("/api/shots", data={"name": "Files"}).json()["id"]
    page.goto(f"/shot/{shot}/photo")
    page.wait_for_selector(".rail ol")
    return shot


def bring(page, name: str, data: bytes):
    page.locator("[data-bring]").set_input_files({"name": name, "mimeType": "image/png", "buffer": data})


def test_what_was_found_in_a_picture_is_said(page):
    shot = begun(page)
    wide = Image.fromarray(np.full((60, 90, 3), (40, 200, 90), np.uint8))
    bring(page, "wide.png", saved(wide, "PNG", icc_profile=profile()))
    expect(page.locator("[data-colour]")).to_have_text("Wide, by hand, converted")
    bad = np.tile(LIGHT, (9, 9, 1)).copy()
    bad[3, 4] = np.nan
    bring(page, "layers.exr", exr({"beauty.RGB": bad, "shadow.RGB": bad / 2}))
    until(lambda: len(state(page, shot)["shot"]["photos"]) == 2)
    expect(page.locator("[data-note]").first).to_contain_text("“beauty” is read")
    expect(page.locator("[data-note]").nth(1)).to_contain_text("no number")
    bring(page, "a.webp", saved(wide, "WEBP"))
    until(lambda: len(state(page, shot)["shot"]["photos"]) == 3)
    bring(page, "telephone.heic", b"\0\0\0\x18ftypheic\0\0\0\0mif1heic" + bytes(60))
    expect(page.locator(".problem")).to_contain_text("save it as JPEG")
    page.locator(".problem").get_by_role("button", name="Understood").click()
    expect(page.locator(".problem")).to_have_count(0)
    assert len(state(page, shot)["shot"]["photos"]) == 3


def test_a_piece_that_cannot_be_shown_is_named_and_taken_out(page, halt, running):
    _, data = running
    with sqlite3.connect(data / "roofline.db") as db:
        ident, body = db.execute("SELECT id, body FROM solid WHERE shot = ? AND id = 'platform'", (halt,)).fetchone()
        bad = json.dumps({**json.loads(body), "corner": [1e300, 0, 0]})
        db.execute("UPDATE solid SET body = ? WHERE shot = ? AND id = ?", (bad, halt, ident))
    page.goto(f"/shot/{halt}/massing")
    fault = page.locator("[data-fault]")
    expect(fault).to_contain_text("Platform")
    expect(page.locator("[data-piece]")).not_to_have_count(0)
    fault.get_by_role("button", name="Take it out").click()
    expect(fault).to_have_count(0)
    assert "platform" not in {s["id"] for s in state(page, halt)["shot"]["solids"]}
