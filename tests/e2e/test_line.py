"""The whole line in a browser: a photo that is not the demo, surveyed, built, moved, checked and delivered by hand."""

from __future__ import annotations

import io
import json
import re
import sqlite3

import av
import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.conftest import looking
from tests.e2e.board import Board, at_rest, state, until

from roofline.core.massing.kinds import Block
from roofline.core.massing.solids import faces_of

TRUE = looking(1500, 1000, 1275.0, 31.0, -2.5, (-3.0, 1.62, 8.0), 0.6)
BOX = Block(id="t", name="T", corner=(0.0, 0.0, -3.5), size=(4.2, 2.9, 3.5))


def photo() -> bytes:
    """A picture of a made-up yard: a striped block on a chequered ground under a plain sky, through a known camera."""
    pixels = np.stack(np.meshgrid(np.arange(1500) + 0.5, np.arange(1000) + 0.5), axis=-1)
    rays = TRUE.rays(pixels)
    out = np.empty((1000, 1500, 3))
    out[:] = (0.62, 0.72, 0.84)
    down = rays[..., 1] < -1e-4
    with np.errstate(all="ignore"):
        k = -TRUE.position[1] / rays[..., 1]
        g = TRUE.position + rays * k[..., None]
    board = (np.floor(g[..., 0] / 0.5) + np.floor(g[..., 2] / 0.5)) % 2
    out[down] = (0.40 + 0.14 * board[down])[:, None] * (1.0, 0.96, 0.86)
    f = faces_of(BOX)
    for loop, name in zip(f.loops, f.names, strict=True):
        p = f.vertices[loop]
        n = np.cross(p[1] - p[0], p[2] - p[0])
        if n @ (TRUE.position - p[0]) <= 0:
            continue
        with np.errstate(all="ignore"):
            k = (n @ (p[0] - TRUE.position)) / (rays @ n)
            x = TRUE.position + rays * k[..., None]
        mask = np.zeros((1000, 1500), np.uint8)
        cv2.fillPoly(mask, [np.round((TRUE.project(p) - 0.5) * 256).astype(np.int32)], 1, cv2.LINE_8, 8)
        stripe = np.floor(x[..., 1] / 0.29) % 2
        base = {
            "front": (0.72, 0.42, 0.34),
            "left": (0.55, 0.33, 0.28),
            "right": (0.5, 0.3, 0.26),
            "top": (0.4, 0.4, 0.44),
        }[name]
        out[mask > 0] = ((0.82 + 0.18 * stripe)[..., None] * base)[mask > 0]
    image = Image.fromarray(
        (np.clip(out + np.random.default_rng(1).normal(0, 0.006, out.shape), 0, 1) * 255).astype(np.uint8)
    )
    data = io.BytesIO()
    image.save(data, "PNG")
    return data.getvalue()


def edges_in(page, shot):
    photos = state(page, shot)["shot"]["photos"]
    return photos[0]["survey"]["edges"] if photos else []


EDGES = [
    ("run", (0, 0, 0), (4.2, 0, 0)),
    ("run", (0, 2.9, 0), (4.2, 2.9, 0)),
    ("run", (0.3, 1.45, 0), (4.0, 1.45, 0)),
    ("return", (0, 0, 0), (0, 0, -3.5)),
    ("return", (0, 2.9, 0), (0, 2.9, -3.5)),
    ("return", (0, 1.45, -0.2), (0, 1.45, -3.4)),
    ("rise", (0, 0.1, 0), (0, 2.8, 0)),
    ("rise", (4.2, 0.1, 0), (4.2, 2.8, 0)),
    ("rise", (0, 0.1, -3.5), (0, 2.8, -3.5)),
]


def test_from_a_photograph_to_a_checked_move(page, running, tmp_path):
    address, data = running
    page.goto("/")
    page.fill("#shot-name", "Striped yard")
    page.get_by_role("button", name="Begin").click()
    page.wait_for_url(re.compile(r"/shot/\w+/photo"))
    shot = page.url.split("/shot/")[1].split("/")[0]

    # Photo: bring it, then state what is delivered
    page.set_input_files("[data-bring]", {"name": "Yard.png", "mimeType": "image/png", "buffer": photo()})
    page.wait_for_selector("[data-frame]")
    for label, value in (("Width", "480"), ("Height", "270"), ("Length", "24")):
        field = page.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Enter")
    until(lambda: state(page, shot)["shot"]["delivery"]["frames"] == 24)
    expect(page.locator(".ledger")).to_contain_text("Margin top")

    # Survey: nine edges with the mouse, enlarged so that the hand is fine enough
    page.click("[data-stage=survey]")
    page.wait_for_selector("[data-tool=run]")
    board = Board(page)
    # found without asking, and taken back: here a hand traces them
    until(lambda: edges_in(page, shot), 60)
    page.keyboard.press("Control+z")
    until(lambda: not edges_in(page, shot))
    for count, (family, a, b) in enumerate(EDGES, 1):
        page.click(f"[data-tool={family}]")
        p, q = TRUE.project(np.array([a, b], float))
        board.fit()
        board.drag(p, q)
        until(lambda c=count: len(edges_in(page, shot)) == c)
        if count == 6:
            expect(page.locator("[data-camera]")).to_contain_text("mm")
    # one end set again, enlarged, and given its place back
    page.click("[data-tool=run]")
    end = TRUE.project(np.array(EDGES[1][2], float))
    board.zoom_to(end, 5)
    revision = state(page, shot)["revision"]
    page.keyboard.down("Alt")  # else the end would be laid onto the picture's own edge again
    board.drag(end, end + [0.0, 6.0], 3)
    page.keyboard.up("Alt")
    until(lambda: state(page, shot)["revision"] > revision)
    assert np.hypot(*(np.array(edges_in(page, shot)[1]["points"][1]) - end - [0, 6])) < 0.5
    page.keyboard.press("Control+z")
    until(lambda: np.hypot(*(np.array(edges_in(page, shot)[1]["points"][1]) - end)) < 0.5)
    page.click("[data-tool=tape]")
    board.fit()
    # the tape starts beside the edges' ends, so that the hand does not take hold of one of them
    at = TRUE.project(np.array([(2.0, 0, 0.0), (2.0, 2.9, 0.0)]))
    board.drag(at[0], at[1])
    page.get_by_label("Tape 1 · Rise").fill("2.9")
    page.get_by_label("Tape 1 · Rise").press("Enter")
    until(lambda: [t["metres"] for t in state(page, shot)["shot"]["photos"][0]["survey"]["lengths"]] == [2.9])
    page.click("[data-tool=datum]")
    spot = TRUE.project(np.array([-1.5, 0, 1.5]))
    page.mouse.click(*board.place(spot))
    until(lambda: state(page, shot)["shot"]["photos"][0]["survey"]["datum"])
    expect(page.locator("[data-grid]")).to_be_visible()
    camera = state(page, shot)["shot"]["photos"][0]["camera"]
    assert camera["focal_px"] == pytest.approx(TRUE.focal, rel=0.01)
    assert camera["position"][1] == pytest.approx(1.62, rel=0.03)
    assert float(page.locator("[data-focal-px]").inner_text()) == pytest.approx(camera["focal_px"], abs=0.6)

    # Massing: ground, a block through the photo, a backdrop
    page.click("[data-stage=massing]")
    page.click("[data-tool=ground]")
    until(lambda: len(state(page, shot)["shot"]["solids"]) == 1)
    page.click("[data-tool=block]")
    board = Board(page)
    board.fit()
    near, far, top = TRUE.project(np.array([(0, 0, 0), (4.2, 0, -3.5), (4.2, 2.9, -3.5)]))
    board.drag(near, far)
    page.mouse.move(*board.place(top), steps=5)
    page.mouse.click(*board.place(top))
    until(lambda: len(state(page, shot)["shot"]["solids"]) == 2)
    page.click("[data-tool=backdrop]")
    until(lambda: len(state(page, shot)["shot"]["solids"]) == 3)
    solid = state(page, shot)["shot"]["solids"][1]
    assert solid["size"] == pytest.approx([4.2, 2.9, 3.5], rel=0.06)
    # a corner dragged along rise and taken back
    page.locator("[data-solids] tr", has_text="Block 1").click()
    board.fit()
    handle = page.locator("[data-corner]").nth(6).bounding_box()
    page.mouse.move(handle["x"] + 4.5, handle["y"] + 4.5)
    page.mouse.down()
    page.mouse.move(handle["x"] + 4.5, handle["y"] - 60, steps=6)
    page.mouse.up()
    until(lambda: state(page, shot)["shot"]["solids"][1]["size"][1] > solid["size"][1] * 1.05)
    page.get_by_role("button", name="Undo").click()
    until(lambda: state(page, shot)["shot"]["solids"][1] == solid)
    # a depth move keeps the picture
    page.fill("#depth", "20")
    page.press("#depth", "Enter")
    until(lambda: state(page, shot)["shot"]["solids"][1]["size"][0] > 6)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo").click()
    until(lambda: state(page, shot)["shot"]["solids"][1] == solid)

    # Plates: outline a foreground piece on the ground, make the clean plate behind it
    page.click("[data-stage=plates]")
    page.get_by_role("button", name="Outline a foreground piece").click()
    board = Board(page)
    board.fit()
    for pixel in ((300, 760), (420, 760), (430, 880), (290, 880)):
        page.mouse.click(*board.place(pixel))
    page.keyboard.press("Enter")
    until(lambda: len(state(page, shot)["shot"]["plates"]) == 2)
    page.click("[data-clean]")
    until(lambda: len(state(page, shot)["shot"]["plates"]) == 3)
    page.click("[data-stage=massing]")
    page.click("[data-tool=flat]")
    board = Board(page)
    board.fit()
    page.mouse.click(*board.place((360, 884)))
    until(lambda: len(state(page, shot)["shot"]["solids"]) == 4)
    after = state(page, shot)["shot"]
    flat = after["solids"][3]["id"]
    assert next(t for t in after["throws"] if t["plate"] == after["plates"][1]["id"])["targets"] == [flat]
    assert next(p for p in after["plates"] if p["role"] == "clean")["without"] == [flat]

    # Move: home on the first frame, the second key by dragging the camera in plan
    page.click("[data-stage=move]")
    page.wait_for_selector("[data-pin-home]")
    page.click("[data-pin-home]")
    until(lambda: len(state(page, shot)["shot"]["move"]["keys"]) == 1)
    page.fill("#frame", "24")
    page.press("#frame", "Enter")
    lens = at_rest(page, "[data-lens]")
    page.mouse.move(lens["x"] + 7, lens["y"] + 7)
    page.mouse.down()
    page.mouse.move(lens["x"] + 75, lens["y"] - 20, steps=8)
    page.mouse.up()
    keys = until(lambda: (lambda k: k if len(k) == 2 else None)(state(page, shot)["shot"]["move"]["keys"]))
    assert keys[0]["home"] and keys[1]["frame"] == 24 and keys[1]["position"][0] > keys[0]["position"][0] + 0.4
    # check
    page.wait_for_selector("[data-finding]", timeout=60_000)
    report = until(lambda: page.request.get(f"/api/shots/{shot}/check").json()["report"])
    assert not report["holds"] and report["frames"][0]["holds"]
    page.wait_for_selector("[data-bar=bare], [data-bar=void]")
    page.check("[data-overlay]")
    page.wait_for_selector("[data-verdicts][data-shown=true]")
    drawn = page.evaluate("""() => { const c = document.querySelector('[data-verdicts]');
        const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
        let n = 0; for (let i = 3; i < d.length; i += 4) n += d[i] > 200; return n / (d.length / 4) }""")
    last = report["frames"][-1]
    assert (
        100 * drawn == pytest.approx(last["bare"] + last["void"] + 0.5 * (last["smeared"] + last["soft"]), abs=12)
        and drawn > 0.001
    )
    sheet = page.locator("[data-lens-view]").bounding_box()
    page.mouse.move(sheet["x"] + 0.5 * sheet["width"], sheet["y"] + 0.9 * sheet["height"])
    expect(page.locator("[data-story]")).to_contain_text("Ground")
    expect(page.locator("[data-story]")).to_contain_text("Stretch")
    # play, and stop
    page.click("[data-play]")
    page.wait_for_timeout(700)
    page.click("[data-play]")
    # bring back
    page.click("[data-bring-back]")
    expect(page.locator("[data-brought]")).to_contain_text("Brought back to", timeout=60_000)
    shorter = state(page, shot)["shot"]["move"]["keys"]
    assert shorter[1]["position"][0] < keys[1]["position"][0]
    told = lambda: page.request.get(f"/api/shots/{shot}/check").json()["report"]  # noqa: E731
    report = until(lambda: (r := told()) and not r["open"] and r)
    assert report["holds"]
    expect(page.locator("[data-stage=move]")).to_contain_text("24 of 24 frames hold", timeout=20_000)

    # reload: everything is there, and can still be undone
    page.reload()
    page.wait_for_selector("[data-strip]")
    assert state(page, shot)["undo"] == "Bring back the move"

    # Hand-off: MP4
    page.click("[data-stage=handoff]")
    page.click("[data-deliver]")
    expect(page.locator("[data-deliveries]")).to_contain_text("v001", timeout=90_000)
    with page.expect_download() as download:
        page.get_by_role("link", name="Save").click()
    file = tmp_path / "move.mp4"
    download.value.save_as(file)
    with av.open(str(file)) as container:
        stream = container.streams.video[0]
        frames = [f.to_ndarray(format="rgb24") for f in container.decode(stream)]
        assert (stream.width, stream.height, len(frames), float(stream.average_rate)) == (480, 270, 24, 24.0)
    engine = np.asarray(
        Image.open(io.BytesIO(page.request.get(f"/api/shots/{shot}/frames/1/picture?width=480").body()))
    )
    assert np.abs(frames[0].astype(int) - engine).mean() < 4
    # and the database says the same
    db = sqlite3.connect(f"file:{data}/roofline.db?mode=ro", uri=True)
    assert db.execute("SELECT version, form, frames FROM delivery WHERE shot = ?", (shot,)).fetchall() == [
        (1, "mp4", 24)
    ]
    assert db.execute("SELECT count(*) FROM solid WHERE shot = ?", (shot,)).fetchone() == (4,)
    assert (
        json.loads(db.execute("SELECT body FROM key WHERE shot = ? AND id = '24'", (shot,)).fetchone()[0])["position"]
        == shorter[1]["position"]
    )
