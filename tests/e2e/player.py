"""A player with hurried hands: figures, names, drags, undo and stages at random, while answers are late or fail."""

from __future__ import annotations

import json
import random
from dataclasses import dataclass, field

#: delays answers, and lets some changes fail before they reach the server; what failed is written down
UNRULY = """
(() => {
  const plain = window.fetch
  let seed = %(seed)d
  const random = () => (seed = (seed * 16807) %% 2147483647) / 2147483647
  window.failed = []
  window.asked = 0
  window.fetch = async (input, init) => {
    const request = new Request(input, init)
    const change = request.method !== 'GET' && !/\\/(try|touch|snap|measure|check)(\\?|$)/.test(request.url)
    const late = random() * %(delay)d
    if (!change) return plain(request)
    window.asked++
    if (random() < %(failing)f) {
      const body = await request.clone().text()
      await new Promise((done) => setTimeout(done, late))
      window.failed.push([request.method, new URL(request.url).pathname, body])
      return new Response(JSON.stringify({ detail: 'Not this time.' }), { status: 503 })
    }
    const answer = await plain(request)
    await new Promise((done) => setTimeout(done, late))
    return answer
  }
})()
"""
LIMITS = {"Stretch": "stretch", "Magnification": "magnification", "Without picture": "gap_percent"}


@dataclass
class Model:
    """What a shot holds after the same inputs, kept as simply as can be: a list of what was done."""

    limits: dict[str, float]
    rises: dict[int, float]
    names: dict[str, str]
    done: list[tuple[str, object, object]] = field(default_factory=list)
    undone: list[tuple[str, object, object]] = field(default_factory=list)

    def do(self, what, of, to):
        self.done.append((what, of, to))
        self.undone.clear()

    def undo(self):
        if self.done:
            self.undone.append(self.done.pop())

    def redo(self):
        if self.undone:
            self.done.append(self.undone.pop())

    def after(self, failed: list) -> dict:
        """What should be there; ``failed``: the requests that did not get through."""
        got: dict[str, dict] = {"limits": dict(self.limits), "rises": dict(self.rises), "names": dict(self.names)}
        for what, of, to in self.done:
            if not self._failed(what, of, to, failed):
                got[what][of] = to
        return got

    @staticmethod
    def _failed(what, of, to, failed) -> bool:
        for _, path, body in failed:
            sent = json.loads(body) if body else {}
            if what == "limits" and path.endswith("/limits") and sent.get(of) == to:
                return True
            if what == "rises" and path.endswith(f"/keys/{of}") and abs(sent["position"][1] - to) < 1e-6:
                return True
            if what == "names" and path.endswith(f"/plates/{of}") and sent.get("name") == to:
                return True
        return False


class Player:
    """Plays on one page. Every value is used once, so that a failed request tells which input it was."""

    def __init__(self, page, seed: int, undoing: bool, slow: int = 700):
        self.page, self.random, self.undoing, self.slow = page, random.Random(seed), undoing, slow
        self.value = 5.0
        self.stage = "move"
        self.log: list[str] = []

    def fresh(self) -> float:
        self.value = round(self.value + 0.01, 2)
        return self.value

    def go(self, stage: str):
        if self.stage != stage:
            self.page.locator(".rail [data-stage=" + stage + "]").click()
            self.stage = stage

    def figure(self, label: str, value: float):
        field = self.page.get_by_label(label, exact=True)
        field.fill(str(value))
        # kept by Enter, by leaving the field, or by whatever the hand does next
        end = self.random.choice(["Enter", "Tab", None])
        if end:
            field.press(end)

    def act(self, model: Model, plates: list[str]):
        kinds = ["limit", "limit", "rise", "rise", "name", "stage"] + (["undo", "undo", "redo"] if self.undoing else [])
        kind = self.random.choice(kinds)
        if kind == "limit":
            self.go("move")
            label, value = self.random.choice(list(LIMITS)), self.fresh()
            self.figure(label, value)
            model.do("limits", LIMITS[label], value)
            self.log.append(f"{label} {value}")
        elif kind == "rise":
            self.go("move")
            frame, value = self.random.choice(list(model.rises)), self.fresh()
            self.page.locator("#frame").fill(str(frame))
            self.page.locator("#frame").press("Enter")
            self.figure("At rise", value)
            model.do("rises", frame, value)
            self.log.append(f"frame {frame} at rise {value}")
        elif kind == "name":
            self.go("plates")
            number = self.random.randrange(len(plates))
            self.page.locator("[data-plates] tr").nth(number).click()
            called = f"Plate {self.fresh()}"
            name = self.page.get_by_label("Name", exact=True)
            name.fill(called)
            name.press(self.random.choice(["Enter", "Tab"]))
            model.do("names", plates[number], called)
            self.log.append(f"{plates[number]}: {called}")
        elif kind == "stage":
            self.go(self.random.choice(["move", "plates", "survey"]))
        else:
            self.page.evaluate("document.activeElement.blur()")
            self.page.keyboard.press("Control+z" if kind == "undo" else "Control+Shift+z")
            (model.undo if kind == "undo" else model.redo)()
            self.log.append(kind)
        self.page.wait_for_timeout(self.random.choice([0, 0, 30, 200, self.slow]))
