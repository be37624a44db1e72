"""What a picture does not decide is shown and decided by one press: readings, rival standpoints, wrong points."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from tests.core.houses import two_houses
from tests.e2e.board import Board, now, state, until
from tests.e2e.corners import first_pixel, second_pixel
from tools.varrow import truth

from roofline.formats.pictures import png


@pytest.fixture
def halt(halt_apart):
    """Here the second photo is joined by hand."""
    return halt_apart


def photo(page, shot, ident):
    return next(p for p in state(page, shot)["shot"]["photos"] if p["id"] == ident)


def focal_in(bar) -> str:
    return bar.inner_text().split("They give f ")[1].split()[0]


def test_another_reading_of_a_picture_is_one_press_away(page, halt):
    page.click("[data-stage=photo]")
    page.set_input_files("[data-bring]", {"name": "Two.png", "mimeType": "image/png", "buffer": png(two_houses())})
    page.click("[data-stage=survey]")
    page.locator("[data-photo]", has_text="Two").click()
    page.click("[data-find]")
    bar = page.locator("[data-found-bar]")
    expect(bar).to_contain_text("They give", timeout=60_000)
    first, offered = focal_in(bar), page.locator("[data-other-reading]").inner_text()
    page.click("[data-other-reading]")
    second = focal_in(bar)
    assert f"f {float(second):.1f} mm" in offered and second != first
    count = page.locator("[data-found] polyline").count()
    page.click("[data-take]")
    ident = page.locator("[data-photo]", has_text="Two").get_attribute("data-photo")
    kept = until(lambda: (p := photo(page, halt, ident))["camera"] and p)
    assert len(kept["survey"]["edges"]) == count
    assert abs(kept["camera"]["focal_px"] * 36 / 1200 - float(second)) < 0.02
    # the first reading comes round again
    page.keyboard.press("Control+z")
    until(lambda: not photo(page, halt, ident)["survey"]["edges"])


def share(page, halt, points) -> None:
    ties = [
        {
            "id": f"t{n}",
            "name": f"Spot {n}",
            "seen": {"platform-side": first_pixel(p).tolist(), "from-the-hut": second_pixel(p).tolist()},
            "surface": surface,
        }
        for n, (p, surface) in enumerate(points)
    ]
    if len(points) > 2:
        ties[-1]["seen"]["from-the-hut"][1] -= 40
    assert page.request.put(now(page, f"/api/shots/{halt}/ties"), data={"ties": ties}).ok


def test_rival_standpoints_stand_in_plan_and_a_wrong_point_is_left_out_by_one_press(page, halt):
    page.click("[data-photo=from-the-hut]")
    page.click("[data-find]")
    page.wait_for_selector("[data-take]", timeout=60_000)
    page.click("[data-take]")
    until(lambda: photo(page, halt, "from-the-hut")["camera"])
    lo, hi = np.array(truth.HOUSE["lo"]), np.array(truth.HOUSE["hi"])
    hut, hut_hi = np.array(truth.HUT["lo"]), np.array(truth.HUT["hi"])
    top = "platform/top"
    upright = [((hut[0], hut[1], hut_hi[2]), top), ((hut[0], hut_hi[1], hut_hi[2]), None)]
    share(page, halt, upright)
    joined = until(lambda: (p := photo(page, halt, "from-the-hut"))["camera"]["position"] and p)
    assert len(joined["result"]["rivals"]) == 1
    expect(page.locator("body")).to_contain_text("the points fit as well")
    page.click("[data-stage=massing]")
    expect(page.locator("[data-rival]")).to_have_count(1)
    expect(page.locator("[data-rival]")).to_contain_text("or from here")

    page.click("[data-stage=survey]")
    page.click("[data-photo=from-the-hut]")
    more = [
        ((hi[0], lo[1], hi[2]), top),
        ((truth.POSTS_X[3], 0.86, truth.POST_Z), top),
        ((hi[0], hi[1], hi[2]), None),
        ((truth.POSTS_X[1], 0.86, truth.POST_Z), top),
    ]
    share(page, halt, [*upright, *more])
    leave = page.get_by_label("Leave out Spot 5")
    expect(leave).to_be_visible()
    assert page.locator("[aria-label^='Leave out']").count() == 1
    expect(page.locator("body")).to_contain_text("'Spot 5' cannot be off by chance")
    leave.click()
    until(lambda: len(state(page, halt)["shot"]["ties"]) == 5)
    after = photo(page, halt, "from-the-hut")["result"]
    assert after["rivals"] == [] and not [w for w in after["warnings"] if "Spot" in w]


def test_a_figure_stands_where_the_pointer_is(page, halt):
    page.locator("[data-figure-shown]").click()
    board = Board(page)
    # in front of the lamp post, whose foot and height are known
    lx, _, lz = truth.LAMP["foot"]
    foot, head = first_pixel((lx, 0.0, lz)), first_pixel((lx, 1.7, lz))
    page.mouse.move(*board.place(foot))
    path = page.locator("[data-standing]")
    expect(path).to_be_visible()
    box = path.bounding_box()
    x, y = board.place(foot)
    top = board.place(head)[1]
    assert abs(box["y"] + box["height"] - y) < 7 and abs(box["y"] - top) < 0.06 * (y - top) + 3
    assert abs(box["x"] + box["width"] / 2 - x) < 4
    page.locator("[data-figure-shown]").click()
    expect(path).to_have_count(0)
