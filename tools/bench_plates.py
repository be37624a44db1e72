"""Plates against their figures: python -m tools.bench_plates, and a part of tools.bench.

A photograph of 24 megapixels (the demo's, enlarged), a proxy of it, and the demo's plates forty times over. Where
another library does the same, the ratio counts.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from roofline.core.light import to_linear
from roofline.core.plates.exemplar import textured
from roofline.core.plates.grading import graded
from roofline.core.plates.matte import haired, picked
from roofline.core.plates.strokes import laid
from roofline.demo.shot import FOLDER
from roofline.formats.pictures import png
from roofline.model.photo import Photo
from roofline.model.plates import Plate
from roofline.model.shot import Shot
from roofline.model.steps import (
    CloneStep,
    FeatherStep,
    Grade,
    GradeStep,
    GrowStep,
    HairStep,
    Loop,
    OutlineStep,
    Stroke,
)
from roofline.stages import shots
from roofline.work.engines import Engines
from roofline.work.kept import Kept

FULL, PROXY = (6000, 4000), (1620, 1080)
GRADE = Grade(exposure=0.4, temperature=20, slope=(1.1, 1.0, 0.9), power=(1.1, 1.0, 1.0), saturation=1.2)
PLATES = 40


def median(what: Callable[[], object], runs: int = 7) -> float:
    """Seconds that something takes, after a first time: the median of some runs."""
    what()
    times = []
    for _ in range(runs):
        began = time.perf_counter()
        what()
        times.append(time.perf_counter() - began)
    return statistics.median(times)


def picks(shown: np.ndarray, out: dict[str, float]) -> None:
    """A colour picked in the brick wall, at full size and at proxy size."""
    for name, size, aim in (("full", FULL, 1.5), ("proxy", PROXY, 0.15)):
        linear = to_linear(cv2.resize(shown, size, interpolation=cv2.INTER_AREA)).astype(np.float32)
        at = np.array([[0.53 * size[0], 0.38 * size[1]]])
        ours = median(lambda p=linear, a=at: picked(p, a, 8.0, False), 3)
        out[f"pick_{name}_s"] = ours
        print(f"a colour picked, {size[0]} × {size[1]}: {ours:.2f} s (aim: {aim})")
    display = cv2.resize(shown, PROXY, interpolation=cv2.INTER_AREA)
    theirs = median(lambda: deltaE_ciede2000(rgb2lab(display), rgb2lab(display[400:401, 860:861])), 2)
    out["pick_over_skimage"] = out["pick_proxy_s"] / theirs
    print(f"  {out['pick_over_skimage']:.2f} of scikit-image's time for the same differences")


def fills(shown: np.ndarray, out: dict[str, float]) -> None:
    """A hole of 500 × 500 px at full size, beside OpenCV's inpainting."""
    part = cv2.resize(shown, FULL, interpolation=cv2.INTER_CUBIC)[1200:2400, 2600:3800]
    hole = np.zeros(part.shape[:2], bool)
    hole[350:850, 350:850] = True
    even = (part / 255).astype(np.float32)
    ours = median(lambda: textured(even, hole, ~hole), 1)
    theirs = median(lambda: cv2.inpaint(part, hole.astype(np.uint8), 5, cv2.INPAINT_TELEA), 1)
    out["fill_500_s"], out["fill_over_telea"] = ours, ours / theirs
    print(f"a texture fill of 500 × 500 px: {ours:.2f} s (aim: 3), {ours / theirs:.2f} times OpenCV's inpaint")


def hair(out: dict[str, float]) -> None:
    """Alpha along the border of a figure of 400 × 1500 px with a fringe, in a band of 24 px."""
    rng = np.random.default_rng(1)
    h, w = 1700, 700
    y, x = np.mgrid[:h, :w]
    ragged = 200 + 6 * cv2.GaussianBlur(rng.normal(0, 1, (h, w)), (0, 0), 1.2)
    figure = (np.abs(x - 350) < ragged) & (np.abs(y - 850) < 750)
    alpha = cv2.GaussianBlur(figure.astype(np.float32), (0, 0), 1.0)
    behind = np.dstack([0.5 + 0.2 * np.sin(x / 90), np.full((h, w), 0.6), 0.4 + 0.1 * np.cos(y / 60)])
    picture = (alpha[..., None] * [0.25, 0.15, 0.1] + (1 - alpha[..., None]) * behind).astype(np.float32)
    rough = (np.abs(x - 350) < 200) & (np.abs(y - 850) < 750)
    out["hair_s"] = median(lambda: haired(picture, rough.astype(np.float32), 24.0), 1)
    print(f"hair on a figure of 400 × 1500 px: {out['hair_s']:.1f} s (aim: 8)")


def strokes(shown: np.ndarray, out: dict[str, float]) -> None:
    """A grade, and a dab of a brush, at proxy size."""
    linear = to_linear(cv2.resize(shown, PROXY, interpolation=cv2.INTER_AREA)).astype(np.float32)
    out["grade_proxy_s"] = median(lambda: graded(linear, GRADE), 3)
    dab = [(np.array([[800.0, 500.0], [815.0, 505.0]]), 60.0, 0.5)]
    out["dab_proxy_s"] = median(lambda: laid(dab, *PROXY))
    print(
        f"at proxy size: a grade {1e3 * out['grade_proxy_s']:.0f} ms (aim: 100), "
        f"a dab {1e3 * out['dab_proxy_s']:.0f} ms (aim: 50)"
    )


def one_more(shown: np.ndarray, out: dict[str, float]) -> None:
    """A clone of a hundred strokes at full size: one stroke more, against all of them anew."""
    rng = np.random.default_rng(1)
    lines = [rng.uniform(300, 3500, 2) + np.cumsum(rng.normal(0, 12, (40, 2)), 0) for _ in range(101)]
    drawn = [Stroke(id=f"k{n}", points=[(x, y) for x, y in line], radius_px=40) for n, line in enumerate(lines)]
    w, h = FULL
    file = png(cv2.resize(shown, FULL, interpolation=cv2.INTER_CUBIC), 1)
    photo = Photo(id="p", name="P", file="p.png", width=w, height=h)

    def cloned(many: int) -> Shot:
        step = CloneStep(id="s", strokes=drawn[:many], offset=(130, 10))
        plate = Plate(id="a", name="A", photo="p", file="p.png", canvas=(0, 0, w, h), steps=[step])
        return Shot(name="Clone", photos=[photo], plates=[plate])

    def seconds(engines: Engines, many: int) -> float:
        shot, began = cloned(many), time.perf_counter()
        engines.worked(shot, shot.plates[0])
        return time.perf_counter() - began

    engines = Engines({"p.png": file}.__getitem__, Kept())
    seconds(engines, 1)  # the source, and what is compiled
    engines.kept = Kept()
    source = cloned(0)
    source.plates[0].steps = []
    engines.worked(source, source.plates[0])
    anew, more = seconds(engines, 100), seconds(engines, 101)
    out["stroke_more_s"], out["stroke_more_over_anew"] = more, more / anew
    print(f"one stroke more on a hundred at full size: {1e3 * more:.0f} ms, {more / anew:.3f} of all of them anew")


def one_point(shown: np.ndarray, out: dict[str, float]) -> None:
    """A figure outlined at full size, grown, feathered, hair along its border, a grade: a point moved, against all of
    it anew."""
    w, h = FULL
    file = png(cv2.resize(shown, FULL, interpolation=cv2.INTER_CUBIC), 1)
    photo = Photo(id="p", name="P", file="p.png", width=w, height=h)
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    line = np.column_stack([3000 + 700 * np.cos(turn), 2000 + 1500 * np.sin(turn)])

    def seconds(engines: Engines, by: float) -> float:
        points = line.copy()
        points[5] += by
        outline = OutlineStep(id="o", loops=[Loop(points=points.tolist(), smooth=True)])
        steps = [
            outline,
            GrowStep(id="g", px=6),
            FeatherStep(id="f", px=8),
            HairStep(id="h", band_px=24),
            GradeStep(id="c", exposure=0.4),
        ]
        plate = Plate(id="a", name="A", photo="p", file="p.png", canvas=(0, 0, w, h), steps=steps)
        shot, began = Shot(name="Point", photos=[photo], plates=[plate]), time.perf_counter()
        engines.worked(shot, plate)
        return time.perf_counter() - began

    engines = Engines({"p.png": file}.__getitem__, Kept())
    seconds(engines, 0)  # the source
    anew = seconds(Engines({"p.png": file}.__getitem__, engines.kept), 9)
    moved = statistics.median(seconds(engines, by) for by in (3, 6, 12))
    out["point_moved_s"], out["point_moved_over_anew"] = moved, moved / anew
    print(f"a point of an outline moved under five steps at full size: {moved:.2f} s, {moved / anew:.2f} of all anew")


def forty(out: dict[str, float]) -> None:
    """A shot of forty plates: its state, a step, and that step undone."""
    from roofline.server.app import create_app

    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        desk = app.extensions["roofline"].desk
        shot_id = shots.take_in(desk, FOLDER, "Forty")
        client, base = app.test_client(), f"/api/shots/{shot_id}"

        def copies(shot):  # type: ignore[no-untyped-def]
            first = shot.plates[0]
            more = [first.model_copy(update={"id": f"more-{n}", "name": f"More {n}"}) for n in range(PLATES)]
            shot.plates = [*shot.plates, *more][:PLATES]
            return shot

        desk.store.change(shot_id, "Forty plates", copies)
        out["open_40_plates_s"] = median(lambda: client.get(base).data)
        plate = client.get(base).get_json()["shot"]["plates"][-1]["id"]
        times = []
        for _ in range(3):
            step = {"step": {"do": "feather", "px": 3}}
            got = client.post(f"{base}/plates/{plate}/steps", json=step)
            assert got.status_code == 200, got.get_json()
            began = time.perf_counter()
            assert client.post(f"{base}/undo").status_code == 200
            times.append(time.perf_counter() - began)
        out["undo_step_s"] = min(times)
        desk.close()
    print(
        f"a shot of {PLATES} plates: its state {1e3 * out['open_40_plates_s']:.0f} ms (aim: 2 s), "
        f"a step undone {1e3 * out['undo_step_s']:.0f} ms (aim: 100)"
    )


def measured(out: dict[str, float]) -> None:
    """All of them, into ``out``."""
    shown = cv2.cvtColor(cv2.imread(str(FOLDER / "photos" / "platform-side.jpg")), cv2.COLOR_BGR2RGB)
    picks(shown, out)
    fills(shown, out)
    hair(out)
    strokes(shown, out)
    one_more(shown, out)
    one_point(shown, out)
    forty(out)


if __name__ == "__main__":
    measured({})
