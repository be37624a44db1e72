"""Performance side by side in one run: python -m tools.bench

Ratios are what counts; seconds depend on the machine. Embree (by embreex) casts the same rays as the verdict pass
decides: one primary ray a pixel, and one from each hit to the plate's camera.
"""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from flask.testing import FlaskClient
from tools import bench_plates
from tools.bench_plates import median
from tools.survey_scenes import scene

from roofline.core.camera import View, view_of
from roofline.core.massing.kinds import Imported
from roofline.core.massing.solids import Triangles
from roofline.core.moment import Moment
from roofline.core.move.along import along
from roofline.core.move.path import moment_at, moments, shot_path
from roofline.core.move.standing import standing
from roofline.core.survey.detect import find
from roofline.core.survey.solve import solve
from roofline.core.throw.check import check, check_frame
from roofline.core.throw.engine import Engine, engine_of
from roofline.demo.shot import DEMO_ID, FOLDER
from roofline.formats.package import open_package
from roofline.model.massing import Motion, MotionKey
from roofline.model.plates import Throw
from roofline.model.shot import Shot
from roofline.model.survey import SurveyInput
from roofline.stages import shots
from roofline.work.desk import Desk
from roofline.work.engines import Engines
from roofline.work.kept import Kept


def embree_pass(scene: rtcore_scene.EmbreeScene, view: View, eye: np.ndarray, rays: np.ndarray) -> tuple[int, int]:
    """Cast primary rays, then from every hit towards the plate's camera; (hits, hidden)."""
    origins = np.broadcast_to(view.position.astype(np.float32), rays.shape)
    got = scene.run(origins, rays, output=1)
    hit = got["primID"] >= 0
    points = view.position + rays[hit] * got["tfar"][hit][:, None]
    back = (eye - points).astype(np.float32)
    start = (points + back * 1e-4).astype(np.float32)
    blocked = scene.run(start, back, dists=np.full(len(start), 0.999, np.float32), query="OCCLUDED")
    return int(hit.sum()), int((blocked >= 0).sum())


def ball_engine(shot: Shot, engines: Engines, faces: int) -> Engine:
    """The demo's first plate on a bumpy sheet of so many triangles across its view."""
    photo = shot.photos[0]
    assert photo.camera is not None
    view = view_of(photo.camera)
    across = max(1, round((faces / 2) ** 0.5))
    down = max(1, round(faces / 2 / across))
    x, y = np.meshgrid(np.linspace(0, view.width, across + 1), np.linspace(0, view.height, down + 1))
    depth = 20 + 2 * np.sin(x / 170) * np.cos(y / 130)
    v = view.position + view.rays(np.stack([x, y], axis=-1)) * depth[..., None]
    i, j = np.meshgrid(np.arange(down), np.arange(across), indexing="ij")
    a = (i * (across + 1) + j).ravel()
    b, c, d = a + 1, a + across + 2, a + across + 1
    indices = np.concatenate([np.stack([a, d, c], 1), np.stack([a, c, b], 1)])
    mesh = Triangles(v.reshape(-1, 3), indices)
    low, high = (tuple(map(float, m)) for m in (mesh.vertices.min(0), mesh.vertices.max(0)))
    solid = Imported(id="sheet", name="Sheet", file="sheet", triangles=len(indices), low=low, high=high)
    plate = next(p for p in shot.plates if p.photo == photo.id and p.role == "photo")
    alone = shot.model_copy(
        update={"solids": [solid], "plates": [plate], "throws": [Throw(plate=plate.id, targets=["sheet"])]}
    )
    return engine_of(alone, {plate.id: engines.picture(shot, plate)}, {"sheet": mesh})


def remap(engine: Engine, width: int, height: int) -> Callable[[], object]:
    """OpenCV's resampling of the first plate to a size, with a kernel of 8 × 8 pixels: the yardstick for a frame."""
    pyramid = engine.textures.pyramids[0]
    w, h = pyramid.size[0]
    plate = pyramid.texels[: w * h].reshape(h, w, 4)
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    x, y = ((a * w / width - 0.5).astype(np.float32) for a in (x, y))
    return lambda: cv2.remap(plate, x, y, cv2.INTER_LANCZOS4)


def crowd(client: FlaskClient, desk: Desk) -> tuple[float, float]:
    """Seconds that a drag's answer and a kept change take in a shot of 300 pieces."""
    shot_id = shots.take_in(desk, FOLDER, "Crowd")
    base = f"/api/shots/{shot_id}"
    for n in range(15):
        step = [0.4 * n, 0.0, 1.5]
        client.post(f"{base}/arrange", json={"op": "repeat", "ids": ["chimney"], "step": step, "times": 19})
    count = len(client.get(base).get_json()["shot"]["solids"])
    assert count >= 300, count
    pulled = {"corner": 6, "axis": "rise", "by": 0.1}
    answer = median(lambda: client.post(f"{base}/solids/chimney/pull/try", json=pulled).data)
    kept = median(lambda: client.post(f"{base}/solids/chimney/pull", json=pulled).data)
    return answer, kept


def moving(shot: Shot, engine: Engine, out: dict[str, float]) -> None:
    """A check with six pieces that move against one at rest; standing room against its cells checked one by one."""
    path = [MotionKey(frame=1), MotionKey(frame=120, offset=(0.4, 0, 0.2))]
    six = [s.id for s in shot.solids if s.kind not in ("ground", "backdrop")][:6]
    solids = [s.model_copy(update={"motion": Motion(keys=path)} if s.id in six else {}) for s in shot.solids]
    moved = moments(shot.model_copy(update={"solids": solids}), width=320)
    rest = moments(shot, width=320)
    with_, without = (
        median(lambda: check(engine, moved, shot.limits), 3),
        median(lambda: check(engine, rest, shot.limits), 3),
    )
    out["check_moving_over_still"] = with_ / without
    print(f"check with six pieces that move: {with_:.2f} s, {with_ / without:.2f} times one without (aim: 1 s)")
    view = rest[59].view
    x, _, z = view.position
    grid = np.stack(np.meshgrid(np.linspace(x - 1, x + 1, 16), np.linspace(z - 1, z + 1, 16)), axis=-1).reshape(-1, 2)

    def one_by_one() -> None:
        for a, b in grid:
            check_frame(engine, Moment(60, replace(view, position=np.array([a, view.position[1], b]))), shot.limits)

    room = median(lambda: standing(engine, [rest[59]], shot.limits, grid, None), 3)
    out["standing_over_one_by_one"] = room / median(one_by_one, 3)
    print(
        f"standing room of {len(grid)} cells at 320 wide: {room:.2f} s, {out['standing_over_one_by_one']:.2f} of the "
        f"time of as many checks; 64 × 64: {room * 4096 / len(grid):.1f} s (aim: 3)"
    )
    out["along_s"] = median(lambda: along(shot, engine, moments(shot)), 3)
    print(f"a look along 120 frames: {out['along_s']:.2f} s")


def main() -> None:
    package = open_package(FOLDER)
    shot = package.shot
    engines = Engines(package.read, Kept())
    engine = engines.engine(shot)
    path = shot_path(shot)
    solid = engine.geometry.corners[~engine.geometry.cutout[engine.geometry.tri_face]].astype(np.float32)
    embree = rtcore_scene.EmbreeScene()
    TriangleMesh(embree, solid)
    eye = engine.throws.views[0].position
    out: dict[str, float] = {}
    print(
        f"{len(engine.geometry.pieces.face)} convex pieces, {len(engine.geometry.corners)} triangles, "
        f"{len(engine.geometry.names)} faces, {len(engine.throws.plates)} plates"
    )
    for width, height in ((320, 180), (1920, 1080)):
        moment = moment_at(shot, path, 100, width)
        view = moment.view
        ys, xs = np.mgrid[0:height, 0:width] + 0.5
        rays = view.rays(np.stack([xs, ys], axis=-1)).reshape(-1, 3).astype(np.float32)
        ours, theirs = [], []
        embree_pass(embree, view, eye, rays)
        engine.measure(moment)
        # blocks of calls in turn: each side is used as a check of many frames would use it
        for _ in range(5):
            began = time.perf_counter()
            for _ in range(4):
                engine.measure(moment)
            ours.append((time.perf_counter() - began) / 4)
            began = time.perf_counter()
            for _ in range(4):
                embree_pass(embree, view, eye, rays)
            theirs.append((time.perf_counter() - began) / 4)
        ratio = statistics.median(t / o for o, t in zip(ours, theirs, strict=True))
        out[f"embree_over_engine_{width}x{height}"] = ratio
        print(
            f"verdict pass {width} × {height}: engine {1e3 * statistics.median(ours):.1f} ms, "
            f"Embree {1e3 * statistics.median(theirs):.1f} ms, ratio {ratio:.1f} (aim: 10)"
        )

    views = moments(shot, width=320)
    out["check_120_frames_s"] = median(lambda: check(engine, views, shot.limits), 3)
    print(f"check of {len(views)} frames at 320 wide: {out['check_120_frames_s']:.2f} s (aim: 1.5)")
    moving(shot, engine, out)
    full = moment_at(shot, path, 100)
    out["frame_1080p_s"] = median(lambda: engine.picture(full), 5)
    out["frame_over_remap"] = out["frame_1080p_s"] / median(remap(engine, 1920, 1080), 5)
    print(f"a 1080p frame: {out['frame_1080p_s']:.2f} s, {out['frame_over_remap']:.1f} times OpenCV's remap (aim: 1)")

    from roofline.server.app import create_app

    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder))
        desk = app.extensions["roofline"].desk
        shots.take_in(desk, FOLDER, shot_id=DEMO_ID)
        client = app.test_client()
        out["overlay_960x540_s"] = median(
            lambda: client.get(f"/api/shots/{DEMO_ID}/frames/100/verdicts?width=960").data
        )
        print(f"overlay request to picture, 960 × 540: {out['overlay_960x540_s']:.3f} s (aim: 0.12)")
        out["open_demo_s"] = median(lambda: client.get(f"/api/shots/{DEMO_ID}").data)
        print(f"the demo shot's state: {out['open_demo_s']:.3f} s")
        out["drag_300_solids_s"], out["change_300_solids_s"] = crowd(client, desk)
        print(
            f"300 solids: a drag is answered in {1e3 * out['drag_300_solids_s']:.0f} ms (aim: 100), "
            f"a change kept in {1e3 * out['change_300_solids_s']:.0f} ms"
        )
        app.extensions["roofline"].desk.close()

    for count in (10, 100, 1000, 10_000, 100_000):
        seconds = median(lambda e=ball_engine(shot, engines, count), v=moment_at(shot, path, 1, 320): e.measure(v), 5)
        out[f"verdicts_{count}_faces_s"] = seconds
        print(f"verdict pass 320 × 180 with {count} faces: {1e3 * seconds:.1f} ms")
    ratio = out["verdicts_100000_faces_s"] / out["verdicts_10_faces_s"]
    print(f"ten thousand times the faces take {ratio:.0f} times as long")

    for edges in (10, 30, 60, 100, 300):
        given, _ = scene(3, edges).given(1.0)
        seconds = median(lambda g=given: solve(g), 5)
        out[f"survey_{edges}_edges_s"] = seconds
        print(f"survey with {edges} edges: {1e3 * seconds:.0f} ms (aim: 100 during a drag, with 60)")
    grey = cv2.resize(cv2.imread(str(FOLDER / "photos" / "platform-side.jpg"), cv2.IMREAD_GRAYSCALE), (6000, 4000))
    out["one_press_24_megapixels_s"] = median(lambda: find(grey, SurveyInput(width=6000, height=4000)), 3)
    print(f"one-press survey, 24 megapixels: {out['one_press_24_megapixels_s']:.1f} s (aim: 3)")
    bench_plates.measured(out)
    print(json.dumps({k: round(v, 4) for k, v in out.items()}))


if __name__ == "__main__":
    main()
