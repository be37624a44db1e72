"""Shots as large as they come, brought and opened by a browser: python -m tools.bench_large

Forty plates of 24 megapixels: seconds from the file chosen to the shot's page, from there to the list of plates and to
a finding on Move. The plates are the demo's first photograph, enlarged, each with its own noise, so that none is
another's file; the half of them have an outline. Two dozen layers of 24 megapixels: seconds from the drop on the shelf
to Move, and until its first move is checked. Each with the most memory that the server held.
"""

from __future__ import annotations

import json
import re
import tempfile
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page
from tools.browser import browser, server

from roofline.demo.shot import FOLDER

MANY, LAYERS, WIDTH, HEIGHT = 40, 24, 6000, 4000


def picture(shown: np.ndarray, noise: np.ndarray, n: int) -> bytes:
    """A JPEG file of the photograph that no other number gives."""
    pixels = np.clip(np.roll(noise, 7 * n, 0) + shown + (n - MANY // 2), 0, 255).astype(np.uint8)
    return bytes(cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, 90])[1])


def package(path: Path) -> None:
    """The demo's place with forty photographs, each thrown on all that is no cut-out."""
    shot = json.loads((FOLDER / "shot.json").read_text())
    first = shot["photos"][0]
    part, camera = WIDTH / first["width"], first["camera"]
    camera |= {"width": WIDTH, "height": HEIGHT, "focal_px": camera["focal_px"] * part}
    camera |= {"principal_point": [WIDTH / 2, HEIGHT / 2]}
    first |= {"width": WIDTH, "height": HEIGHT, "result": None, "survey": {"edges": []}, "camera": camera}
    solids = [s for s in shot["solids"] if s["kind"] != "flat"]
    photos, plates, throws = [], [], []
    for n in range(MANY):
        name = f"photos/p{n}.jpg"
        across = [100 + 60 * n, 3000 + 60 * n]
        box = [[across[0], 300], [across[1], 300], [across[1], 3700], [across[0], 3700]]
        outline = [{"do": "outline", "loops": [{"points": box}], "feather_px": 8}]
        photos.append(first | {"id": f"p{n}", "name": f"Photo {n}", "file": name})
        made = {"id": f"p{n}", "name": f"Plate {n}", "photo": f"p{n}", "file": name, "canvas": [0, 0, WIDTH, HEIGHT]}
        plates.append(made | {"role": "foreground" if n % 2 else "photo", "steps": outline if n % 2 else []})
        throws.append({"plate": f"p{n}", "targets": [s["id"] for s in solids]})
    shot |= {"name": "Forty", "photos": photos, "plates": plates, "throws": throws, "solids": solids, "ties": []}
    shown = cv2.imread(str(FOLDER / "photos" / "platform-side.jpg"))
    shown = cv2.resize(shown, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    noise = np.random.default_rng(1).integers(-6, 7, (HEIGHT, WIDTH, 1))
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as out:
        out.writestr("shot.json", json.dumps(shot))
        for n in range(MANY):
            out.writestr(f"photos/p{n}.jpg", picture(shown, noise, n))


def peak_gib(data: Path) -> float:
    """The most memory that the server over a data folder has held, in GiB."""
    for process in Path("/proc").iterdir():
        if process.name.isdigit() and str(data) in (process / "cmdline").read_text():
            found = re.search(r"VmHWM:\s+(\d+)", (process / "status").read_text())
            return int(found[1]) / 2**20 if found else 0.0
    return 0.0


def seconds(what: Callable[[], object]) -> float:
    began = time.perf_counter()
    what()
    return time.perf_counter() - began


def opened(page: Page, stage: str, mark: str) -> float:
    """Seconds from another page to a stage's own mark."""
    address = re.sub(r"/shot/([^/]+)/.*", rf"/shot/\1/{stage}", page.url)
    page.goto("about:blank")

    def go() -> None:
        page.goto(address)
        page.wait_for_selector(mark, timeout=240_000)

    return seconds(go)


def layers(folder: Path) -> list[Path]:
    """Two dozen pictures with alpha, one behind another: the nearest is a strip at the foot, the last covers all."""
    rng = np.random.default_rng(2)
    grain = rng.integers(0, 60, (HEIGHT, WIDTH, 3), dtype=np.uint8)
    across = np.linspace(0, 3 * np.pi, WIDTH)
    files = []
    for n in range(LAYERS):
        top = (HEIGHT * 0.9 * n / (LAYERS - 1) + 120 * np.sin(across + n))[None, :] if n else -9.0
        alpha = np.clip((np.arange(HEIGHT)[:, None] - top) * 40 + 128, 0, 255).astype(np.uint8)
        alpha = np.broadcast_to(alpha, (HEIGHT, WIDTH))
        colour = np.roll(grain, 101 * n, 0) + rng.integers(0, 190, 3, dtype=np.uint8)
        files.append(folder / f"{LAYERS - n:02d} layer.png")
        picture = np.dstack([colour, alpha]) * (alpha[..., None] > 0)
        cv2.imwrite(str(files[-1]), picture, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    return files


def bring_layers(page: Page, folder: Path, data: Path) -> None:
    files = layers(folder)
    size = sum(f.stat().st_size for f in files)

    def bring() -> None:
        page.locator("[data-begin-pictures]").set_input_files(files)
        page.wait_for_url("**/move", timeout=300_000)

    print(f"{LAYERS} layers of 24 MP, {size / 1e6:.0f} MB: from the drop to Move {seconds(bring):.1f} s (aim: 60)")
    checked = seconds(lambda: page.get_by_text("holds in every frame").wait_for(timeout=300_000))
    print(f"  its move checked {checked:.1f} s later")
    print(f"  most memory of the server: {peak_gib(data):.2f} GiB (aim: 6)")


def bring_forty(page: Page, folder: Path, data: Path) -> None:
    file = folder / "forty.zip"
    package(file)

    def bring() -> None:
        page.locator("input[accept='.zip']").set_input_files(file)
        page.wait_for_url("**/photo", timeout=300_000)

    brought = seconds(bring)
    print(f"{MANY} plates of 24 MP, {file.stat().st_size / 1e6:.0f} MB: brought in {brought:.1f} s")
    print(f"  list of plates there {opened(page, 'plates', '[data-plates]'):.2f} s after it was asked for (aim: 2)")
    print(f"  most memory of the server so far: {peak_gib(data):.2f} GiB")
    print(f"  a finding on Move after {opened(page, 'move', '[data-finding]'):.1f} s")
    print(f"  most memory of the server: {peak_gib(data):.2f} GiB (aim: 6)")


def main() -> None:
    for one in (bring_forty, bring_layers):
        with tempfile.TemporaryDirectory() as folder:
            data = Path(folder) / "data"
            data.mkdir()
            with server(data, demo=False) as address, browser() as chromium:
                page = chromium.new_page(viewport={"width": 1280, "height": 800})
                page.goto(address)
                page.wait_for_selector(".new")
                one(page, Path(folder), data)


if __name__ == "__main__":
    main()
