"""One current picture of each main view, 1280 × 800, from the demo: docs/screenshots/.

python -m tools.shots [FOLDER]
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page
from tools.browser import browser, server
from tools.valley import layers, painting

from roofline.formats.pictures import png

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"


def second_photo(page: Page) -> None:
    """The second photo, held against the first thrown over the geometry."""
    page.click("[data-photo=from-the-hut]")
    page.wait_for_selector("[data-compare]")
    page.select_option("[data-compare]", "platform-side")
    page.wait_for_selector("[data-compared][data-shown=true]", timeout=60_000)
    page.wait_for_function("() => [...document.images].every((i) => i.complete && i.naturalWidth)")
    page.wait_for_timeout(600)


def beginnings(page: Page, address: str, out: Path) -> None:
    """The empty shot with its three ways, layers spread in depth, and a painting with its camera assumed."""

    def shot(name: str) -> str:
        ident = page.request.post(f"{address}/api/shots", data={"name": name}).json()["id"]
        page.goto(f"{address}/shot/{ident}/photo")
        page.wait_for_selector("[data-begin-layers]", state="attached")
        return str(ident)

    made = [shot("A valley")]
    page.wait_for_timeout(400)
    page.screenshot(path=out / "starting.png")
    files = [{"name": f"{n}.png", "mimeType": "image/png", "buffer": png(p)} for n, p in layers()]
    page.locator("[data-begin-layers]").set_input_files(files)
    page.wait_for_selector("[data-said]", timeout=240_000)
    page.wait_for_selector("[data-finding]", timeout=60_000)
    page.wait_for_timeout(2500)
    page.screenshot(path=out / "layers.png")
    made.append(shot("A painting"))
    given = {"name": "valley.png", "mimeType": "image/png", "buffer": png(painting())}
    page.locator("[data-bring]").set_input_files(given)
    page.locator("[data-said] button").click(timeout=60_000)
    page.goto(f"{address}/shot/{made[-1]}/survey")
    page.click("[data-assume]")
    page.wait_for_selector("[data-camera]")
    page.click("[data-tool=horizon]")
    page.mouse.move(620, 520)
    page.wait_for_timeout(900)
    page.screenshot(path=out / "assumed.png")
    for ident in made:
        page.request.delete(f"{address}/api/shots/{ident}")


def massing(page: Page, out: Path) -> None:
    """A chosen piece; the set from any side."""
    page.locator("[data-solids] tr", has_text="Station house").click()
    page.wait_for_timeout(400)
    page.screenshot(path=out / "massing.png")
    page.select_option("[aria-label='What the lens view shows']", "thrown")
    page.click("[data-view=orbit]")
    page.wait_for_selector("[data-orbit] canvas[data-quality=full]", timeout=60_000)
    page.wait_for_timeout(1500)
    page.screenshot(path=out / "orbit.png")


def plates(page: Page, out: Path) -> None:
    """A foreground's matte over grey, its outline open; a face squared up beside the photo."""
    page.locator("[data-plates] tr").nth(2).click()
    page.keyboard.press("g")
    page.locator("[data-step=outline] .name").click()
    page.wait_for_selector("[data-look=there]", timeout=60_000)
    line = page.locator("[data-outline]").bounding_box()
    assert line is not None
    page.mouse.move(line["x"] + line["width"] / 2, line["y"] + 0.8 * line["height"])  # its points show about it
    page.wait_for_timeout(600)
    page.screenshot(path=out / "plates.png")
    page.locator("[data-plates] tr").nth(0).click()
    page.keyboard.press("q")
    page.locator("[data-squared] .el-select__wrapper").click()
    page.get_by_role("option", name="Station house, front, squared up").click()
    page.locator("[data-beside]").click()
    page.wait_for_selector("[data-ruler]", timeout=60_000)
    page.wait_for_timeout(4000)
    page.screenshot(path=out / "squared-up.png")
    page.locator("[data-straight]").get_by_role("button", name="Close").click()
    page.locator("[data-plates] tr").nth(2).click()
    page.keyboard.press("g")
    page.keyboard.press("i")
    page.wait_for_selector("[data-set-look=there]", timeout=60_000)
    page.wait_for_timeout(600)
    page.screenshot(path=out / "in-set.png")
    page.keyboard.press("i")


def at_rest(page: Page, file: Path) -> None:
    """The lens view once all that was asked for is there, and it is drawn fully."""
    page.wait_for_timeout(1500)
    page.wait_for_selector("[data-lens-view][data-quality=full]", timeout=60_000)
    page.screenshot(path=file)


def move(page: Page, out: Path) -> None:
    """A frame that fails; looked along; the pace by handles and which plate gives what; the verdicts."""
    page.fill("#frame", "112")
    page.press("#frame", "Enter")
    page.mouse.move(1120, 400)
    page.mouse.wheel(0, -9000)  # the ledger from its beginning
    at_rest(page, out / "move.png")
    page.click("[data-look-along]")
    page.wait_for_selector("[data-runs]", timeout=60_000)
    page.get_by_text("room beyond the frame", exact=True).click()
    page.locator("[data-edge]").first.get_by_role("button").click()
    page.locator("[data-lines]").scroll_into_view_if_needed()
    at_rest(page, out / "along.png")
    page.get_by_text("speed", exact=True).click()
    page.locator("[data-travel]").get_by_text("as the keys have it").click()
    page.get_by_role("option", name="quick, slow in the middle, quick").click()
    page.locator("[data-giving]").click()
    page.wait_for_selector("[data-verdicts][data-shown=true]")
    at_rest(page, out / "pace.png")
    page.locator("[data-giving]").click()
    page.get_by_role("button", name="Undo").click()
    page.fill("#frame", "112")
    page.press("#frame", "Enter")
    page.check("[data-overlay]")
    page.wait_for_selector("[data-verdicts][data-shown=true]")
    box = page.locator("[data-lens-view]").bounding_box()
    assert box
    page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.93 * box["height"])
    page.wait_for_selector("[data-story]")
    at_rest(page, out / "verdicts.png")


def ways(page: Page, out: Path) -> None:
    """Standing room under the plan; six ways out."""
    page.get_by_role("group", name="Views").get_by_role("button", name="Plan").click()
    page.fill("#frame", "60")
    page.press("#frame", "Enter")
    page.locator("[data-standing]").click()
    page.wait_for_selector("[data-room]")
    lens = page.locator("circle.lens").bounding_box()
    assert lens
    page.mouse.move(lens["x"] + 7, lens["y"] + 7)
    for _ in range(5):
        page.mouse.wheel(0, -300)
    page.wait_for_selector("[data-cells='4225']", timeout=60_000)
    page.wait_for_timeout(2500)
    page.wait_for_selector("[data-cells='4225']", timeout=60_000)
    page.screenshot(path=out / "standing-room.png")
    page.locator("[data-standing]").click()
    page.get_by_role("group", name="Views").get_by_role("button", name="Lens").click()
    page.click("[data-look-ways]")
    page.wait_for_selector("[data-way=limit]", timeout=240_000)
    page.locator("[data-look-ways]").scroll_into_view_if_needed()
    page.wait_for_timeout(600)
    page.wait_for_function(
        "() => document.querySelectorAll('[data-way-strip] [data-row]').length >= 2", timeout=120_000
    )
    page.screenshot(path=out / "ways.png")


def main() -> None:
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, server(Path(data)) as address, browser() as chromium:
        page = chromium.new_page(viewport={"width": 1280, "height": 800})
        page.on(
            "console",
            lambda m: (
                print("console:", m.text) if m.type in ("error", "warning") and "GPU stall" not in m.text else None
            ),
        )
        page.goto(f"{address}/shot/varrow-halt/photo")  # until the engine is loaded
        page.wait_for_selector(".rail ol")
        page.wait_for_selector("[data-warming]", state="detached", timeout=180_000)
        page.goto(address)
        page.wait_for_selector("[data-shot] img")
        page.wait_for_timeout(600)
        page.screenshot(path=out / "shelf.png")

        def stage(name: str) -> None:
            page.goto(f"{address}/shot/varrow-halt/{name}")
            page.wait_for_selector(".rail ol")
            page.wait_for_timeout(1800)

        stage("photo")
        page.screenshot(path=out / "photo.png")
        stage("survey")
        page.screenshot(path=out / "survey.png")
        second_photo(page)
        page.screenshot(path=out / "two-photos.png")
        while page.request.get(f"{address}/api/shots/varrow-halt").json()["undo"]:
            page.request.post(f"{address}/api/shots/varrow-halt/undo")
        stage("massing")
        massing(page, out)
        stage("plates")
        plates(page, out)
        stage("move")
        page.wait_for_selector("[data-finding]", timeout=60_000)
        ways(page, out)
        move(page, out)
        stage("handoff")
        page.wait_for_timeout(2500)
        page.screenshot(path=out / "handoff.png")
        beginnings(page, address, out)


if __name__ == "__main__":
    main()
