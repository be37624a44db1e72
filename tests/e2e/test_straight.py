"""A face squared up beside the photo: measured along, and cloned on straight, in its own metres."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect
from tests.e2e.board import at_rest, state, until

FACE = "platform/front"


class Pane:
    """The squared-up face on the page: window positions from metres along it and up."""

    def __init__(self, page, plane):
        self.page, self.plane = page, plane
        self.svg = page.locator("[data-straight] svg.over")

    def place(self, metres):
        at_rest(self.page, "[data-straight] img")
        data = self.svg.evaluate("s => ({...s.dataset})")
        box = self.svg.bounding_box()
        x0, _, x1, y1 = self.plane["area"]
        k = 1600 / (x1 - x0)
        px, py = (metres[0] - x0) * k, (y1 - metres[1]) * k
        return (
            box["x"] + float(data["x"]) + px * float(data["scale"]),
            box["y"] + float(data["y"]) + py * float(data["scale"]),
        )

    def drag(self, a, b):
        self.page.mouse.move(*self.place(a))
        self.page.mouse.down()
        self.page.mouse.move(*self.place(b), steps=6)
        self.page.mouse.up()

    def photo(self, metres):
        """The photo's pixel of a place on the face."""
        u, v, w = np.array(self.plane["to_photo"]) @ [*metres, 1]
        return np.array([u / w, v / w])


def test_cloned_on_a_face_squared_up(page, halt):
    page.goto(f"/shot/{halt}/plates")
    page.get_by_role("button", name="A plate of the photo").click()
    plate = until(lambda: next((p for p in state(page, halt)["shot"]["plates"] if p["name"] == "Foreground 2"), None))
    page.locator("[data-add-step] .el-select__wrapper").click()
    page.get_by_role("option", name="Clone", exact=True).click()
    page.locator(".said", has_text="Laid").locator(".el-select__wrapper").click()
    page.get_by_role("option", name="on Platform, front, squared up").click()
    page.get_by_role("button", name="Work on it squared up, beside").click()
    asked = page.request.get(f"/api/shots/{halt}/plates/{plate['id']}/plane?face={FACE}")
    assert asked.ok, asked.text()
    pane = Pane(page, asked.json())
    page.wait_for_selector("[data-straight] img")

    x0, y0, x1, y1 = pane.plane["area"]
    middle, high = (x0 + x1) / 2, (y0 + y1) / 2
    page.locator("[data-straight-measure]").click()
    pane.drag((middle - 1.5, high), (middle + 0.5, high))
    said = page.locator("[data-straight-tape] text").text_content()
    unit = 1 / (1600 / (x1 - x0) * float(pane.svg.get_attribute("data-scale")))  # metres of a window pixel
    assert abs(float(said.split()[0]) - 2.0) < 2.5 * unit, (said, unit)
    page.locator("[data-straight-measure]").click()

    source, begin, end = (middle + 1.0, high), (middle - 1.0, high), (middle - 0.6, high)
    page.get_by_role("button", name="Set where it is taken from").click()
    page.mouse.click(*pane.place(source))
    expect(page.get_by_role("button", name="Set where it is taken from")).to_be_visible()
    pane.drag(begin, end)

    def clone():
        steps = next(p for p in state(page, halt)["shot"]["plates"] if p["id"] == plate["id"])["steps"]
        return next((s for s in steps if s["do"] == "clone" and s["strokes"]), None)

    step = until(clone)
    assert step["on"] == FACE
    np.testing.assert_allclose(step["offset_m"], (2.0, 0.0), atol=3 * unit)
    points = np.array(step["strokes"][0]["points"])
    pixel = np.linalg.norm(pane.photo((middle + unit, high)) - pane.photo((middle, high)))  # photo, a window pixel
    assert np.linalg.norm(points[0] - pane.photo(begin)) < 2 * pixel + 1
    assert np.linalg.norm(points[-1] - pane.photo(end)) < 12 * pixel + 8  # strokes are thinned by their radius
    expect(page.locator("[data-ruler]")).to_contain_text("m")
    page.get_by_role("button", name="Close").click()
    expect(page.locator("[data-straight]")).to_have_count(0)
