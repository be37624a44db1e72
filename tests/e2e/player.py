"""A player with hurried hands: figures, names, drags, undo and stages at random, while answers are late or fail."""

from __future__ import annotations

import json
import math
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
  window.unanswered = 0
  window.fetch = async (input, init) => {
    const request = new Request(input, init)
    const change = request.method !== 'GET' && !/\\/(try|touch|snap|measure|check)(\\?|$)/.test(request.url)
    const late = random() * %(delay)d
    if (!change) return plain(request)
    window.asked++
    window.unanswered++
    try {
      if (random() < %(failing)f) {
        const body = await request.clone().text()
        await new Promise((done) => setTimeout(done, late))
        window.failed.push([request.method, new URL(request.url).pathname, body])
        return new Response(JSON.stringify({ detail: 'Not this time.' }), { status: 503 })
      }
      const again = await request.clone().text()
      const answer = await plain(request)
      // what was typed and failed is sent once more when its field is left: then it is not lost
      const at = window.failed.findIndex((f) => f[1] === new URL(request.url).pathname && f[2] === again)
      if (answer.ok && again && at >= 0) window.failed.splice(at, 1)
      await new Promise((done) => setTimeout(done, late))
      return answer
    } finally {
      window.unanswered--
    }
  }
})()
"""
SLIP = 0.02  # metres: a key is dragged by whole pixels
FIGURES = {"At rise": "corner.1", "Turn": "turn_deg"}  # of pieces
LIMITS = {"Stretch": "stretch", "Magnification": "magnification", "Without picture": "gap_percent"}


@dataclass
class Model:
    """What a shot holds after the same inputs, kept as simply as can be: a list of what was done."""

    limits: dict[str, float]
    rises: dict[int, float]
    names: dict[str, str]
    spots: dict[int, tuple[float, float]]  # of keys in plan
    pieces: dict[str, float]  # by piece and figure: `hut corner.1`
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

    def now(self, what: str) -> dict:
        return self.after([])[what]

    def after(self, failed: list) -> dict:
        """What should be there; ``failed``: the requests that did not get through."""
        got: dict[str, dict] = {w: dict(getattr(self, w)) for w in ("limits", "rises", "names", "spots", "pieces")}
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
            if what == "spots" and path.endswith(f"/keys/{of}") and math.dist(sent["position"][::2], to) < SLIP:
                return True
            if what == "pieces" and path.endswith(f"/solids/{of.split()[0]}") and sent["set"].get(of.split()[1]) == to:
                return True
            if what == "names" and path.endswith(f"/plates/{of}") and sent.get("name") == to:
                return True
        return False


#: what hands do, and how often; and what besides only where nothing fails
KINDS = ["limit", "limit", "rise", "rise", "piece", "piece", "name", "elsewhere"]
STEPS = ["undo", "undo", "redo", "drag", "drag"]  # a drag sends the whole place of a key: with it what failed before


@dataclass
class Act:
    """One thing that a hand does, said beforehand: so that a play that fails can be played again without it."""

    kind: str
    which: int  # of those that there are
    value: float  # used once, so that a failed request tells which input it was
    end: str | None  # how a figure is ended: by a key, or by whatever comes next
    pause: int  # ms until the next

    def __str__(self):
        return f"{self.kind} {self.which} {self.value} {self.end or 'left'} +{self.pause} ms"


def planned(seed: int, count: int, undoing: bool) -> list[Act]:
    """A play of so many acts, the same for the same seed."""
    dice = random.Random(seed)
    kinds = KINDS + (STEPS if undoing else [])
    return [
        Act(
            dice.choice(kinds),
            dice.randrange(60),
            round(5 + n / 100, 2),
            dice.choice(["Enter", "Tab", None]),
            dice.choice([0, 0, 30, 200, 800]),
        )
        for n in range(count)
    ]


def shortest(acts: list[Act], fails, tries: int = 24) -> list[Act]:
    """A play that still fails with fewer acts: first halves, then single ones are left out."""
    size = len(acts) // 2
    while size and tries > 0:
        for at in range(0, len(acts), size):
            less = acts[:at] + acts[at + size :]
            tries -= 1
            if less and tries > 0 and fails(less):
                acts = less
                break
        else:
            size //= 2
    return acts


class Player:
    """Plays acts on one page, and tells a model of them."""

    def __init__(self, page, plates: list[str]):
        self.page, self.plates = page, plates
        self.stage = "move"

    def go(self, stage: str):
        if self.stage != stage:
            self.page.locator(".rail [data-stage=" + stage + "]").click()
            self.stage = stage

    def figure(self, label: str, act: Act):
        field = self.page.get_by_label(label, exact=True)
        field.fill(str(act.value))
        if act.end:
            field.press(act.end)

    def frame(self, model: Model, act: Act) -> int:
        self.go("move")
        frame = list(model.rises)[act.which % len(model.rises)]
        self.page.locator("#frame").fill(str(frame))
        self.page.locator("#frame").press("Enter")
        return frame

    def act(self, model: Model, act: Act):
        getattr(self, act.kind)(model, act)
        self.page.wait_for_timeout(act.pause)

    def limit(self, model: Model, act: Act):
        self.go("move")
        label = list(LIMITS)[act.which % len(LIMITS)]
        self.figure(label, act)
        model.do("limits", LIMITS[label], act.value)

    def rise(self, model: Model, act: Act):
        frame = self.frame(model, act)
        self.figure("At rise", act)
        model.do("rises", frame, act.value)

    def drag(self, model: Model, act: Act):
        """A key dragged in plan: how far, in metres, the plan's own scale says."""
        frame = self.frame(model, act)
        key = self.page.locator(f".plan [data-key='{frame}'] rect")
        box = key.bounding_box()
        scale = 100 * float(self.page.locator(".plan svg").first.get_attribute("data-scale"))
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        dx, dy = 12 + act.which % 9, -8 - act.which % 5
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + dx / 2, y + dy / 2)
        self.page.mouse.move(x + dx, y + dy)
        self.page.mouse.up()
        was = model.now("spots")[frame]
        model.do("spots", frame, (was[0] + dx / scale, was[1] + dy / scale))

    def name(self, model: Model, act: Act):
        self.go("plates")
        number = act.which % len(self.plates)
        self.page.locator("[data-plates] tr").nth(number).click()
        called = f"Plate {act.value}"
        name = self.page.get_by_label("Name", exact=True)
        name.fill(called)
        name.press(act.end or "Enter")
        model.do("names", self.plates[number], called)

    def piece(self, model: Model, act: Act):
        """A figure typed into a piece, whichever was chosen before, and whatever of that is not answered yet."""
        self.go("massing")
        which = sorted({k.split()[0] for k in model.pieces})
        ident = which[act.which % len(which)]
        label = list(FIGURES)[act.which // 7 % len(FIGURES)]
        self.page.locator(f"[data-piece={ident}]").click()
        self.figure(label, act)
        model.do("pieces", f"{ident} {FIGURES[label]}", act.value)

    def elsewhere(self, model: Model, act: Act):
        self.go(["move", "plates", "survey", "massing"][act.which % 4])

    def undo(self, model: Model, act: Act):
        self.page.evaluate("document.activeElement.blur()")
        self.page.keyboard.press("Control+z")
        model.undo()

    def redo(self, model: Model, act: Act):
        self.page.evaluate("document.activeElement.blur()")
        self.page.keyboard.press("Control+Shift+z")
        model.redo()
