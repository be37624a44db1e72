"""Building by hand: pieces drawn through a photo, and what came of them."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect
from tests.e2e.board import Board, now, state, until
from tools.varrow import truth

from roofline.core.massing.solids import faces_of
from roofline.model.shot import Shot

HOME = truth.first_view()
FINE = 24.0
T = truth


class Hand(Board):
    """A board on which a hand works finely: enlarging about every spot before it takes hold there."""

    def near(self, pixel):
        """Bring a spot of the photo under the pointer, well enlarged."""
        self.fit()
        self.zoom_to(pixel, FINE, 900)
        self.over(pixel)
        self.page.wait_for_timeout(60)

    def drag_finely(self, a, b):
        self.near(a)
        self.page.mouse.down()
        self.page.mouse.move(*[v + 3 for v in self.place(a)])
        self.near(b)
        self.page.mouse.up()

    def click_finely(self, at):
        self.near(at)
        self.page.mouse.down()
        self.page.mouse.up()


def seen(p) -> np.ndarray:
    return HOME.project(np.array(p, float))


def solids(page, shot):
    return Shot.model_validate(state(page, shot)["shot"]).solids


def named(page, shot, name):
    return next((s for s in solids(page, shot) if s.name == name), None)


def count(page, shot, wanted):
    until(lambda: len(solids(page, shot)) == wanted)


def new_shot(page, address, photo, name, survey):
    """An empty shot with a photo that is surveyed; the page on its Massing stage."""
    shot = page.request.post(f"{address}/api/shots", data={"name": "By hand"}).json()["id"]
    got = page.request.post(
        f"{address}/api/shots/{shot}/photos",
        multipart={"file": {"name": name, "mimeType": "image/jpeg", "buffer": photo}},
    )
    assert got.ok, got.text()
    ident = got.json()["shot"]["photos"][0]["id"]
    got = page.request.put(now(page, f"{address}/api/shots/{shot}/photos/{ident}/survey"), data=survey)
    assert got.ok, got.text()
    page.goto(f"/shot/{shot}/massing")
    page.wait_for_selector("[data-tool=block]")
    page.click("[data-view=lens]")
    return shot, ident


def surveyed(view, lines, tape):
    """A survey of exact edges: massing is what is tried here."""
    edges = [{"family": f, "points": view.project(np.array([a, b], float)).tolist()} for f, a, b in lines]
    foot, head = view.project(np.array(tape, float)).tolist()
    length = {"a": foot, "b": head, "direction": "rise", "metres": float(np.ptp(np.array(tape)[:, 1]))}
    datum = view.project(np.zeros(3)).tolist()
    return {"edges": edges, "edge_sigma_px": 0.3, "lengths": [length], "datum": datum}


def block(page, hand, a, b, top):
    page.keyboard.press("b")
    hand.drag_finely(seen(a), seen(b))
    hand.click_finely(seen((b[0], top, b[2])))


def corners_of(solid) -> np.ndarray:
    return faces_of(solid).vertices


def off(solid, lo, hi) -> float:
    """The farthest of a true box's corners from the solid's nearest one, in metres."""
    true = np.array([[x, y, z] for x in (lo[0], hi[0]) for y in (lo[1], hi[1]) for z in (lo[2], hi[2])])
    return float(max(np.min(np.linalg.norm(corners_of(solid) - p, axis=1)) for p in true))


def rename(page, shot, name):
    """Name the piece that was built last; it is the chosen one."""
    last = solids(page, shot)[-1].id
    # the store can have it before the page does, and a locator that fits several rows fails at once
    expect(page.locator(f"[data-solids] tr.chosen[data-piece='{last}']")).to_have_count(1)
    expect(page.locator("[data-solids] tr.chosen")).to_have_count(1)
    page.fill("[aria-label=Name]", name)
    page.keyboard.press("Enter")
    page.locator(".picture").focus()
    until(lambda: named(page, shot, name))


def figure(page, label, value):
    field = page.get_by_label(label, exact=True)
    field.fill(str(value))
    field.press("Enter")
    page.locator(".picture").focus()
