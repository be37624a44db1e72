"""The engine against the slow reference, at home, and its pictures."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from tests.conftest import key_of, looking, photographed
from tests.core.reference import Reference

from roofline.core.camera import View
from roofline.core.massing.kinds import Backdrop, Block, Column, Flat, Ground, Mesh, Wall
from roofline.core.moment import still
from roofline.core.move.path import home_key, moments, view_of_key
from roofline.core.throw.check import check_frame
from roofline.core.throw.engine import engine_of, limits_of
from roofline.formats.pictures import to_display
from roofline.model.base import VERDICTS
from roofline.model.handoff import Delivery
from roofline.model.massing import MeshFace
from roofline.model.move import Limits, Move
from roofline.model.plates import Plate, Throw

PLATE = looking(640, 420, 560, 24, -4, (0, 1.7, 0))
SOLIDS = [
    Ground(id="ground", name="Ground", size=(120, 120)),
    Block(id="house", name="House", corner=(1.0, 0, -12), size=(4, 3, 3), turn_deg=12),
    Column(id="tower", name="Tower", foot=(-1.2, 0, -10), radius_foot=0.9, radius_top=0.6, height=4, sides=10),
    Wall(id="wall", name="Wall", a=(2.5, -6.0), b=(4.5, -7.5), height=1.1),
    Mesh(
        id="roof",
        name="Roof",
        vertices=[(1, 3, -9), (5, 3, -9), (5, 4.5, -10.5), (1, 4.5, -10.5)],
        faces=[MeshFace(name="slope", loop=[0, 1, 2, 3])],
    ),
    Backdrop(id="sky", name="Sky", viewer=(0, 0, 0), heading_deg=24, distance=55, width=90, base=-2, height=45),
]
EVERYTHING = [s.id for s in SOLIDS]
VIEWS = {
    "home": PLATE,
    "right and in": looking(320, 210, 330, 20, -6, (1.6, 2.1, -2.0), 3),
    "left and up": looking(320, 210, 250, 32, -14, (-2.2, 3.4, 0.8)),
    "behind things": looking(320, 210, 240, 150, -10, (3.0, 2.4, -16)),
}


def inner(image: np.ndarray, radius: float) -> np.ndarray:
    """Pixels farther than `radius` from where a label image changes."""
    border = np.zeros(image.shape, np.uint8)
    border[:, 1:] |= image[:, 1:] != image[:, :-1]
    border[:, :-1] |= image[:, 1:] != image[:, :-1]
    border[1:] |= image[1:] != image[:-1]
    border[:-1] |= image[1:] != image[:-1]
    return cv2.distanceTransform(1 - border, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) > radius


@pytest.mark.parametrize("name", VIEWS)
@pytest.mark.parametrize("occlusion", [True, False])
def test_agrees_with_ray_casting_and_finite_differences(name, occlusion):
    view = VIEWS[name]
    shot, pictures = photographed(PLATE, SOLIDS, [Throw(plate="plate", targets=EVERYTHING, occlusion=occlusion)])
    engine = engine_of(shot, pictures)
    got = engine.measure(still(view))
    slow = Reference(shot, PLATE, (PLATE.width, PLATE.height))
    rng = np.random.default_rng(3)
    pixels = [(int(x), int(y)) for x, y in rng.integers(0, [view.width, view.height], (260, 2))]
    # borders of the reference are found by asking it around the pixel as well
    checked = 0
    for x, y in pixels:
        story = slow.story(view, x + 0.5, y + 0.5)
        around = [
            slow.story(view, x + 0.5 + dx, y + 0.5 + dy)
            for dx, dy in ((1.5, 0), (-1.5, 0), (0, 1.5), (0, -1.5), (1.1, 1.1), (-1.1, -1.1), (1.1, -1.1), (-1.1, 1.1))
        ]
        if any(a["verdict"] != story["verdict"] or a.get("surface") != story.get("surface") for a in around):
            continue
        checked += 1
        assert VERDICTS[got.verdict[y, x]] == story["verdict"], (x, y, story)
        if "stretch" in story:
            assert got.stretch[y, x] == pytest.approx(story["stretch"], rel=1e-3)
            assert got.magnification[y, x] == pytest.approx(story["magnification"], rel=1e-3)
    assert checked > 120


def test_probe_tells_the_same_as_the_reference():
    view = VIEWS["right and in"]
    shot, pictures = photographed(PLATE, SOLIDS, [Throw(plate="plate", targets=EVERYTHING)])
    engine = engine_of(shot, pictures)
    slow = Reference(shot, PLATE, (PLATE.width, PLATE.height))
    for x, y in np.random.default_rng(8).uniform([0, 0], [view.width, view.height], (60, 2)):
        story, got = slow.story(view, x, y), engine.probe(still(view), (x, y))
        if any(
            slow.story(view, x + dx, y + dy)["verdict"] != story["verdict"] for dx in (-1.5, 1.5) for dy in (-1.5, 1.5)
        ):
            continue
        assert got.verdict == story["verdict"]
        if "surface" in story and got.surface == story["surface"]:
            assert np.allclose(got.world, story["world"], rtol=1e-6, atol=1e-6)
            assert got.depth_m == pytest.approx(story["depth"], rel=1e-6)
        if "stretch" in story:
            assert np.allclose(got.plate_pixel, story["plate_pixel"], atol=1e-5)
            assert got.stretch == pytest.approx(story["stretch"], rel=1e-3)


def test_a_wall_seen_aslant_stretches_as_the_closed_form_says():
    """A plate thrown square on a wall, seen after turning about it by 60°: stretch 1/cos 60° at the middle."""
    plate = looking(400, 400, 400, 0, 0, (0, 0, 10))
    wall = Mesh(
        id="wall",
        name="Wall",
        vertices=[(-40, -40, 0), (40, -40, 0), (40, 40, 0), (-40, 40, 0)],
        faces=[MeshFace(name="front", loop=[0, 1, 2, 3])],
    )
    shot, pictures = photographed(plate, [wall], [Throw(plate="plate", targets=["wall/front"])])
    engine = engine_of(shot, pictures)
    a = np.radians(60)
    seen = looking(400, 400, 400, -60, 0, (10 * np.sin(a), 0, 10 * np.cos(a)))
    story = engine.probe(still(seen), (200, 200))
    assert story.stretch == pytest.approx(2.0, rel=1e-9)
    assert story.magnification == pytest.approx(1.0, rel=1e-9)
    assert story.plate_pixel == pytest.approx((200, 200))
    nearer = looking(400, 400, 800, 0, 0, (0, 0, 4))
    assert engine.probe(still(nearer), (200, 200)).magnification == pytest.approx(5.0, rel=1e-9)


def test_magnification_counts_delivered_pixels_whatever_the_preview():
    shot, pictures = photographed(PLATE, SOLIDS, [Throw(plate="plate", targets=EVERYTHING)])
    engine = engine_of(shot, pictures)
    view = VIEWS["right and in"]
    full = engine.measure(still(view))
    small = engine.measure(still(view.resized(160, 105)))
    quarter = full.magnification.reshape(105, 2, 160, 2)
    both = (quarter.min((1, 3)) > 0) & (small.pair >= 0) & inner(small.face, 2)
    ratio = small.magnification[both] / quarter.mean((1, 3))[both]
    assert both.sum() > 3000
    assert np.abs(ratio - 1).max() < 0.02


def test_home_is_sound_with_stretch_one(demo):
    """The demo at home: what the photo reaches has stretch 1.000, and nothing is spilled, soft or smeared."""
    shot, engine = demo
    view = view_of_key(shot, home_key(shot, 60)).resized(640, 360)
    got = engine.measure(still(view))
    thrown = got.pair >= 0
    assert thrown.mean() > 0.999
    assert np.abs(got.stretch[thrown] - 1).max() < 5e-4
    assert (got.verdict[thrown] == VERDICTS.index("sound")).all()


@pytest.mark.slow
@pytest.mark.parametrize("scale", [1.0, 0.5])
def test_the_home_frame_is_the_photo(demo, scale):
    """PSNR above 38 dB where delivered pixels are no larger than photo pixels, cut-outs' borders aside."""
    shot, engine = demo
    photo = to_display(engine.throws.pictures[engine.throws.plates.index("platform-side")].colour())
    camera = shot.photos[0].camera
    x0, y0, w, h = 1300, 700, 640, 360
    n = int(1 / scale)
    view = View(
        w * n,
        h * n,
        camera.focal_px * n,
        ((camera.principal_point[0] - x0) * n, (camera.principal_point[1] - y0) * n),
        np.array(camera.rotation),
        np.array(camera.position),
    )
    got = to_display(engine.picture(still(view))[..., :3])
    want = photo[y0 : y0 + h, x0 : x0 + w]
    if n > 1:
        linear = cv2.resize(((want + 0.055) / 1.055) ** 2.4, None, fx=n, fy=n, interpolation=cv2.INTER_CUBIC)
        want = to_display(linear)
    flat = engine.geometry.cutout
    face = engine.measure(still(view)).face
    surface = np.where(face >= 0, flat[face], False)
    away = inner(surface.astype(np.uint8), 8 * n)
    error = np.mean((got - want)[away] ** 2)
    assert away.mean() > 0.5
    assert -10 * np.log10(error) > 38


def test_cut_outs_show_what_is_behind_and_clean_plates_fill_what_they_hide():
    plate = looking(400, 300, 400, 0, 0, (0, 1.5, 0))
    wall = Mesh(
        id="wall",
        name="Wall",
        vertices=[(-20, -10, -10), (20, -10, -10), (20, 10, -10), (-20, 10, -10)],
        faces=[MeshFace(name="front", loop=[0, 1, 2, 3])],
    )
    flat = Flat(id="flat", name="Flat", foot=(0, 0, -5), heading_deg=0, extent=(-1, 1, 0, 2))
    shot, pictures = photographed(plate, [wall, flat], [Throw(plate="plate", targets=["wall"])])
    matte = np.zeros((300, 400), np.float32)
    u = plate.project(np.array([(-0.5, 0.5, -5), (0.5, 1.5, -5)]))
    x0, x1, y0, y1 = int(u[0, 0]), int(u[1, 0]), int(u[1, 1]), int(u[0, 1])
    matte[y0:y1, x0:x1] = 1
    shot.plates = [
        *shot.plates,
        Plate(id="front", name="Front", photo="photo", file="x", canvas=(0, 0, 400, 300), matte="m"),
    ]
    shot.throws = [Throw(plate="front", targets=["flat"]), *shot.throws]
    pictures["front"] = type(pictures["plate"])((400, 300), matte, pictures["plate"].colour)
    engine = engine_of(shot, pictures)
    middle = plate.project(np.array([0, 1.0, -5]))
    assert engine.probe(still(plate), tuple(middle)).surface == "flat/front"
    beside = plate.project(np.array([0.8, 1.0, -5]))
    assert engine.probe(still(plate), tuple(beside)).surface == "wall/front"
    aside = looking(400, 300, 400, 0, 0, (1.2, 1.5, 0))
    uncovered = aside.project(np.array([0.0, 0.5, -10]))
    story = engine.probe(still(aside), tuple(uncovered))
    assert (story.surface, story.verdict) == ("wall/front", "bare")
    assert [(r.plate, r.reason) for r in story.rejected] == [("plate", "hidden")]
    shot.plates = [
        *shot.plates,
        Plate(id="clean", name="Clean", photo="photo", file="x", canvas=(0, 0, 400, 300), without=["flat"]),
    ]
    shot.throws = [*shot.throws, Throw(plate="clean", targets=["wall"])]
    pictures["clean"] = pictures["plate"]
    story = engine_of(shot, pictures).probe(still(aside), tuple(uncovered))
    assert (story.plate, story.verdict) == ("clean", "sound")


def test_reasons_for_rejection():
    plate = looking(400, 300, 400, 0, 0, (0, 1.5, 0))
    front = Block(id="box", name="Box", corner=(-1, 0, -8), size=(2, 2, 2))
    shot, pictures = photographed(
        plate, [Ground(id="ground", name="G"), front], [Throw(plate="plate", targets=["ground", "box"])]
    )
    engine = engine_of(shot, pictures)

    def reason(view, point):
        return [r.reason for r in engine.probe(still(view), tuple(view.project(np.array(point, float)))).rejected]

    above = looking(400, 300, 300, 0, -60, (0, 12, -2))
    assert reason(above, (0, 0, -9.5)) == ["hidden"]
    behind = looking(400, 300, 300, 180, -10, (0, 2, -16))
    assert reason(behind, (0.2, 1, -8)) == ["back"]
    assert reason(above, (0, 0, 1.0)) == ["outside"]


def test_surfaces_can_have_limits_of_their_own():
    from roofline.model.move import SurfaceLimits

    view = VIEWS["left and up"]
    shot, pictures = photographed(PLATE, SOLIDS, [Throw(plate="plate", targets=EVERYTHING)])
    base = engine_of(shot, pictures).measure(still(view))
    loose = shot.model_copy(update={"limits": Limits(surfaces={"ground": SurfaceLimits(stretch=50)})})
    engine = engine_of(loose, pictures)
    eased = engine.measure(still(view), limits_of(engine.geometry, loose.limits))
    ground = np.array([n.startswith("ground") for n in engine.geometry.names])
    mask = (base.face >= 0) & ground[base.face] & (base.verdict == 2)
    assert mask.sum() > 50
    assert not (eased.verdict[mask] == 2).any()
    assert (eased.verdict[~mask] == base.verdict[~mask]).all()


def test_check_adds_up_and_names_its_causes():
    shot, pictures = photographed(
        PLATE,
        SOLIDS,
        [Throw(plate="plate", targets=EVERYTHING)],
        delivery=Delivery(width=320, height=210, frames=2),
        move=Move(keys=[key_of(VIEWS["right and in"], 1)]),
    )
    engine = engine_of(shot, pictures)
    view = moments(shot)[0].view
    report = check_frame(engine, moments(shot)[0], shot.limits)
    assert sum(getattr(report, v) for v in VERDICTS) == pytest.approx(100)
    bare = sum(c.percent for c in report.causes if c.verdict == "bare")
    assert bare == pytest.approx(report.bare, abs=0.3)
    assert not report.holds
    got = engine.measure(still(view))
    assert report.worst_stretch == pytest.approx(np.percentile(got.stretch[got.pair >= 0], 99.9))


def test_no_surface_is_void_and_an_empty_scene_can_be_asked():
    shot, pictures = photographed(PLATE, [], [])
    engine = engine_of(shot, pictures)
    assert (engine.measure(still(PLATE)).verdict == VERDICTS.index("void")).all()
    assert engine.probe(still(PLATE), (10, 10)).verdict == "void"
    assert engine.picture(still(PLATE.resized(64, 42))).max() == 0


def test_a_minified_checkerboard_stays_grey_and_does_not_sparkle():
    """The footprint must average: a board of 2 px fields seen from far must be even grey in linear light."""
    plate = looking(512, 512, 512, 0, 0, (0, 0, 1))
    board = ((np.add.outer(np.arange(512) // 2, np.arange(512) // 2) % 2)[..., None] * np.ones(3)).astype(np.float32)
    wall = Mesh(
        id="wall",
        name="W",
        vertices=[(-0.5, -0.5, 0), (0.5, -0.5, 0), (0.5, 0.5, 0), (-0.5, 0.5, 0)],
        faces=[MeshFace(name="front", loop=[0, 1, 2, 3])],
    )
    shot, pictures = photographed(plate, [wall], [Throw(plate="plate", targets=["wall"])])
    pictures["plate"].colour = lambda: board
    picture = engine_of(shot, pictures).picture(still(looking(64, 64, 480, 40, 0, (-4.6, 0, 5.5))))
    inside = picture[..., 3] > 0.999
    assert inside.sum() > 300
    assert np.abs(picture[inside][:, 0] - 0.5).max() < 0.06
