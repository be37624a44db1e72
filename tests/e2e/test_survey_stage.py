"""The Survey stage by hand: edges found, snapped, left out, advised; a second photo joined by clicks and held
against."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from scipy.ndimage import binary_erosion, gaussian_filter
from tests.e2e.board import Board, state, until
from tests.e2e.corners import SECOND, first_pixel, reprojected, second_pixel, seen, view_of
from tools.varrow import truth


def ties(page, shot, count):
    """The shot's shared points, once there are as many."""
    return until(lambda: (t := state(page, shot)["shot"]["ties"]) and len(t) == count and t)


def photo(page, shot, ident):
    return next(p for p in state(page, shot)["shot"]["photos"] if p["id"] == ident)


@pytest.fixture
def halt(halt_apart):
    """Here photos are surveyed and joined by hand."""
    return halt_apart


def test_found_edges_join_a_second_photo_by_clicks(page, halt):
    assert photo(page, halt, "from-the-hut")["camera"] is None
    page.click("[data-photo=from-the-hut]")
    page.click("[data-find]")
    page.wait_for_selector("[data-found-bar]", timeout=60_000)
    expect(page.locator("[data-found-bar]")).to_contain_text("edges found")
    assert photo(page, halt, "from-the-hut")["survey"]["edges"] == []  # nothing is kept before it is taken
    offered = page.locator("[data-found] polyline").count()
    board = Board(page)
    # one is dropped by a click, and comes back by another
    points = page.locator("[data-found] polyline").first.get_attribute("points").split()
    box = page.locator(".picture").bounding_box()
    a, b = (np.array([float(v) for v in points[k].split(",")]) for k in (0, -1))
    at = (a + b) / 2 + [box["x"], box["y"]]
    page.mouse.click(*at)
    expect(page.locator("[data-found] polyline.out")).to_have_count(1)
    page.mouse.click(*at)
    expect(page.locator("[data-found] polyline.out")).to_have_count(0)
    page.click("[data-take]")
    until(lambda: len(photo(page, halt, "from-the-hut")["survey"]["edges"]) == offered)
    solved = photo(page, halt, "from-the-hut")["camera"]
    assert solved["focal_px"] == pytest.approx(SECOND.focal, rel=0.02)

    lo, hi = np.array(truth.HOUSE["lo"]), np.array(truth.HOUSE["hi"])
    hut, hut_hi = np.array(truth.HUT["lo"]), np.array(truth.HUT["hi"])
    shared = [
        ((hi[0], lo[1], hi[2]), "platform/top"),
        ((hut[0], hut[1], hut_hi[2]), "platform/top"),
        ((truth.POSTS_X[3], 0.86, truth.POST_Z), "platform/top"),
        ((hi[0], hi[1], hi[2]), None),
        ((truth.POSTS_X[1], 0.86, truth.POST_Z), "platform/top"),
    ]
    for n, (point, surface) in enumerate(shared, 1):
        page.click("[data-photo=platform-side]")
        page.click("[data-share]")
        board.fit()
        board.zoom_to(first_pixel(point), 6)
        page.mouse.click(*board.place(first_pixel(point)))
        expect(page.locator("[data-ties] tbody tr")).to_have_count(n)
        page.click("[data-photo=from-the-hut]")
        board.fit()
        board.zoom_to(second_pixel(point), 6)
        page.mouse.click(*board.place(second_pixel(point)))
        until(lambda k=n: len(ties(page, halt, k)[k - 1]["seen"]) == 2)
        if surface:
            page.locator("[data-ties] tbody tr").nth(n - 1).locator("select").select_option(surface)
            until(lambda k=n, s=surface: ties(page, halt, k)[k - 1]["surface"] == s)
    joined = photo(page, halt, "from-the-hut")
    assert joined["problem"] is None
    assert np.linalg.norm(np.array(joined["camera"]["position"]) - SECOND.position) < 0.5

    # ten corners that nobody clicked: where the solved camera sees them, and where the photo shows them
    roof, roof_hi = np.array(truth.HOUSE_ROOF["lo"]), np.array(truth.HOUSE_ROOF["hi"])
    canopy, canopy_hi = np.array(truth.CANOPY["lo"]), np.array(truth.CANOPY["hi"])
    held = [
        (lo[0], lo[1], hi[2]), (lo[0], hi[1], hi[2]), (hi[0], hi[1], lo[2]), (roof_hi[0], roof[1], roof_hi[2]),
        (roof[0], roof[1], roof_hi[2]), (canopy_hi[0], canopy_hi[1], canopy_hi[2]),
        (canopy[0], canopy_hi[1], canopy_hi[2]), (hut_hi[0], hut[1], hut_hi[2]),
        (hut[0], hut_hi[1], hut_hi[2]), (hut_hi[0], hut_hi[1], hut_hi[2]),
    ]  # fmt: skip
    home = photo(page, halt, "platform-side")["camera"]
    off = [reprojected(home, joined["camera"], p) for p in held]
    print("held-back corners off by", np.round(off, 2), "mean", np.mean(off))
    assert np.mean(off) < 1.5
    # in the true world, whose scale and origin the one tape and the datum tell only as well as a hand can set them
    assert np.mean([np.linalg.norm(seen(joined["camera"], p) - second_pixel(p)) for p in held]) < 8

    # held against the first photo, thrown over the geometry
    page.select_option("[data-compare]", "platform-side")
    page.wait_for_selector("[data-compared][data-shown=true]", timeout=60_000)
    source = page.locator("[data-compared]").get_attribute("src")
    picture = np.asarray(Image.open(io.BytesIO(page.request.get(source).body())))
    straight = Image.open(
        io.BytesIO(page.request.get(f"/api/shots/{halt}/photos/from-the-hut/picture?width=1600&straight=true").body())
    ).convert("RGB")
    own = np.asarray(straight.resize((picture.shape[1], picture.shape[0])), dtype=float)
    # the walls stand where the second photo has them: anywhere else the two pictures are less alike
    there = picture[..., 3] > 250
    assert 0.2 < there.mean() < 0.99
    there[: int(0.25 * len(there))] = there[int(0.62 * len(there)) :] = False  # without the sky and the gravel
    here = alike(picture, own, there, 0, 0)
    for dx, dy in ((-20, 0), (20, 0), (0, -6), (0, 6)):
        assert here > alike(picture, own, there, dx, dy) + 0.03, (dx, dy)
    for how in ("Blink", "Difference", "Wipe"):
        page.get_by_role("button", name=how).click()
        expect(page.get_by_role("button", name=how)).to_have_attribute("aria-pressed", "true")
    page.get_by_role("slider", name="Where the wipe stands").press("ArrowLeft")
    page.keyboard.press("Control+z")  # undone also here: the last point's surface
    until(lambda: state(page, halt)["shot"]["ties"][4]["surface"] is None)


def alike(picture: np.ndarray, own: np.ndarray, there: np.ndarray, dx: int, dy: int) -> float:
    """Correlation of two pictures' brightness where one has something, the other shifted by some pixels."""
    a = gaussian_filter(picture[..., :3].astype(float).mean(2), 1)
    b = np.roll(gaussian_filter(own.mean(2), 1), (dy, dx), (0, 1))
    mask = binary_erosion(there, iterations=12)
    return float(np.corrcoef(a[mask], b[mask])[0, 1])


def test_a_drawn_edge_snaps_and_a_faulty_one_is_left_out(page, halt):
    board = Board(page)
    before = photo(page, halt, "platform-side")["survey"]["edges"]
    # along the hut's left upright edge, two pixels beside it
    hut, hi = truth.HUT["lo"], truth.HUT["hi"]
    a, b = (first_pixel((hut[0], y, hi[2])) for y in (1.3, 3.3))
    page.click("[data-tool=rise]")
    board.zoom_to((a + b) / 2, 6)
    beside = np.array([2.5, 0.0])
    board.drag(a + beside, b + beside)
    until(lambda: len(photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) + 1)
    laid = np.array(photo(page, halt, "platform-side")["survey"]["edges"][-1]["points"])
    normal = np.array([(b - a)[1], -(b - a)[0]]) / np.linalg.norm(b - a)
    assert np.abs((laid - a) @ normal).max() < 1.2
    # the same with Alt held stays where the hand was
    page.keyboard.down("Alt")
    board.drag(a - 3 * beside, b - 3 * beside)
    page.keyboard.up("Alt")
    until(lambda: len(photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) + 2)
    free = np.array(photo(page, halt, "platform-side")["survey"]["edges"][-1]["points"])
    assert np.abs(free - np.stack([a, b]) + 3 * beside).max() < 1.0
    # an edge that is no Rise at all: it is left out, said so, and removed with one button
    board.fit()
    page.keyboard.down("Alt")
    board.drag(np.array([600.0, 1500.0]), np.array([1500.0, 1900.0]))
    page.keyboard.up("Alt")
    until(lambda: len(photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) + 3)
    weights = [e["weight"] for e in photo(page, halt, "platform-side")["result"]["edges"]]
    assert weights[-1] < 0.05 and min(weights[:-1]) > 0.5
    expect(page.locator("[data-edges]")).to_contain_text("left out")
    page.click("[data-leave-out]")
    until(lambda: len(photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) + 2)
    # advice names a place; following it is one click away
    page.locator("[data-advice] tbody tr").first.click()
    expect(page.locator(".hint")).to_be_visible()
    # a length on the ground, with its error, as long as the tool is at hand
    page.keyboard.press("Escape")
    page.click("[data-tool=measure]")
    board.fit()
    p, q = (first_pixel(v) for v in ((-2.0, 0, 4.0), (6.0, 0, 3.0)))
    board.drag(p, q)
    page.wait_for_selector("[data-measure] text:has-text('± 0.')")
    told = page.locator("[data-measure] text")
    until(lambda: abs(float(told.text_content().split(" ")[0]) - np.hypot(8, 1)) < 0.25)
    assert "on the ground" in told.text_content()
    # a further point by a double click, an edge of no direction by its key
    page.keyboard.press("Escape")
    page.click("[data-tool=run]")
    p, q = (np.array(v) for v in photo(page, halt, "platform-side")["survey"]["edges"][0]["points"])
    page.mouse.dblclick(*board.place(0.4 * p + 0.6 * q))
    until(lambda: any(len(e["points"]) == 3 for e in photo(page, halt, "platform-side")["survey"]["edges"]))
    page.keyboard.press("s")
    until(lambda: any(e["family"] is None for e in photo(page, halt, "platform-side")["survey"]["edges"]))


def test_several_edges_are_chosen_turned_split_and_removed(page, halt):
    board = Board(page)
    before = photo(page, halt, "platform-side")["survey"]["edges"]
    # a box drawn with Shift held takes what it touches
    page.keyboard.down("Shift")
    board.drag(np.array([-5.0, -5.0]), np.array([3195.0, 2095.0]))
    page.keyboard.up("Shift")
    told = page.locator("[data-selected]")
    expect(told).to_have_text(f"{len(before)} edges chosen")
    # a click with Shift held takes one away again
    middle = np.mean(before[0]["points"], axis=0)
    page.keyboard.down("Shift")
    page.mouse.click(*board.place(middle))
    page.keyboard.up("Shift")
    expect(told).to_have_text(f"{len(before) - 1} edges chosen")
    page.keyboard.press("Escape")
    expect(told).to_have_count(0)
    # two of them: another direction for both in one step, and back with one undo
    rows = page.locator("[data-edges] tbody tr")
    rows.nth(0).click()
    rows.nth(1).click(modifiers=["Shift"])
    expect(told).to_have_text("2 edges chosen")
    page.locator(".picture").focus()
    page.keyboard.press("s")
    until(lambda: sum(e["family"] is None for e in photo(page, halt, "platform-side")["survey"]["edges"]) == 2)
    page.keyboard.press("Control+z")
    until(lambda: photo(page, halt, "platform-side")["survey"]["edges"] == before)
    # split at the pointer: two edges on the same line, which meet there
    page.keyboard.press("Escape")
    longest = max(before, key=lambda e: np.linalg.norm(np.subtract(*e["points"][::-1])))
    a, b = np.array(longest["points"])
    page.click(f"[data-tool={longest['family']}]")
    board.zoom_to(0.65 * a + 0.35 * b, 2)
    page.mouse.click(*board.place(0.65 * a + 0.35 * b))
    page.keyboard.press("x")
    got = until(lambda: len(e := photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) + 1 and e)
    half = next(e for e in got if e["id"] == longest["id"])
    (rest,) = (e for e in got if e["id"] not in {e["id"] for e in before})
    assert half["points"][1] == rest["points"][0] and half["family"] == rest["family"]
    assert np.linalg.norm(np.array(half["points"][1]) - (0.65 * a + 0.35 * b)) < 4
    assert half["points"][0] == longest["points"][0] and rest["points"][1] == longest["points"][1]
    expect(told).to_have_text("2 edges chosen")
    page.keyboard.press("Delete")
    until(lambda: len(photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) - 1)


def test_hands_may_be_faster_than_answers(page, halt):
    """Each answer is held back: what is done meanwhile builds on what has been asked, and nothing is lost."""
    before = photo(page, halt, "platform-side")["survey"]["edges"]
    limits = state(page, halt)["shot"]["limits"]
    waiting, sent = [], []

    def hold(route):
        waiting.append(route)

    def let_go(count):
        """Answer what is waiting, one by one, until so many have been asked in all; never two are under way."""
        while len(sent) < count:
            page.wait_for_timeout(60)
            assert len(waiting) <= 1
            if waiting:
                sent.append(waiting.pop())
                sent[-1].continue_()

    page.route("**/survey?label=*", hold)
    page.route("**/limits", hold)
    page.route("**/keys/*", hold)
    rows = page.locator("[data-edges] tbody tr")

    def choose(row):
        rows.nth(row).click()
        page.locator(".picture").focus()
        chosen = page.locator("g.edge.chosen")
        expect(chosen).to_have_count(1)
        return int(chosen.get_attribute("data-edge"))

    # an edge is split, both halves are left out before the split is known, and another edge is turned
    out = choose(3)
    page.keyboard.press("x")
    expect(page.locator("g[data-edge]")).to_have_count(len(before) + 1)
    page.keyboard.press("Delete")
    expect(page.locator("g[data-edge]")).to_have_count(len(before) - 1)
    turned = choose(0)
    page.keyboard.press("s")
    let_go(3)
    wanted = [e for i, e in enumerate(before) if i != out]
    wanted[turned] = {**wanted[turned], "family": None}
    until(lambda: photo(page, halt, "platform-side")["survey"]["edges"] == wanted)
    for _ in range(3):
        page.keyboard.press("Control+z")
    until(lambda: photo(page, halt, "platform-side")["survey"]["edges"] == before)
    # figures, one after the other
    page.click("[data-stage=move]")
    for label, value in (
        ("Stretch", "1.7"),
        ("Magnification", "3.5"),
        ("Pan", "3"),
        ("Tilt", "-2"),
        ("At rise", "1.9"),
    ):
        field = page.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Tab")
    let_go(8)
    until(lambda: state(page, halt)["shot"]["limits"] == {**limits, "stretch": 1.7, "magnification": 3.5})

    def camera():
        cameras = page.request.get(f"/api/shots/{halt}/path").json()["cameras"]
        return next(c for c in cameras if c["frame"] == 1)

    def close(c):
        return np.allclose([c["pan_deg"], c["tilt_deg"], c["position"][1]], [3, -2, 1.9], atol=1e-6)

    until(lambda: close(camera()))


def test_found_edges_are_said_otherwise_before_they_are_taken(page, halt):
    page.click("[data-photo=from-the-hut]")
    page.click("[data-find]")
    bar = page.locator("[data-found-bar]")
    bar.wait_for(timeout=60_000)
    risers = page.locator("[data-found] polyline.rise")
    count = risers.count()
    points = [[float(v) for v in p.split(",")] for p in risers.first.get_attribute("points").split()]
    box = page.locator(".picture").bounding_box()
    page.mouse.move(*(np.mean([points[0], points[-1]], axis=0) + [box["x"], box["y"]]))
    with page.expect_response(lambda r: r.url.endswith("/survey/try")) as answer:
        page.keyboard.press("s")
    expect(risers).to_have_count(count - 1)
    # the camera follows: solved anew without that edge's direction
    asked = answer.value.request.post_data_json
    assert sum(e["family"] == "rise" for e in asked["edges"]) == count - 1
    result = answer.value.json()["result"]
    millimetres = result["camera"]["focal_px"] * 36 / result["camera"]["width"]
    expect(bar).to_contain_text(f"f {millimetres:.2f} ±")
    assert photo(page, halt, "from-the-hut")["survey"]["edges"] == []
    page.click("[data-take]")
    kept = until(lambda: photo(page, halt, "from-the-hut")["survey"]["edges"])
    assert sum(e["family"] is None for e in kept) == 1


def test_ceiling_and_plumb_lines_lie_where_the_place_has_them(page, halt):
    """The grid at the canopy's height runs along its true edge; a plumb line along the hut's corner."""
    page.select_option("[aria-label='Which grid is shown']", "ceiling")
    level = truth.HUT["hi"][1]
    page.fill("[aria-label='Ceiling’s height']", f"{level}")
    page.wait_for_selector("[data-grid]")
    lines = page.locator("[data-grid]").get_attribute("d")
    camera = view_of(photo(page, halt, "platform-side")["camera"])
    board = Board(page)

    def off(path, place):
        """Pixels of the screen between a spot and the nearest of a path's lines."""
        spot = np.array(board.place(place)) - [board.svg.bounding_box()[k] for k in ("x", "y")]
        least = np.inf
        for part in path.split("M")[1:]:
            p, q = (np.array([float(v) for v in e.split()]) for e in part.split("L"))
            d = (q - p) / max(np.linalg.norm(q - p), 1e-9)
            least = min(least, abs(d[0] * (spot - p)[1] - d[1] * (spot - p)[0]))
        return least

    for x, z in ((2.0, -3.0), (4.0, -5.0)):
        assert off(lines, camera.project(np.array([x, level, z]))) < 1.0
    assert off(lines, camera.project(np.array([2.5, level, -3.0]))) < 1.0  # on a line of whole z
    page.click("[data-tool=measure]")
    p, q = (camera.project(np.array(v)) for v in ((0.0, level, -6.0), (6.0, level, -6.0)))
    board.drag(p, q)
    page.wait_for_selector("[data-measure] text:has-text('on the ceiling')")
    until(lambda: abs(float(page.locator("[data-measure] text").text_content().split(" ")[0]) - 6) < 0.05)
    page.get_by_label("Plumb lines").check()
    hut, hi = truth.HUT["lo"], truth.HUT["hi"]
    foot, head = (first_pixel((hut[0], y, hi[2])) for y in (1.3, 3.3))
    page.mouse.move(*board.place(foot))
    expect(page.locator("path.here")).to_have_count(1)
    assert off(page.locator("path.here").get_attribute("d"), head) < 1.5
    assert page.locator("[data-plumb]").get_attribute("d").count("M") == 9


def test_a_facade_at_an_odd_angle_has_a_run_of_its_own_and_a_wall_along_it(page, halt):
    """Three level edges 31° off Run, by their key; then a wall, drawn a little beside that direction."""
    board = Board(page)
    before = photo(page, halt, "platform-side")["survey"]["edges"]
    focal = photo(page, halt, "platform-side")["camera"]["focal_px"]
    way = np.array([np.cos(np.radians(31)), 0, -np.sin(np.radians(31))])
    page.locator(".picture").focus()
    page.keyboard.press("a")
    expect(page.locator("[data-tool=second]")).to_have_attribute("aria-pressed", "true")
    page.keyboard.down("Alt")
    for n, start in enumerate([(-4.0, 0.0, 3.0), (-2.0, 2.5, 1.0), (0.0, 0.4, 4.0)], 1):
        a, b = (first_pixel(np.array(start) + k * way) for k in (0, 4))
        board.drag(a, b)
        until(lambda n=n: len(photo(page, halt, "platform-side")["survey"]["edges"]) == len(before) + n)
    page.keyboard.up("Alt")
    found = photo(page, halt, "platform-side")["result"]["second_run"]
    assert abs(found["angle_deg"] - 31) < 3 * found["sigma_deg"] + 0.5
    assert photo(page, halt, "platform-side")["camera"]["focal_px"] == pytest.approx(focal, rel=0.01)
    expect(page.locator("[data-second-run]")).to_contain_text(f"{found['angle_deg']:.1f} ±")
    page.click("[data-stage=massing]")
    page.click("[data-view=lens]")
    solids = len(state(page, halt)["shot"]["solids"])
    page.click("[data-tool=wall]")
    board.fit()
    foot = np.array([-4.0, 0.0, 4.0])
    beside = np.array([np.cos(np.radians(32.5)), 0, -np.sin(np.radians(32.5))])
    a, b, top = (first_pixel(p) for p in (foot, foot + 3 * beside, foot + 3 * beside + [0, 2.0, 0]))
    board.drag(a, b)
    page.mouse.click(*board.place(top))
    until(lambda: len(state(page, halt)["shot"]["solids"]) == solids + 1)
    wall = state(page, halt)["shot"]["solids"][-1]
    run, back = np.subtract(wall["b"], wall["a"])
    drawn = np.degrees(np.arctan2(-back, run)) % 180
    assert drawn == pytest.approx(found["angle_deg"], abs=0.02)
