"""A hand on a board: points of the picture clicked and dragged; and waiting for what is to happen."""

from __future__ import annotations

import re
import time


class Board:
    """The picture on the board: mouse positions from photo pixels, read from the board's own scale."""

    def __init__(self, page):
        self.page = page
        self.svg = page.locator(".picture svg.over").first

    def lies(self):
        """Scale and place of the picture's corner in the window, as the page has drawn them."""
        return self.svg.evaluate(
            "s => new Promise(r => requestAnimationFrame(() => { const b = s.getBoundingClientRect();"
            " r([+s.dataset.scale, b.x + +s.dataset.x, b.y + +s.dataset.y]) }))"
        )

    def place(self, pixel):
        k, x, y = self.lies()
        return x + k * pixel[0], y + k * pixel[1]

    def over(self, pixel):
        """Bring the mouse over a pixel and see that it is there: the board may just have been laid out anew."""
        at = None
        while at != (at := self.place(pixel)):
            self.page.mouse.move(*at)

    def zoom_to(self, pixel, factor=4.0, turn=300):
        """Enlarge about a pixel with the wheel, so that the mouse can be set finely."""
        self.over(pixel)
        start = now = self.lies()[0]
        while now < start * factor:
            self.page.mouse.wheel(0, -turn)
            # a turn of the wheel is not waited for by the one who turns it
            now = until(lambda before=now: (k := self.lies()[0]) > before and k, 5)

    def fit(self):
        self.page.keyboard.press("0")
        self.page.wait_for_timeout(50)

    def click(self, pixel):
        self.over(pixel)
        self.page.mouse.down()
        self.page.mouse.up()

    def drag(self, a, b, steps=6):
        self.page.mouse.move(*self.place(a))
        self.page.mouse.down()
        self.page.mouse.move(*self.place(b), steps=steps)
        self.page.mouse.up()


def state(page, shot):
    return page.request.get(f"/api/shots/{shot}").json()


def now(page, url: str) -> str:
    """An address of a shot's API with the shot's revision of now: what replaces a whole says what it was made from."""
    shot = re.sub(r"(/api/shots/[^/?]+).*", r"\1", url)
    return f"{url}?revision={page.request.get(shot).json()['revision']}"


def at_rest(page, selector):
    """Where something is on the page once it stays there: a plan is fitted anew as what it shows arrives."""
    places = []

    def stays():
        places.append(page.locator(selector).bounding_box())
        page.wait_for_timeout(100)
        return len(places) > 4 and places[-1] == places[-5]

    until(stays)
    return places[-1]


def until(what, seconds=40.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        got = what()
        if got:
            return got
        time.sleep(0.05)
    raise AssertionError("it did not come about")
