"""Hurried hands: answers that are held back or fail, and gestures that are given up."""

from __future__ import annotations

import re

from tests.e2e.board import at_rest, state

READS = re.compile(r"/(try|touch|snap|measure|find|check)(\?|$)")


class Answers:
    """Holds back the answers to all changes; each is let go of, or fails, when it is told to."""

    def __init__(self, page):
        self.page, self.waiting, self.sent = page, [], []
        page.route("**/api/shots/**", self._hear)

    def _hear(self, route):
        request = route.request
        if request.method == "GET" or READS.search(request.url):
            return route.continue_()
        self.sent.append((request.method, re.sub(r".*/api/shots/[^/]+", "", request.url)))
        self.waiting.append(route)
        return None

    def _next(self):
        for _ in range(200):
            if self.waiting:
                return self.waiting.pop(0)
            self.page.wait_for_timeout(20)
        raise AssertionError("nothing was asked")

    def let_go(self, count: int = 1):
        for _ in range(count):
            self._next().continue_()

    def fail(self, status: int = 422, says: str = "That cannot be."):
        self._next().fulfill(status=status, json={"detail": says}, content_type="application/problem+json")

    def lose(self):
        """The server does not answer at all."""
        self._next().abort("connectionrefused")

    def all(self, quiet: int = 400):
        """Let go of everything, until nothing more comes."""
        calm = 0
        while calm < quiet:
            self.page.wait_for_timeout(20)
            calm = 0 if self.waiting else calm + 20
            while self.waiting:
                self.waiting.pop(0).continue_()
        self.page.unroute("**/api/shots/**")


#: ways to give a gesture up, as scripts on the element that was pressed
GIVEN_UP = {
    "Escape": None,
    "the pointer is taken away": "new PointerEvent('pointercancel', {pointerId: 1, bubbles: true})",
    "another window": "blur",
    "let go of elsewhere": "new PointerEvent('pointermove', {pointerId: 1, bubbles: true, buttons: 0})",
}


def give_up(page, way: str):
    if way == "Escape":
        page.keyboard.press("Escape")
    elif way == "another window":
        page.evaluate("window.dispatchEvent(new Event('blur'))")
    else:
        page.evaluate(f"document.querySelector('.picture, .lens, .plan').dispatchEvent({GIVEN_UP[way]})")


def keys_of(page, shot) -> dict[int, dict]:
    return {k["frame"]: k for k in state(page, shot)["shot"]["move"]["keys"]}


def go(page, shot, stage, wait):
    page.goto(f"/shot/{shot}/{stage}")
    page.wait_for_selector(wait)
    # what an ill-fated press would do is another gesture: the board must have its picture first
    page.wait_for_function("() => [...document.querySelectorAll('.sheet img')].every((i) => i.complete)")


def middle(page, selector):
    box = at_rest(page, selector)
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def press_and_move(page, at, by=(60, 25)):
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] + by[0], at[1] + by[1], steps=5)
