"""A server and a browser for tests and screenshots: everything on this machine, nothing else reached."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Browser, sync_playwright

ARGS = [
    "--no-sandbox",
    "--disable-gpu-sandbox",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-gpu-rasterization",
    "--disable-gpu-compositing",
    "--disable-quic",
    "--no-first-run",
]


@contextmanager
def server(data: Path, demo: bool = True) -> Iterator[str]:
    """Address of a server over a data folder."""
    command = [
        str(Path(sys.executable).with_name("roofline")),
        "demo" if demo else "serve",
        "--data",
        str(data),
        "--port",
        "0",
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        line = process.stdout.readline()
        found = re.search(r"http://\S+", line)
        if not found:
            raise RuntimeError(f"the server did not start: {line!r}")
        yield found[0]
    finally:
        process.terminate()
        process.wait(20)


@contextmanager
def browser() -> Iterator[Browser]:
    with sync_playwright() as play:
        chromium = play.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        try:
            yield chromium
        finally:
            chromium.close()
