"""Massing by hand: the whole demo place from an empty shot, an interior, editing, a mesh brought in."""

from __future__ import annotations

import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import expect
from tests.e2e.board import state, until
from tests.e2e.building import (
    HOME,
    Hand,
    T,
    block,
    corners_of,
    count,
    figure,
    named,
    off,
    rename,
    seen,
    solids,
)


def test_the_demo_place_is_built_through_its_photo(page, running, yard):
    address, _ = running
    shot, ident = yard
    hand = Hand(page)
    page.keyboard.press("g")
    count(page, shot, 1)
    block(page, hand, (-9.5, 0, 0), (19.0, 0, -8.0), 0.86)  # as far as the photo shows it
    count(page, shot, 2)
    rename(page, shot, "Platform")
    low = T.PLATFORM["lo"]
    assert off(named(page, shot, "Platform"), (-9.5, *low[1:]), T.PLATFORM["hi"]) < 0.2  # its far end is 35 m off
    figure(page, "Along run", T.PLATFORM["hi"][0] - low[0])
    figure(page, "At run", low[0])
    # the house stands on the platform: the foot lands on its top
    lo, hi = T.HOUSE["lo"], T.HOUSE["hi"]
    block(page, hand, (lo[0], lo[1], hi[2]), (hi[0], lo[1], lo[2]), hi[1])
    count(page, shot, 3)
    rename(page, shot, "House")
    assert off(named(page, shot, "House"), lo, hi) < 0.10
    # a roof on it, its ridge pulled, then its eaves dragged out and the rest typed
    page.keyboard.press("r")
    rlo, rhi = T.HOUSE_ROOF["lo"], T.HOUSE_ROOF["hi"]
    middle = (rlo[2] + rhi[2]) / 2
    hand.click_finely(seen((lo[0] + 1.0, 2.0, hi[2])))
    hand.click_finely(seen((lo[0], rhi[1], (lo[2] + hi[2]) / 2)))
    count(page, shot, 4)
    rename(page, shot, "House roof")
    hand.drag_finely(seen((lo[0], hi[1], hi[2])), seen((rlo[0], hi[1], hi[2])))
    until(lambda: abs(named(page, shot, "House roof").corner[0] - rlo[0]) < 0.05)
    expect(page.get_by_label("At run", exact=True)).to_have_value(re.compile(r"-3\.8"))
    figure(page, "Along run", rhi[0] - rlo[0])
    figure(page, "At return", rlo[2])
    figure(page, "Along return", rhi[2] - rlo[2])
    until(lambda: abs(named(page, shot, "House roof").size[2] - (rhi[2] - rlo[2])) < 1e-6)
    ridge = corners_of(named(page, shot, "House roof"))
    for x in (rlo[0], rhi[0]):
        assert np.min(np.linalg.norm(ridge - [x, rhi[1], middle], axis=1)) < 0.10
    # the canopy, drawn up from the platform, its underside pulled up; one post, repeated three times
    c, px = T.CANOPY, T.POSTS_X
    block(page, hand, (c["lo"][0], 0.86, c["hi"][2]), (c["hi"][0], 0.86, c["lo"][2]), c["hi"][1])
    count(page, shot, 5)
    rename(page, shot, "Canopy")
    foot = (c["lo"][0], 0.86, c["hi"][2])
    hand.drag_finely(seen(foot), seen((foot[0], c["lo"][1], foot[2])))
    until(lambda: named(page, shot, "Canopy").corner[1] > 3.0)
    assert off(named(page, shot, "Canopy"), c["lo"], c["hi"]) < 0.10
    z, r = T.POST_Z, 0.08
    block(page, hand, (px[0] - r, 0.86, z + r), (px[0] + r, 0.86, z - r), c["lo"][1])
    count(page, shot, 6)
    rename(page, shot, "Post")
    page.locator("[data-repeat-box] summary").click()
    figure(page, "Step along run", (px[3] - px[0]) / 3)
    figure(page, "Times", 3)
    page.click("[data-repeat]")
    count(page, shot, 9)
    expect(page.locator("[data-solids] tr.chosen .piece")).to_have_text(["Post 2", "Post 3", "Post 4"])
    assert {"Post", "Post 2", "Post 3", "Post 4"} <= {s.name for s in solids(page, shot)}
    for name, x in zip(("Post", "Post 2", "Post 3", "Post 4"), px, strict=True):
        assert off(named(page, shot, name), (x - r, 0.86, z - r), (x + r, c["lo"][1], z + r)) < 0.10
    # hut
    lo, hi = T.HUT["lo"], T.HUT["hi"]
    block(page, hand, (lo[0], lo[1], hi[2]), (hi[0], lo[1], lo[2]), hi[1])
    count(page, shot, 10)
    rename(page, shot, "Hut")
    assert off(named(page, shot, "Hut"), lo, hi) < 0.10
    # the water tower's foot is behind the platform: that is hidden while the tower is drawn
    page.click("[aria-label='Hide Platform']")
    until(lambda: named(page, shot, "Platform").hidden)
    w = T.TOWER
    eye = HOME.position * [1, 0, 1]
    centre = np.array([w["centre"][0], 0.0, w["centre"][1]])
    away = float(np.linalg.norm(centre - eye))
    half = np.arcsin(w["foot_radius"] / away)
    d = (centre - eye) / away
    touch = [
        eye
        + away * np.cos(half) * np.array([np.cos(a) * d[0] - np.sin(a) * d[2], 0, np.sin(a) * d[0] + np.cos(a) * d[2]])
        for a in (-half, half)
    ]
    page.keyboard.press("o")
    hand.drag_finely(seen(touch[0]), seen(touch[1]))
    hand.click_finely(seen((centre[0], w["y1"], centre[2])))
    count(page, shot, 11)
    rename(page, shot, "Water tower")
    figure(page, "Radius at top", w["top_radius"])
    tower = until(lambda: (t := named(page, shot, "Water tower")) and abs(t.radius_top - w["top_radius"]) < 1e-6 and t)
    assert np.linalg.norm(np.array(tower.foot) - centre) < 0.10
    assert abs(tower.radius_foot - w["foot_radius"]) < 0.05 and abs(tower.height - w["y1"]) < 0.10
    page.click("[aria-label='Show Platform']")
    until(lambda: not named(page, shot, "Platform").hidden)
    # two cut-outs with plates of their own
    t, lamp = T.TROLLEY, T.LAMP["foot"]
    for name, low, high in (
        ("Trolley", t["lo"], t["hi"]),
        ("Lamp", (lamp[0] - 0.3, 0, lamp[2] - 0.1), (lamp[0] + 0.3, T.LAMP["height"], lamp[2] + 0.1)),
    ):
        p = seen([(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        hull = cv2.convexHull(p.astype(np.float32))[:, 0].tolist()
        got = page.request.post(
            f"{address}/api/shots/{shot}/plates", data={"photo": ident, "name": name, "outline": {"points": hull}}
        )
        assert got.ok, got.text()
    page.reload()
    page.wait_for_selector("[data-tool=flat]")
    page.click("[data-view=lens]")
    for n, (name, foot) in enumerate((("Trolley", ((t["lo"][0] + t["hi"][0]) / 2, 0, 7.0)), ("Lamp", lamp)), 12):
        page.keyboard.press("a")
        page.select_option("[aria-label='Plate for the flat']", label=name)
        page.locator(".picture").focus()
        hand.click_finely(seen(foot))
        count(page, shot, n)
        rename(page, shot, f"{name} flat")
        assert np.linalg.norm(np.array(named(page, shot, f"{name} flat").foot) - np.array(foot, float)) < 0.10
    page.keyboard.press("d")
    count(page, shot, 14)
    figure(page, "Distance", 62)
    page.select_option("[aria-label='What the lens view shows']", "cover")
    told = page.locator("[data-cover]")
    expect(told).to_be_visible()
    assert float(told.text_content().split(" ")[0]) >= 98
    # it is all there after a reload, and the last step can be undone
    before = [s.name for s in solids(page, shot)]
    page.reload()
    page.wait_for_selector("[data-solids]")
    assert page.locator("[data-solids] .piece").all_text_contents() == before
    page.keyboard.press("Control+z")
    until(lambda: abs(solids(page, shot)[-1].distance - 62) > 1)


def test_pieces_are_dragged_arranged_and_looked_at(page, running, yard):
    shot, _ = yard
    hand = Hand(page)
    page.keyboard.press("g")
    count(page, shot, 1)
    block(page, hand, (-3.0, 0, 4.0), (0.0, 0, 2.0), 1.5)
    count(page, shot, 2)
    piece = solids(page, shot)[1]
    # a face follows the hand along its normal
    front = np.array(piece.corner) + np.array(piece.size) * [0.5, 0.5, 1.0]
    hand.drag_finely(seen(front), seen(front + [0, 0, 0.8]))
    moved = until(lambda: (s := solids(page, shot)[1]).size[2] > piece.size[2] + 0.5 and s)
    assert moved.size[2] == pytest.approx(piece.size[2] + 0.8, abs=0.03) and moved.size[0] == piece.size[0]
    # a side's middle: the top's front edge, up
    edge = np.array(moved.corner) + np.array(moved.size) * [0.5, 1.0, 1.0]
    hand.drag_finely(seen(edge), seen(edge + [0, 0.5, 0]))
    until(lambda: abs(solids(page, shot)[1].size[1] - (moved.size[1] + 0.5)) < 0.03)
    # in plan: the whole piece, then a corner
    hand.fit()
    page.click("[data-view=plan]")
    page.wait_for_selector("[data-plan-corner]")
    page.wait_for_timeout(400)  # until the view has its size
    before = solids(page, shot)[1]
    box = page.locator(f"[data-plan='{before.id}'] .grip").bounding_box()
    k = float(page.locator(".plan svg").get_attribute("data-scale")) * 100
    page.mouse.move(box["x"] + box["width"] / 3, box["y"] + box["height"] / 3)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 3 + 2 * k, box["y"] + box["height"] / 3, steps=5)
    page.mouse.up()
    until(lambda: abs(solids(page, shot)[1].corner[0] - before.corner[0] - 2) < 0.1)
    # keys and the list: copy, choose both, group, hide, lock
    page.keyboard.press("Control+d")
    count(page, shot, 3)
    page.locator("[data-solids] tr").nth(1).click()
    page.locator("[data-solids] tr").nth(2).click(modifiers=["Shift"])
    page.get_by_text("Group and tags").click()
    page.get_by_label("Group", exact=True).fill("Crates")
    page.get_by_label("Group", exact=True).press("Enter")
    until(lambda: [s.group for s in solids(page, shot)] == [None, "Crates", "Crates"])
    page.locator("[data-solids] tr").nth(0).click()
    page.locator("[data-solids] tr").nth(1).click()
    expect(page.locator("[data-solids] tr.chosen")).to_have_count(2)  # a group is taken as one
    ids = [s.id for s in solids(page, shot)]
    page.click("[data-view=lens]")
    page.get_by_label(f"Lock {solids(page, shot)[1].name}").click()
    until(lambda: solids(page, shot)[1].locked)
    page.locator(".picture").focus()
    # depth under the pointer, and files of it
    page.select_option("[aria-label='What the lens view shows']", "depth")
    page.wait_for_selector("[data-looks] a")
    spot = np.array([2.0, 0, 6.0])
    page.mouse.move(*hand.place(seen(spot)))
    told = page.locator("[data-depth]")
    expect(told).to_contain_text("m deep")
    wanted = float(HOME.rotation[2] @ (spot - HOME.position))
    until(lambda: abs(float(told.text_content().split(" ")[0]) - wanted) < 0.3)
    with page.expect_download() as got:
        page.get_by_text("Save OpenEXR").click()
    import OpenEXR

    depth = OpenEXR.File(str(got.value.path())).channels()["Z"].pixels
    assert depth.shape == (2160, 3240)
    u, v = seen(spot)
    assert depth[int(v), int(u)] == pytest.approx(wanted, rel=0.01)
    # orbit turns by the mouse
    page.click("[data-view=orbit]")
    page.wait_for_selector("[data-orbit] canvas[data-drawn]", timeout=60_000)
    pan = page.locator("[data-orbit]").get_attribute("data-pan")
    box = page.locator("[data-orbit]").bounding_box()
    page.mouse.move(box["x"] + 300, box["y"] + 300)
    page.mouse.down()
    page.mouse.move(box["x"] + 400, box["y"] + 300, steps=3)
    page.mouse.up()
    assert page.locator("[data-orbit]").get_attribute("data-pan") != pan
    assert [s.id for s in solids(page, shot)] == ids


def test_every_tool_has_its_key(page, yard):
    tools = page.locator("[data-tool]")
    for n in range(tools.count()):
        button = tools.nth(n)
        ident = button.get_attribute("data-tool")
        if ident in ("ground", "backdrop"):
            continue
        key = button.get_attribute("title").split("(")[1].split(")")[0]
        page.locator(".picture").focus()
        page.keyboard.press(key.lower())
        expect(button).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("Escape")
        expect(page.locator("[data-tool=choose]")).to_have_attribute("aria-pressed", "true")


def sphere(rings: int, sectors: int) -> bytes:
    """An OBJ of a bumpy ball, 2 · rings · sectors triangles about the point (2, 1, 2)."""
    a = np.linspace(0.02, np.pi - 0.02, rings + 1)
    b = np.linspace(0, 2 * np.pi, sectors, endpoint=False)
    r = 1 + 0.03 * np.sin(9 * a)[:, None] * np.cos(7 * b)[None]
    v = np.stack(
        [
            2 + r * np.sin(a)[:, None] * np.cos(b),
            1 + r * np.cos(a)[:, None] * np.ones_like(b),
            2 + r * np.sin(a)[:, None] * np.sin(b),
        ],
        axis=-1,
    ).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(rings), np.arange(sectors), indexing="ij")
    k = (j + 1) % sectors
    p, q, s, t = i * sectors + j, i * sectors + k, (i + 1) * sectors + k, (i + 1) * sectors + j
    f = np.concatenate([np.stack([p, q, s], -1).reshape(-1, 3), np.stack([p, s, t], -1).reshape(-1, 3)]) + 1
    lines = [f"v {a:.5f} {b:.5f} {c:.5f}" for a, b, c in v.tolist()] + [f"f {a} {b} {c}" for a, b, c in f.tolist()]
    return "\n".join(lines).encode()


def test_a_large_mesh_is_brought_in_and_a_broken_one_refused(page, running, yard):
    address, _ = running
    shot, _ = yard
    page.keyboard.press("g")
    count(page, shot, 1)
    page.set_input_files("[data-mesh-file]", {"name": "Ball.obj", "mimeType": "text/plain", "buffer": sphere(250, 400)})
    until(lambda: len(solids(page, shot)) == 2, 90)
    ball = named(page, shot, "Ball")
    assert ball.triangles == 200_000
    expect(page.locator(".ledger")).to_contain_text("200,000 triangles")
    # shown from any side; thrown upon and checked at home
    page.click("[data-view=orbit]")
    page.wait_for_selector("[data-orbit] canvas[data-drawn]", timeout=120_000)
    throws = state(page, shot)["shot"]["throws"]
    assert any(ball.id in t["targets"] for t in throws)
    at = np.array([2.0, 1.0, 2.0])
    u, v = HOME.project(at)
    frame = {"scale": 1.6875, "centre": [1620, 1080]}
    x, y = (u - 1620) / frame["scale"] + 960, (v - 1080) / frame["scale"] + 540
    story = page.request.get(f"{address}/api/shots/{shot}/frames/1/probe?x={x}&y={y}", timeout=120_000).json()
    assert story["surface"].startswith(f"{ball.id}/") and story["verdict"] == "sound"
    assert abs(story["stretch"] - 1) < 1e-6
    # a file that is none is refused where it was given, and what stands stays
    for name, content, says in (
        ("Broken.glb", b"glTF\x02\x00\x00\x00 not one at all", "cannot be read"),
        ("Empty.obj", b"v 0 0 0\nv 1 0 0\n", "no faces"),
        ("Notes.obj", b"hello", "no mesh"),
    ):
        page.set_input_files("[data-mesh-file]", {"name": name, "mimeType": "text/plain", "buffer": content})
        expect(page.locator("[role=alert]")).to_contain_text(says)
    assert len(solids(page, shot)) == 2


def test_walls_go_round_the_corner_and_outlines_are_closed(page, yard):
    shot, _ = yard
    hand = Hand(page)
    page.keyboard.press("g")
    count(page, shot, 1)
    # a wall, then on round the corner with one click, as high; Escape ends it
    page.keyboard.press("w")
    hand.drag_finely(seen((-5.0, 0, 5.0)), seen((-1.0, 0, 5.0)))
    hand.click_finely(seen((-1.0, 2.0, 5.0)))
    count(page, shot, 2)
    hand.click_finely(seen((-1.0, 0, 2.0)))
    count(page, shot, 3)
    page.keyboard.press("Escape")
    first, second = solids(page, shot)[1:]
    assert first.height == pytest.approx(2.0, abs=0.02) and second.height == pytest.approx(first.height, abs=0.02)
    ends = [np.array(w) for w in (second.a, second.b)]
    assert min(np.linalg.norm(e - np.array([-1.0, 5.0])) for e in ends) < 0.03
    assert min(np.linalg.norm(e - np.array([-1.0, 2.0])) for e in ends) < 0.03
    # a wall raised from an edge that stands already, by a click on it
    page.keyboard.press("w")
    hand.click_finely(seen((-3.0, 2.0, 5.0)))
    expect(page.locator("[data-hint]")).to_contain_text("Move up")
    hand.click_finely(seen((-5.0, 3.1, 5.0)))
    count(page, shot, 4)
    page.keyboard.press("Escape")
    raised = solids(page, shot)[3]
    assert raised.base == pytest.approx(2.0, abs=0.02) and raised.height == pytest.approx(1.1, abs=0.03)
    # a slab by three corners, closed with Enter, pulled up; two corners are not enough
    page.keyboard.press("l")
    outline = [(-6.0, 0, 8.0), (-4.5, 0, 8.0), (-5.0, 0, 7.0)]
    for n, p in enumerate(outline):
        hand.click_finely(seen(p))
        if n == 1:
            page.keyboard.press("Enter")
            expect(page.locator("[data-hint]")).to_contain_text("Three corners")
    page.keyboard.press("Enter")
    hand.click_finely(seen((-5.0, 0.4, 7.0)))
    count(page, shot, 5)
    slab = solids(page, shot)[4]
    assert slab.thickness == pytest.approx(0.4, abs=0.02) and slab.level == pytest.approx(0.4, abs=0.02)
    assert np.allclose(slab.outline, [(x, z) for x, _, z in outline], atol=0.03)
    # a panel on a wall's face, closed by a double click's second half: here by Enter
    page.keyboard.press("p")
    for p in ((-4.5, 0.5, 5.0), (-3.5, 0.5, 5.0), (-4.0, 1.5, 5.0)):
        hand.click_finely(seen(p))
        page.wait_for_timeout(150)
    page.keyboard.press("Enter")
    count(page, shot, 6)
    panel = np.array(solids(page, shot)[5].points)
    assert np.abs(panel[:, 2] - 5.0).max() < 0.03
    # steps, as many as their height asks for
    page.keyboard.press("t")
    hand.drag_finely(seen((1.5, 0, 6.0)), seen((3.0, 0, 5.0)))
    hand.click_finely(seen((3.0, 0.7, 5.0)))
    count(page, shot, 7)
    flight = solids(page, shot)[6]
    assert flight.kind == "steps" and flight.count == 4
    # all of it in one list, found by a word
    page.keyboard.press("Escape")
    page.locator("[data-solids] tr").nth(1).click()
    page.locator("[data-solids] tr").nth(6).click(modifiers=["Shift"])
    page.locator(".picture").focus()
    page.keyboard.press("Delete")
    count(page, shot, 5)
    page.keyboard.press("Control+z")
    count(page, shot, 7)
