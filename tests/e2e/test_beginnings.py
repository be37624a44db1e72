"""Starting from whatever picture there is: layers dropped on the shelf, a painting, a photograph; by hand."""

from __future__ import annotations

import base64
import io

import av
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.core.test_filter import decibels, lanczos
from tests.e2e.board import Board, state, until
from tests.work.test_again import picture
from tests.work.test_begin import layers

from roofline.formats.layers import read_layered
from roofline.formats.ora import open_raster
from roofline.formats.pictures import png, read, to_display, to_linear

DROP = """([files, where]) => {
  const carried = new DataTransfer()
  for (const [name, data] of files) {
    const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0))
    carried.items.add(new File([bytes], name, { type: 'image/png' }))
  }
  const at = document.querySelector(where)
  for (const kind of ['dragover', 'drop'])
    at.dispatchEvent(new DragEvent(kind, { dataTransfer: carried, bubbles: true, cancelable: true }))
}"""


def drop(page, files, where: str) -> None:
    page.evaluate(DROP, [[[name, base64.b64encode(data).decode()] for name, data in files], where])


def figure(page, field: str, value: str) -> None:
    page.fill(field, value)
    page.press(field, "Enter")


def the_shot(page) -> str:
    return page.url.split("/shot/")[1].split("/")[0]


@pytest.mark.slow
def test_layers_dropped_on_the_shelf_become_a_move(page):
    page.goto("/")
    page.wait_for_selector(".shelf")
    drop(page, layers(), ".shelf")
    expect(page.locator("[data-under-way]")).to_be_visible()
    page.wait_for_url("**/shot/*/move", timeout=120_000)
    shot = the_shot(page)
    assert len(state(page, shot)["shot"]["solids"]) == 5
    expect(page.locator("[data-said]")).to_contain_text("holds in every frame", timeout=60_000)
    page.click("[data-stage=massing]")
    # one layer pushed deeper: the picture stays
    page.locator("[data-piece]", has_text="disc 2").click()

    def foot():
        return next(s["foot"] for s in state(page, shot)["shot"]["solids"] if s["name"] == "disc 2")

    before = foot()
    figure(page, "#depth", "6")
    until(lambda: foot() != before)
    page.click("[data-stage=move]")
    page.wait_for_selector("#key-run")
    page.locator("[data-said]").get_by_role("button", name="Understood").click()
    expect(page.locator("[data-said]")).to_have_count(0)
    # a sideways move of two keys
    last = state(page, shot)["shot"]["delivery"]["frames"]
    figure(page, "input[aria-label='Frame']", str(last))
    until(lambda: state(page, shot)["shot"]["move"]["keys"][-1]["frame"] == last)
    figure(page, "#key-run", "0.12")
    figure(page, "#key-return", "0")
    until(lambda: state(page, shot)["shot"]["move"]["keys"][-1]["position"][0] == pytest.approx(0.12))
    expect(page.locator("[data-finding]").first).to_contain_text("frames hold", timeout=60_000)
    page.click("[data-stage=handoff]")
    page.click("[data-deliver]")
    page.wait_for_selector("[data-deliveries] tr", timeout=240_000)
    now = state(page, shot)
    done = now["deliveries"][0]
    film = page.request.get(f"/api/shots/{shot}/deliveries/{done['id']}/file").body()
    with av.open(io.BytesIO(film)) as video:
        frame = next(video.decode(video=0)).to_ndarray(format="rgb24") / 255
    d, photo = now["shot"]["delivery"], now["shot"]["photos"][0]
    flat = page.request.get(f"/api/shots/{shot}/photos/{photo['id']}/picture?width=4096").body()
    scale, (x, y) = d["framing"]["scale"], d["framing"]["centre"]
    w, h = d["width"], d["height"]
    box = (x - w * scale / 2, y - h * scale / 2, x + w * scale / 2, y + h * scale / 2)
    want = to_display(lanczos(to_linear(read(flat, "flat.jpg"))[..., :3], (w, h), box))
    rows, columns = np.mgrid[0:h, 0:w]
    away = np.ones((h, w), bool)
    for n in range(4):  # beside the borders
        x0, y0 = 150 + 190 * n, 330 - 20 * n
        radius = np.hypot(box[0] + (columns + 0.5) * scale - x0, box[1] + (rows + 0.5) * scale - y0)
        away &= np.abs(radius - 149) > 8
    assert away.mean() > 0.6
    assert decibels(frame[away], want[away]) > 36


@pytest.mark.slow
def test_a_painting_gets_a_camera_a_horizon_by_hand_and_a_first_move(page):
    shot = page.request.post("/api/shots", data={"name": "Mist"}).json()["id"]
    small = (np.random.default_rng(5).random((5, 8, 3)) * 255).astype(np.uint8)
    painting = np.asarray(Image.fromarray(small).resize((900, 600), Image.Resampling.BICUBIC))
    page.goto(f"/shot/{shot}/photo")
    expect(page.get_by_text("A picture without edges")).to_be_visible()
    page.locator("[data-bring]").set_input_files({"name": "mist.png", "mimeType": "image/png", "buffer": png(painting)})
    until(lambda: len(state(page, shot)["shot"]["photos"]) == 1)
    page.click("[data-stage=survey]")
    page.click("[data-assume]")
    expect(page.locator("[data-camera]")).to_contain_text("assumed")
    page.click("[data-lens='50']")
    focal = 50 * np.hypot(900, 600) / np.hypot(36, 24)
    until(lambda: state(page, shot)["shot"]["photos"][0]["camera"]["focal_px"] == pytest.approx(focal))
    page.get_by_role("button", name="Horizon").click()
    board = Board(page)
    board.drag((450, 300), (450, 240))

    def tilted():
        made = state(page, shot)["shot"]["photos"][0]
        line = made["survey"]["assumption"]["horizon"]
        return line and abs((line[0][1] + line[1][1]) / 2 - 240) < 3 and made["camera"]

    camera = until(tilted)
    forward = np.array(camera["rotation"])[2]
    # the horizon above the middle: the camera looks down by as much
    assert forward[1] == pytest.approx(-np.sin(np.arctan(60 / focal)), abs=0.006)
    page.keyboard.press("Control+z")
    until(lambda: state(page, shot)["shot"]["photos"][0]["survey"]["assumption"]["horizon"] is None)
    page.click("[data-stage=move]")
    page.locator("[data-first-move]").first.click()
    expect(page.locator("[data-said]")).to_contain_text("holds in every frame", timeout=120_000)
    kept = state(page, shot)["shot"]
    assert [s["kind"] for s in kept["solids"]] == ["ground", "backdrop"] and len(kept["move"]["keys"]) == 2
    assert "assumed" in next(x for x in state(page, shot)["rail"] if x["stage"] == "survey")["figure"]
    page.keyboard.press("Control+z")  # one change, and taken back in one
    until(lambda: not state(page, shot)["shot"]["solids"] and not state(page, shot)["shot"]["move"]["keys"])


def test_what_is_dropped_and_cannot_be_used_is_told_and_leaves_nothing(page):
    page.goto("/")
    page.wait_for_selector(".shelf")
    count = len(page.request.get("/api/shots").json())
    drop(page, [("cut short.ora", b"PK\x03\x04" + bytes(60))], ".shelf")
    expect(page.get_by_role("alert")).to_contain_text("damaged", timeout=30_000)
    page.get_by_role("button", name="Understood").click()
    drop(page, [("notes.txt", b"hello")], ".shelf")
    expect(page.get_by_role("alert")).to_contain_text("neither a picture nor a shot package")
    assert len(page.request.get("/api/shots").json()) == count


@pytest.mark.slow
def test_a_layered_file_is_put_in_again_and_goes_out_again(page):
    made = picture()
    page.goto("/")
    page.wait_for_selector(".shelf")
    drop(page, [("Valley.ora", open_raster(made))], ".shelf")
    page.wait_for_url("**/shot/*/move", timeout=120_000)
    shot = the_shot(page)
    solids = state(page, shot)["shot"]["solids"]
    assert [(s["name"], s["group"], s["hidden"]) for s in solids] == [
        ("blob 1", None, True), ("blob 2", "Middle", False), ("blob 3", None, False),
    ]  # fmt: skip
    page.click("[data-stage=massing]")
    page.locator("[data-piece]", has_text="blob 2").click()
    figure(page, "#depth", "9")

    def middle():
        return next(s for s in state(page, shot)["shot"]["solids"] if s["name"] == "blob 2")

    until(lambda: middle()["foot"] != solids[1]["foot"])
    deeper = middle()
    newer = picture()
    newer.layers[1].pixels[..., :3] = 255 - newer.layers[1].pixels[..., :3]
    newer.layers[1].x += 15
    page.click("[data-stage=photo]")
    page.set_input_files(
        "[data-again-file]", {"name": "Valley.ora", "mimeType": "image/openraster", "buffer": open_raster(newer)}
    )
    expect(page.locator("[data-said]")).to_contain_text("put in again", timeout=60_000)
    after = middle()
    assert after["foot"] == deeper["foot"] and after["group"] == "Middle"
    assert after["extent"][0] > deeper["extent"][0]
    # a file with no layer of this shot changes nothing, and is refused where it was given
    revision = state(page, shot)["revision"]
    page.set_input_files(
        "[data-again-file]", {"name": "Other.png", "mimeType": "image/png", "buffer": png(newer.layers[0].pixels)}
    )
    expect(page.get_by_role("alert")).to_contain_text("None of the file's layers")
    assert state(page, shot)["revision"] == revision
    page.click("[data-stage=handoff]")
    page.click("[data-group=package]")
    page.get_by_text("The flats as layers").click()
    page.click("[data-deliver]")
    delivery = until(lambda: state(page, shot)["deliveries"])[0]
    got = read_layered(page.request.get(f"/api/shots/{shot}/deliveries/{delivery['id']}/file").body(), "out.ora")
    assert [(x.name, x.group, x.visible) for x in got.layers][:2] == [
        ("blob 1", None, False),
        ("blob 2", "Middle", True),
    ]
    sheet, want = (np.zeros((200, 320, 4), np.uint8) for _ in "ab")
    for into, layer in ((sheet, got.layers[1]), (want, newer.layers[1])):
        h, w = layer.pixels.shape[:2]
        into[layer.y : layer.y + h, layer.x : layer.x + w] = layer.pixels
    assert (sheet[..., 3] == want[..., 3]).all() and (sheet[want[..., 3] > 0] == want[want[..., 3] > 0]).all()


def test_a_drawing_begins_a_shot(page):
    page.goto("/")
    page.wait_for_selector(".shelf")
    drawing = (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 40"><rect width="60" height="40" fill="#8ab"/></svg>'
    )
    drop(page, [("Sky.svg", drawing.encode())], ".shelf")
    page.wait_for_url("**/shot/**", timeout=120_000)
    shot = until(lambda: "/shot/" in page.url and the_shot(page))
    photo = until(lambda: (p := state(page, shot)["shot"]["photos"]) and p[0], 60)
    assert (photo["width"], photo["height"]) == (3840, 2560)


def test_the_first_move_from_the_move_stage_is_seen_at_once(page, running):
    """The lens view comes with the camera: without opening the page anew, and again after undo and redo."""
    shot = page.request.post("/api/shots", data={"name": "At once"}).json()["id"]
    tone = np.full((200, 300, 3), 180, np.uint8)
    page.goto(f"/shot/{shot}/photo")
    page.locator("[data-bring]").set_input_files({"name": "tone.png", "mimeType": "image/png", "buffer": png(tone)})
    until(lambda: len(state(page, shot)["shot"]["photos"]) == 1)
    page.click("[data-stage=move]")
    page.click("[data-first-move]")

    def seen() -> bool:
        view = page.locator("[data-lens-view]")
        return (
            bool(view.count())
            and view.evaluate(
                """c => { const n = new OffscreenCanvas(8, 8), g = n.getContext('2d'); g.drawImage(c, 0, 0, 8, 8)
            return Math.min(...g.getImageData(0, 0, 8, 8).data) }"""
            )
            > 100
        )

    until(seen, 180)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-lens-view]")).to_have_count(0)
    page.get_by_role("button", name="Redo").click()
    until(seen, 60)
