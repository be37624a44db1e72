"""What Python and TypeScript must agree on: constants for the front end, and vectors that its tests are held to."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from roofline.core.camera import (
    bend_pixels,
    from_pan_tilt_roll,
    matrix_to_quaternion,
    view_of,
)
from roofline.core.move.frame import resized
from roofline.core.move.ideas import BEFORE
from roofline.core.move.motion import keyed, opacity
from roofline.core.move.path import Path
from roofline.core.move.travel import key_passing, paced
from roofline.core.plates.coverage import curve
from roofline.model.base import VERDICTS
from roofline.model.changes import SurveyChange
from roofline.model.handoff import Delivery
from roofline.model.massing import Motion, MotionKey
from roofline.model.move import Key
from roofline.model.photo import Photo
from roofline.model.shot import Shot
from roofline.model.survey import Camera, Survey

DIGITS = 9


def constants() -> str:
    """`web/src/api/shared.gen.ts`."""
    names = ", ".join(f"'{v}'" for v in VERDICTS)
    return (
        "/** Made by `python -m tools.schema` from the server's own; do not edit. */\n"
        f"export const VERDICTS = [{names}] as const\n"
        f"export const AHEAD = {BEFORE:g} // metres to what a move is about, where nothing is said\n"
    )


def changes(count: int = 40) -> str:
    """`web/src/hand/changes.gen.json`: surveys, changes by identity, and the surveys that come of them."""
    rng = np.random.default_rng(11)

    def edge(ident: str) -> dict[str, Any]:
        points = _listed(rng.integers(0, 900, (int(rng.integers(2, 4)), 2)))
        return {"id": ident, "family": [None, "run", "rise"][rng.integers(3)], "points": points, "found": False}

    def tape(ident: str) -> dict[str, Any]:
        a, b = _listed(rng.integers(0, 900, (2, 2)))
        return {"id": ident, "a": a, "b": b, "direction": "rise", "metres": float(rng.integers(1, 9)), "sigma_m": None}

    def items(there: list[dict[str, Any]], new: Any, field: str) -> dict[str, Any]:
        picked = [x["id"] for x in there if rng.random() < 0.6]
        half = len(picked) // 2
        return {
            "added": [new(f"n{i}") for i in range(rng.integers(3))],
            "changed": [{"id": i, field: new(i)[field]} for i in picked[:half]],
            "removed": picked[half:],
        }

    out = []
    for _ in range(count):
        edges = [edge(f"e{i}") for i in range(rng.integers(6))]
        tapes = [tape(f"t{i}") for i in range(rng.integers(4))]
        before = Survey.model_validate({"edges": edges, "lengths": tapes, "camera_height_m": 1.6})
        every: list[dict[str, Any]] = [{}, {"datum": [4.0, 5.0]}, {"camera_height_m": None}]
        given = every[rng.integers(3)]
        change = {"edges": items(edges, edge, "points"), "lengths": items(tapes, tape, "metres"), "given": given}
        after = SurveyChange.model_validate(change).carried_out(before)
        entry = {"before": before.model_dump(mode="json"), "change": change, "after": after.model_dump(mode="json")}
        out.append(entry)
    return json.dumps(out) + "\n"


def paces(count: int = 12) -> str:
    """`web/src/strip/pace.gen.json`: keys under paces, and what their frames show of the keys' own time."""
    rng = np.random.default_rng(3)
    out = []
    for _ in range(count):
        frames = np.sort(rng.choice(np.arange(1, 121), rng.integers(2, 6), replace=False)).tolist()
        handles = rng.integers(0, 5)
        at = [1, *np.sort(rng.choice(np.arange(3, 118), handles, replace=False)).tolist(), 120]
        curve = list(zip(at, [0.0, *_listed(np.sort(rng.random(handles))), 1.0], strict=True))
        keys = [Key(frame=f, position=(0, 0, 0), rotation=(1, 0, 0, 0), zoom=1) for f in frames]
        path = Path(keys, 100)
        along = np.array([paced(curve, path, frame) for frame in range(1, 121)])
        near = [int(np.abs(along - k).argmin()) + 1 for k in frames]
        shown = near + rng.integers(1, 121, 4).tolist()
        out.append(
            {
                "speed": curve,
                "keys": frames,
                "frames": shown,
                "own": _listed([paced(curve, path, f) for f in shown]),
                "key": [key_passing(curve, path, frames, f) for f in shown],
            }
        )
    return json.dumps(out) + "\n"


def motions(count: int = 14) -> str:
    """`web/src/stages/move/motion.gen.json`: keys of pieces, passed in all ways, and where they are at frames."""
    rng = np.random.default_rng(8)
    out = []
    for _ in range(count):
        at = np.sort(rng.choice(np.arange(1, 60), rng.integers(2, 6), replace=False)).tolist()
        keys = []
        for frame in at:
            way = rng.choice(["even", "rest", "pass", "speed"])
            turn = np.radians(rng.uniform(-80, 80)) / 2
            keys.append(
                MotionKey(
                    frame=frame,
                    offset=tuple(_listed(rng.normal(0, 2, 3))),
                    rotation=tuple(_listed(np.array([np.cos(turn), 0, np.sin(turn), 0]))),
                    scale=round(float(np.exp(rng.normal(0, 0.3))), DIGITS),
                    opacity=round(float(rng.random()), DIGITS),
                    ease=way if way in ("rest", "pass") else None,
                    speed=round(float(rng.uniform(0.01, 0.4)), DIGITS) if way == "speed" else None,
                )
            )
        motion, seen = Motion(keys=keys), []
        for frame in rng.integers(0, 62, 6).tolist():
            offset, turned, scale = keyed(motion, frame)
            angle = float(np.degrees(turned.as_rotvec()[1]))
            seen.append([frame, *_listed(offset), angle, scale, opacity(motion, frame)])
        out.append({"motion": motion.model_dump(mode="json"), "seen": seen})
    return json.dumps(out) + "\n"


def curves(count: int = 8) -> str:
    """`web/src/stages/plates/curve.gen.json`: outlines of smooth and sharp points, and the lines they make."""
    rng = np.random.default_rng(11)
    out = []
    for n in range(count):
        points = np.round(rng.uniform(0, 900, (int(rng.integers(3, 9)), 2)), 3)
        smooth: bool | list[bool] = bool(n % 2) if n < 2 else (rng.random(len(points)) < 0.5).tolist()
        line = [_listed(p) for p in curve(points, smooth)]
        out.append({"points": points.tolist(), "smooth": smooth, "line": line})
    return json.dumps(out) + "\n"


def frames(count: int = 16) -> str:
    """`web/src/stages/photo/frame.gen.json`: frames over photos at other sizes, and what photos take of film backs."""
    rng = np.random.default_rng(9)
    sizes, backs = [], []
    for n in range(count):
        photo = {"width": int(rng.integers(300, 6000)), "height": int(rng.integers(300, 6000))}
        framing = {"scale": float(rng.uniform(0.2, 3)), "centre": _listed(rng.uniform(100, 3000, 2))}
        was = Delivery(width=int(rng.integers(200, 4000)), height=int(rng.integers(200, 2200)), framing=framing)
        camera = Camera(focal_px=1000, rotation=np.eye(3).tolist(), principal_point=(0, 0), **photo)
        shot = Shot(name="a", delivery=was, photos=[Photo(id="a", name="a", file="a", camera=camera)])
        to = [was.width * 2, was.height * 2] if n % 4 == 0 else [int(v) for v in rng.integers(200, 4000, 2)]
        now = resized(shot, to[0], to[1])
        kept = {"was": was.model_dump(mode="json"), "photo": photo, "to": to, "now": now.model_dump(mode="json")}
        sizes.append(kept)
        back = None if n % 5 == 0 else _listed(rng.uniform(5, 60, 2))
        taken = Photo(id="a", name="a", file="a", film_back_mm=back, **photo)
        backs.append({"photo": photo | {"film_back_mm": back}, "mm": round(taken.mm_a_pixel, 12)})
    return json.dumps({"sizes": sizes, "backs": backs}) + "\n"


def _listed(values: Any) -> Any:
    return np.round(np.asarray(values, dtype=float), DIGITS).tolist()


def _camera(rng: np.random.Generator) -> tuple[dict[str, Any], Camera]:
    angles = rng.uniform([-170, -60, -30], [170, 60, 30])
    width, height = (int(v) for v in rng.integers(400, 6000, 2))
    camera = Camera(
        width=width,
        height=height,
        focal_px=float(rng.uniform(0.5, 3) * width),
        principal_point=(float(rng.uniform(0.4, 0.6) * width), float(rng.uniform(0.4, 0.6) * height)),
        distortion=tuple(rng.uniform(-0.05, 0.05, 5)),
        rotation=from_pan_tilt_roll(*np.radians(angles)).tolist(),
        position=tuple(rng.uniform([-5, 0.5, -5], [5, 4, 5])),
    )
    return {"angles_deg": _listed(angles), "camera": camera.model_dump(mode="json")}, camera


def vectors(count: int = 12) -> str:
    """`web/src/board/vectors.gen.json`: cameras, points and pixels, and what Python makes of them."""
    rng = np.random.default_rng(5)
    out = []
    for _ in range(count):
        entry, camera = _camera(rng)
        view = view_of(camera)
        points = view.position + view.rays(rng.uniform(0, [camera.width, camera.height], (4, 2))) * rng.uniform(
            1, 40, (4, 1)
        )
        pixels = rng.uniform(0, [camera.width, camera.height], (4, 2))
        rays = view.rays(pixels)
        with np.errstate(divide="ignore"):
            k = -view.position[1] / rays[:, 1]
        ground = view.position + rays * k[:, None]
        out.append(
            entry
            | {
                "quaternion": _listed(matrix_to_quaternion(view.rotation.T)),
                "points": _listed(points),
                "projected": _listed(view.project(points)),
                "pixels": _listed(pixels),
                "bent": _listed(bend_pixels(pixels, camera)),
                "on_ground": [_listed(g) if t > 0 else None for g, t in zip(ground, k, strict=True)],
            }
        )
    return json.dumps(out, indent=1) + "\n"
