"""Massing by hand: the whole demo place from an empty shot, an interior, editing, a mesh brought in."""

from __future__ import annotations

import io
import re

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from tests.conftest import looking
from tests.e2e.test_line import Board, state, until
from tools.varrow import truth

from roofline.core.massing.kinds import Room
from roofline.core.massing.solids import faces_of
from roofline.demo.shot import FOLDER
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
    got = page.request.put(f"{address}/api/shots/{shot}/photos/{ident}/survey", data=survey)
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


@pytest.fixture
def yard(page, running):
    address, _ = running
    h, hut = T.HOUSE, T.HUT
    lines = [
        ("run", (-9.5, 0.86, 0.0), (9.0, 0.86, 0.0)),
        ("run", (-8.0, 0.0, 3.0), (4.5, 0.0, 3.0)),
        ("run", (h["lo"][0], h["hi"][1], h["hi"][2]), h["hi"]),
        ("return", (h["lo"][0], 4.74, -2.7), (h["lo"][0], 4.74, -7.4)),
        ("return", (10.4, 0.86, -3.0), (10.4, 0.86, -6.1)),
        ("return", (-9.5, 0.0, 9.0), (-9.5, 0.0, -3.0)),
        ("rise", (h["lo"][0], 0.86, -2.7), (h["lo"][0], 4.74, -2.7)),
        ("rise", (hut["hi"][0], 0.86, -3.0), (hut["hi"][0], 3.72, -3.0)),
        ("rise", (-9.3, 0, -9.0), (-9.3, 7, -9.0)),
    ]
    photo = (FOLDER / "photos" / "platform-side.jpg").read_bytes()
    lx, _, lz = T.LAMP["foot"]
    tape = ((lx, 0.0, lz), (lx, T.LAMP["height"], lz))
    shot, ident = new_shot(page, address, photo, "platform-side.jpg", surveyed(HOME, lines, tape))
    return shot, ident


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
    expect(page.locator("[data-solids] tr.chosen")).to_have_attribute("data-piece", solids(page, shot)[-1].id)
    page.fill("[aria-label=Name]", name)
    page.keyboard.press("Enter")
    page.locator(".picture").focus()
    until(lambda: named(page, shot, name))


def figure(page, label, value):
    field = page.get_by_label(label, exact=True)
    field.fill(str(value))
    field.press("Enter")
    page.locator(".picture").focus()


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


def interior(view, room) -> bytes:
    """A picture of a plain room through a camera, its faces in different greys, with boards on the floor."""
    image = np.zeros((view.height, view.width, 3), np.uint8)
    faces = faces_of(room)
    greys = {"back": 190, "left": 140, "right": 160, "top": 220, "base": 100}
    order = sorted(zip(faces.names, faces.loops, strict=True), key=lambda x: x[0] != "base")
    for name, loop in order:
        p = faces.vertices[loop]
        # the part in front of the lens
        inside = np.concatenate([np.linspace(a, b, 200) for a, b in zip(p, np.roll(p, -1, 0), strict=True)])
        q = view.project(inside)
        q = q[~np.isnan(q).any(1)]
        hull = cv2.convexHull(np.clip(q, -20000, 20000).astype(np.float32))
        cv2.fillConvexPoly(image, np.round(hull).astype(np.int32), (greys[name],) * 3, cv2.LINE_AA)
    out = io.BytesIO()
    Image.fromarray(image).save(out, "JPEG", quality=95)
    return out.getvalue()


def test_an_interior_is_built_by_dragging_its_far_wall(page, running):
    address, _ = running
    view = looking(1500, 1000, 800, 6, -3, (2.4, 1.5, -0.4))
    true = Room(id="r", name="R", corner=(0, 0, -6.5), size=(5.2, 2.7, 6.9))
    lines = [
        ("run", (0, 0, -6.5), (5.2, 0, -6.5)),
        ("run", (0, 2.7, -6.5), (5.2, 2.7, -6.5)),
        ("return", (0, 0, -6.5), (0, 0, -2.5)),
        ("return", (5.2, 2.7, -6.5), (5.2, 2.7, -2.5)),
        ("rise", (0, 0, -6.5), (0, 2.7, -6.5)),
        ("rise", (5.2, 0, -6.5), (5.2, 2.7, -6.5)),
    ]
    survey = surveyed(view, lines, ((0, 0, -6.5), (0, 2.7, -6.5)))
    survey["datum"] = view.project(np.array([0, 0, -6.5])).tolist()
    shot, _ = new_shot(page, address, interior(view, true), "room.jpg", survey)
    hand = Hand(page)
    page.keyboard.press("m")
    hand.drag_finely(view.project(np.array([0.0, 0, -6.5])), view.project(np.array([5.2, 2.7, -6.5])))
    count(page, shot, 1)
    room = solids(page, shot)[0]
    assert len(faces_of(room).loops) == 5
    assert np.allclose(room.size[:2], (5.2, 2.7), rtol=0.01)
    assert abs(room.corner[2]) < 0.01 * 6.1 and abs(room.corner[0]) < 0.05  # the datum is the far wall's corner
    # a window bay cut into the far wall, by its corners
    page.keyboard.press("x")
    hand.drag_finely(view.project(np.array([1.5, 0.9, -6.5])), view.project(np.array([3.5, 2.1, -6.5])))
    until(lambda: len(solids(page, shot)[0].cuts) == 1)
    cut = solids(page, shot)[0].cuts[0]
    assert np.allclose([cut.low[0], cut.low[1], cut.high[0], cut.high[1]], (1.5, 0.9, 3.5, 2.1), atol=0.03)
    page.get_by_label("Close Opening").click()
    until(lambda: not solids(page, shot)[0].cuts)
    # folded instead: the ground and a backdrop at the far wall's foot
    page.keyboard.press("f")
    hand.click_finely(view.project(np.array([2.6, 0.0, -6.5])))
    count(page, shot, 3)
    page.keyboard.press("Control+z")
    count(page, shot, 1)
    # a street: a drag along either façade's foot, then up
    page.keyboard.press("e")
    hand.drag_finely(view.project(np.array([0, 0, -5.0])), view.project(np.array([0, 0, -6.4])))
    hand.drag_finely(view.project(np.array([5.2, 0, -5.0])), view.project(np.array([5.2, 0, -6.4])))
    hand.click_finely(view.project(np.array([5.2, 2.7, -6.4])))
    count(page, shot, 5)
    walls = [s for s in solids(page, shot) if s.kind == "wall"]
    assert len(walls) == 2 and all(abs(s.height - 2.7) < 0.05 for s in walls)


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
