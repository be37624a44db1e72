"""Three places whose home is the photo, and whose finding is silent: a room with clean plates, layers, a front with
cut-outs; then each is spoilt, and speaks."""

from __future__ import annotations

import numpy as np
import pytest
from tests.conftest import camera_of, looking
from tests.stages.conftest import ended
from tools import valley

from roofline.core.massing.kinds import Backdrop, Block, Column, Flat, Ground, Room
from roofline.core.move.findings import home_findings
from roofline.core.move.home import home_moment, home_report, photo_alone
from roofline.formats.pictures import png
from roofline.model.massing import Motion, MotionKey
from roofline.model.photo import Photo
from roofline.model.plates import Plate, Throw
from roofline.model.shot import Shot
from roofline.stages import beginning, clean
from roofline.work.begin import How

W, H = 960, 640
VIEW = looking(W, H, 840.0, 6.0, -3.0, (0.4, 1.6, 7.2))


def photograph(seed: int = 0) -> np.ndarray:
    """Something to be seen everywhere: courses, blotches, grain."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:H, 0:W] + 0.5
    courses = 0.5 + 0.25 * np.sin(x / 7) * np.sign(np.sin(y / 9)) + 0.15 * np.sin((x + 2 * y) / 60)
    grain = rng.normal(0, 0.02, (H, W))
    return np.clip(255 * np.stack([courses + grain, 0.8 * courses + grain, 1 - courses + grain], -1), 0, 255)


def shot_of(desk, solids, figures) -> str:
    """A photographed place; ``figures``: the boxes (x, y, w, h) in the photo of what stands before it, cut out."""
    file = desk.store.blobs.keep(png(photograph().astype(np.uint8)), ".png")
    photo = Photo(id="p", name="Photo", file=file, width=W, height=H, camera=camera_of(VIEW))
    plates = [Plate(id="p", name="Photo", photo="p", file=file, canvas=(0, 0, W, H))]
    throws = [Throw(plate="p", targets=[s.id for s in solids])]
    flats = []
    for n, (x, y, w, h) in enumerate(figures):
        loop = [[x, y], [x + w, y], [x + 0.8 * w, y + h], [x + 0.2 * w, y + h]]
        step = {"do": "outline", "loops": [{"points": loop}], "feather_px": 1}
        given = {"id": f"cut{n}", "name": f"Figure {n}", "role": "foreground", "steps": [step]}
        plates.append(Plate.model_validate({**plates[0].model_dump(), **given}))
        canvas = (float(x - 4), float(y - 4), float(w + 8), float(h + 8))
        flats.append(Flat.through(VIEW, f"flat{n}", f"Figure {n}", (x + w / 2, float(y + h)), canvas))
        throws.insert(0, Throw(plate=f"cut{n}", targets=[f"flat{n}"]))
    shot = Shot(name="Place", photos=[photo], solids=[*solids, *flats], plates=plates, throws=throws)
    shot.delivery.width, shot.delivery.height = W, 540
    return desk.store.create(shot, "place")


def told(desk, shot_id: str):
    shot = desk.store.load(shot_id)
    report = home_report(shot, desk.engine(shot), desk.engine(photo_alone(shot)), home_moment(shot, W))
    return report, home_findings(shot, report)


def silent(desk, shot_id: str) -> None:
    report, findings = told(desk, shot_id)
    assert report.psnr_db > 45 and findings == [], (report.psnr_db, report.percent, report.causes[:3])


def graded(desk, shot_id: str, role: str) -> None:
    """Two stops more on one plate: nothing else could be meant by what is said then."""

    def alter(shot: Shot) -> Shot:
        plate = next(p for p in shot.plates if p.role == role and any(t.plate == p.id for t in shot.throws))
        throw = next(t for t in shot.throws if t.plate == plate.id)
        throw.grade = type(throw).model_fields["grade"].annotation.__args__[0](exposure=2.0)
        return shot

    desk.store.change(shot_id, "Grade", alter)


@pytest.mark.slow
def test_a_room_with_figures_pillars_and_eight_clean_plates(desk):
    solids = [
        Room(id="room", name="Room", corner=(-4, 0, -5), size=(8, 3.6, 12)),
        Column(id="left", name="Left pillar", foot=(-1.8, 0, -1), radius_foot=0.3, radius_top=0.3, height=3.6),
        Column(id="right", name="Right pillar", foot=(2.2, 0, -1.5), radius_foot=0.3, radius_top=0.3, height=3.6),
    ]
    place = shot_of(desk, solids, [(120, 240, 80, 300), (500, 300, 72, 220), (700, 300, 68, 240)])
    silent(desk, place)
    for n in range(3):
        job = ended(desk, clean.order_clean(desk, place, f"cut{n}", 6.0, "texture"), 120)
        assert job.state == "done", job.error
    assert ended(desk, clean.order_all(desk, place, "p", 6.0, "texture"), 300).state == "done"
    made = [p.name for p in desk.store.load(place).plates if p.role == "clean"]
    assert len(made) >= 8, made
    silent(desk, place)
    graded(desk, place, "photo")
    _, findings = told(desk, place)
    assert findings and findings[0].why == "grade"


def half_clear() -> list[tuple[str, bytes]]:
    """Mist, a window pane and a shadow, each half clear over wide areas, a figure and a sky; the nearest first."""
    y, x = np.mgrid[0:H, 0:W] + 0.5
    photo = photograph(3)
    mist = np.clip((y - 240) / 400, 0, 0.6)
    pane = 0.45 * ((x > 120) & (x < 480) & (y > 80) & (y < 400))
    figure = np.clip((100 - np.hypot((x - 660) * 1.6, y - 400)) / 3, 0, 1)
    shade = 0.3 + 0.3 * np.sin(x / 180)
    tints = [(230, 230, 235), (120, 160, 200), (60, 40, 30), (20, 20, 40)]
    files = []
    for name, alpha, tint in zip(("mist", "pane", "figure", "shade"), (mist, pane, figure, shade), tints, strict=True):
        colour = np.broadcast_to(np.array(tint, dtype=float), (H, W, 3))
        rgba = np.dstack([colour, 255 * alpha])
        files.append((f"{name}.png", png((rgba + 0.5).astype(np.uint8))))
    return [*files, ("street.png", png(photo.astype(np.uint8)))]


@pytest.mark.slow
def test_five_layers_with_half_clear_ones(desk):
    place = desk.store.create(Shot(name="Layers"), "layers")
    job = ended(desk, beginning.order_begin(desk, place, half_clear(), How(frames=4, size=(W, 540))), 120)
    assert job.state == "done", job.error
    shot = desk.store.load(place)
    assert [s.name for s in shot.solids] == ["mist", "pane", "figure", "shade", "street"]
    silent(desk, place)

    def as_light(shot: Shot) -> Shot:
        shot.delivery.blend = "as_light"
        return shot

    desk.store.change(place, "Blend", as_light)
    _, findings = told(desk, place)
    assert findings and findings[0].why == "blend" and findings[0].remedy == "Blend layers as painted"


@pytest.mark.slow
def test_layers_with_hard_edges_made_coarser(desk):
    """Ridges and firs, opaque, five layers larger than the frame: their borders are nearly their flattening's;
    and a layer that is off its place is told."""
    place = desk.store.create(Shot(name="Valley"), "valley")
    files = [(f"{name}.png", png(picture)) for name, picture in valley.layers()]
    assert ended(desk, beginning.order_begin(desk, place, files, How(frames=4, size=(W, 540))), 120).state == "done"
    silent(desk, place)

    def off_its_place(shot: Shot) -> Shot:
        ridge = next(s for s in shot.solids if s.id.startswith("near-ridge"))
        ridge.motion = Motion(keys=[MotionKey(frame=1, offset=(0.1, 0, 0))])
        return shot

    desk.store.change(place, "Move", off_its_place)
    _, findings = told(desk, place)
    assert findings and (findings[0].why, findings[0].who) == ("moved", "near-ridge-flat")


@pytest.mark.slow
def test_a_front_with_two_cut_outs_and_what_stands_behind_them(desk):
    solids = [
        Ground(id="ground", name="Ground", size=(60, 60)),
        Block(id="front", name="Front", corner=(-5, 0, -4), size=(9, 5, 2)),
        Backdrop.through(VIEW, "sky", "Sky", 30.0),
    ]
    place = shot_of(desk, solids, [(180, 260, 100, 260), (600, 280, 120, 220)])
    silent(desk, place)
    for n in range(2):
        assert ended(desk, clean.order_clean(desk, place, f"cut{n}", 6.0, "texture"), 120).state == "done"
    silent(desk, place)

    def gone(shot: Shot) -> Shot:
        next(s for s in shot.solids if s.id == "flat1").in_set = False
        return shot

    desk.store.change(place, "Hide", gone)
    _, findings = told(desk, place)
    assert findings and findings[0].why == "hidden" and findings[0].who == "flat1"
