"""Make the demo shot package from the two photographs: survey, massing, plates and move.

    python -m tools.varrow.build_shot FIRST.jpg SECOND.jpg [FOLDER]

Every edge, foot and outline is set where a careful hand would set it: on the true picture of the place, off by half
a pixel or so. All else comes from Roof Line itself.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from shapely import MultiPoint, Polygon, unary_union

from roofline.core.camera import View, view_of
from roofline.core.massing.kinds import Backdrop, Block, Column, Gable, Ground
from roofline.core.massing.kinds.base import foot
from roofline.core.move.path import home_key
from roofline.demo.moving import off_home
from roofline.demo.shot import FOLDER
from roofline.formats.package import write_package
from roofline.model.handoff import Delivery, Framing
from roofline.model.move import Move
from roofline.model.plates import Outline
from roofline.model.shot import Shot
from roofline.model.solids import AnySolid
from roofline.model.steps import Loop
from roofline.model.survey import Edge, Length, Survey
from roofline.stages import clean, plates, stepping, survey
from roofline.stages import photo as photos
from roofline.stages.massing import drawing, pieces
from roofline.stages.massing.drawing import Gesture
from roofline.stages.opening import open_desk
from roofline.work.desk import Desk

from . import place, second_photo
from . import truth as t
from .clean_plates import bake, clean_for_all, clean_strip, no_more_clean, without
from .second_photo import Levels

HAND = 0.5  # px
LEAST_HOLE = 6.0  # square pixels


def edges(view: View, rng: np.random.Generator) -> list[Edge]:
    h, r, hut, c = t.HOUSE, t.HOUSE_ROOF, t.HUT, t.CANOPY
    zm = (r["lo"][2] + r["hi"][2]) / 2
    lines = [
        ("run", (-9.5, 0.86, 0.0), (9.0, 0.86, 0.0)),
        ("run", (-8.0, 0.275, 3.084), (4.5, 0.275, 3.084)),
        ("run", (-9.0, 0.275, 1.584), (8.0, 0.275, 1.584)),
        ("run", (r["lo"][0], r["hi"][1] + 0.12, zm), (3.2, r["hi"][1] + 0.12, zm)),
        ("run", (-2.9, 3.8, c["hi"][2] + 0.03), (5.7, 3.8, c["hi"][2] + 0.03)),
        ("run", (h["lo"][0], 1.28, h["hi"][2] + 0.035), (-0.8, 1.28, h["hi"][2] + 0.035)),
        ("return", (h["lo"][0] - 0.035, 1.28, h["hi"][2]), (h["lo"][0] - 0.035, 1.28, h["lo"][2])),
        ("return", (c["lo"][0] - 0.03, 3.8, c["hi"][2]), (c["lo"][0] - 0.03, 3.8, c["lo"][2])),
        ("return", (hut["lo"][0], 0.86 + 0.16, hut["hi"][2]), (hut["lo"][0], 0.86 + 0.16, hut["lo"][2])),
        ("return", (t.HUT_ROOF["lo"][0], 3.72, t.HUT_ROOF["hi"][2]), (t.HUT_ROOF["lo"][0], 3.72, t.HUT_ROOF["lo"][2])),
        ("return", (h["lo"][0] - 0.13, 1.77, -4.39), (h["lo"][0] - 0.13, 1.77, -5.91)),
        ("rise", (h["lo"][0], 1.3, h["hi"][2]), (h["lo"][0], 4.5, h["hi"][2])),
        ("rise", (h["lo"][0], 1.4, h["lo"][2]), (h["lo"][0], 4.6, h["lo"][2])),
        ("rise", (t.POSTS_X[0] - 0.07, 1.2, t.POST_Z + 0.07), (t.POSTS_X[0] - 0.07, 3.0, t.POST_Z + 0.07)),
        ("rise", (t.POSTS_X[2] - 0.07, 1.2, t.POST_Z + 0.07), (t.POSTS_X[2] - 0.07, 3.0, t.POST_Z + 0.07)),
        ("rise", (hut["hi"][0] + 0.06, 1.0, hut["hi"][2] + 0.06), (hut["hi"][0] + 0.06, 3.6, hut["hi"][2] + 0.06)),
        ("rise", (hut["lo"][0] - 0.06, 1.0, hut["hi"][2] + 0.06), (hut["lo"][0] - 0.06, 3.6, hut["hi"][2] + 0.06)),
    ]
    out = []
    for family, a, b in lines:
        p = view.project(np.array([a, b])) + rng.normal(0, HAND, (2, 2))
        out.append(Edge(family=family, points=[tuple(np.round(q, 2)) for q in p.tolist()]))
    return out


def box(view: View, true: View, ident: str, name: str, lo, hi, levels: Levels) -> Block:
    """A block drawn through the photo on the true picture of its foot and top corner, at the level where both photos
    see it."""
    level = levels((lo[0], lo[1], hi[2])) if lo[1] else 0.0
    a, b, top = true.project(np.array([(lo[0], lo[1], hi[2]), (hi[0], lo[1], lo[2]), (hi[0], hi[1], lo[2])])).tolist()
    return Block.through(view, ident, name, tuple(a), tuple(b), tuple(top), level)


def gable(view: View, true: View, ident: str, name: str, spec: dict, ridge: str, levels: Levels) -> Gable:
    b = box(view, true, ident, name, spec["lo"], spec["hi"], levels)
    return Gable(id=ident, name=name, corner=b.corner, size=b.size, ridge=ridge)


def column(view: View, true: View, ident: str, name: str, centre, y0, y1, r0, r1, level_true=None) -> Column:
    """A column on the true picture of its foot's middle; its radius by the scale at that distance."""
    at = foot(view, tuple(true.project(np.array([centre[0], 0.0, centre[1]])).tolist()))
    k = float(np.linalg.norm(at - view.position) / np.linalg.norm(np.array([centre[0], 0, centre[1]]) - true.position))
    return Column(
        id=ident,
        name=name,
        foot=(at[0], y0 * k, at[2]),
        radius_foot=r0 * k,
        radius_top=r1 * k,
        height=(y1 - y0) * k,
        sides=40,
    )


def solids(view: View, true: View, levels: Levels) -> list[AnySolid]:
    out: list[AnySolid] = [Ground.through(view, "ground", "Ground")]
    out.append(box(view, true, "platform", "Platform", t.PLATFORM["lo"], t.PLATFORM["hi"], levels))
    out.append(box(view, true, "station", "Station house", t.HOUSE["lo"], t.HOUSE["hi"], levels))
    out.append(gable(view, true, "roof", "Station roof", t.HOUSE_ROOF, "run", levels))
    out.append(box(view, true, "chimney", "Chimney", t.CHIMNEY["lo"], t.CHIMNEY["hi"], levels))
    c = t.CANOPY
    out.append(
        box(
            view,
            true,
            "canopy",
            "Canopy",
            (c["lo"][0] - 0.03, 3.44, c["lo"][2]),
            (c["hi"][0] + 0.03, 3.8, c["hi"][2] + 0.03),
            levels,
        )
    )
    for i, x in enumerate(t.POSTS_X, 1):
        out.append(
            box(
                view,
                true,
                f"post{i}",
                f"Canopy post {i}",
                (x - 0.08, 0.86, t.POST_Z - 0.08),
                (x + 0.08, 3.44, t.POST_Z + 0.08),
                levels,
            )
        )
    out.append(box(view, true, "hut", "Signal hut", t.HUT["lo"], t.HUT["hi"], levels))
    out.append(gable(view, true, "hut-roof", "Hut roof", t.HUT_ROOF, "return", levels))
    w, k = t.TOWER, t.TANK
    out.append(
        column(view, true, "tower", "Water tower", w["centre"], w["y0"], w["y1"], w["foot_radius"], w["top_radius"])
    )
    out.append(column(view, true, "tank", "Tank", k["centre"], k["y0"], k["y1"], k["radius"], k["radius"]))
    out.append(
        column(view, true, "tank-lid", "Tank lid", k["centre"], k["y1"], k["y1"] + 0.85, k["radius"] + 0.1, 0.14)
    )
    out.append(Backdrop.through(view, "hills", "Hills and sky", 62.0, 0.5))
    return out


def outline(true: View) -> Outline:
    """Around the trolley and the lamp, a few pixels clear of them."""

    def hull(points) -> Polygon:
        return MultiPoint(true.project(np.array(points, dtype=float))).convex_hull

    def corners(lo, hi):
        return [(x, y, z) for x in (lo[0], hi[0]) for y in (lo[1], hi[1]) for z in (lo[2], hi[2])]

    lx, _, lz = t.LAMP["foot"]
    top = t.LAMP["height"]
    lo, hi = t.TROLLEY["lo"], t.TROLLEY["hi"]
    parts = [
        hull(corners((lx - 0.07, 0.9, lz - 0.07), (lx + 0.07, top - 0.6, lz + 0.07))),
        hull(corners((lx - 0.17, 0.0, lz - 0.17), (lx + 0.17, 0.24, lz + 0.17))),
        hull(corners((lx - 0.11, 0.2, lz - 0.11), (lx + 0.11, 1.05, lz + 0.11))),
        hull(corners((lx - 0.33, top - 0.98, lz - 0.03), (lx + 0.33, top - 0.92, lz + 0.03))),
        hull(corners((lx - 0.19, top - 0.62, lz - 0.19), (lx + 0.19, top + 0.02, lz + 0.19))),
        hull(corners((lx - 0.04, top, lz - 0.04), (lx + 0.04, top + 0.14, lz + 0.04))),
        hull(corners((lo[0] - 0.03, 0.0, lo[2] - 0.06), (hi[0] + 0.03, 0.58, hi[2] + 0.06))),
        hull(corners((lo[0] + 0.04, 0.5, lo[2] + 0.06), (hi[0] - 0.06, 1.0, hi[2] - 0.08))),
        hull(corners((lo[0] + 0.18, 0.9, lo[2] + 0.16), (lo[0] + 0.9, 1.11, hi[2] - 0.2))),
        hull(corners((lo[0] - 0.2, 0.5, lo[2]), (lo[0] + 0.06, 1.15, hi[2]))),
    ]
    shape = unary_union(parts).buffer(5.0, quad_segs=2).simplify(1.2)
    return Outline(points=[(round(x, 1), round(y, 1)) for x, y in list(shape.exterior.coords)[:-1]], feather_px=3.0)


def silhouette(true: View) -> list[Loop]:
    """The trolley and the lamp as they stand out, with what is seen through them, by an exact hand."""
    built = place.Builder()
    place.props(built)
    triangles, _ = built.arrays()
    flat = true.project(triangles.reshape(-1, 3).astype(float)).reshape(-1, 3, 2)
    parts = [p for q in flat if (p := Polygon(q)).area > 0.01]
    whole = unary_union([p.buffer(0.15) for p in parts]).simplify(0.3)
    loops = []
    for part in getattr(whole, "geoms", [whole]):
        loops += [ring for ring in (part.exterior, *part.interiors) if Polygon(ring).area > LEAST_HOLE]
    return [Loop(points=[(round(x, 1), round(y, 1)) for x, y in list(ring.coords)[:-1]]) for ring in loops]


def stand(desk: Desk, shot_id: str, solid: AnySolid) -> None:
    """Add a solid as it is, with the photo thrown on it."""

    def alter(shot: Shot) -> Shot:
        shot.solids.append(solid)
        pieces.thrown_on(shot, solid, None)
        return shot

    desk.store.change(shot_id, f"Build {solid.name}", alter)


def main() -> None:
    build(Path(sys.argv[1]), Path(sys.argv[2]), Path(sys.argv[3]) if len(sys.argv) > 3 else FOLDER)


def build(first: Path, second: Path, out: Path) -> None:
    """Write the demo shot's package, made from its two photographs, to a folder; what is there is replaced."""
    rng = np.random.default_rng(20)
    true = t.first_view()
    with tempfile.TemporaryDirectory() as folder:
        desk = open_desk(Path(folder))
        store = desk.store
        shot_id = store.create(Shot(name="Varrow Halt"), "varrow-halt")
        one = photos.bring(desk, shot_id, "Platform side.jpg", first.read_bytes())
        two = photos.bring(desk, shot_id, "From the hut.jpg", second.read_bytes())
        lx, _, lz = t.LAMP["foot"]
        foot, head, datum = true.project(np.array([(lx, 0, lz), (lx, t.LAMP["height"] - 0.14, lz), (0.0, 0.0, 0.0)]))
        hand = rng.normal(0, HAND, (3, 2))
        survey.keep(
            desk,
            shot_id,
            one,
            Survey(
                edges=edges(true, rng),
                edge_sigma_px=0.7,
                lengths=[
                    Length(
                        a=tuple(np.round(foot + hand[0], 2)),
                        b=tuple(np.round(head + hand[1], 2)),
                        direction="rise",
                        metres=t.LAMP["height"] - 0.14,
                    )
                ],
                datum=tuple(np.round(datum + hand[2], 2)),
            ),
            "Survey the photo",
        )
        second_photo.join(desk, shot_id, one, two)
        camera = store.load(shot_id).photos[0].camera
        view = view_of(camera)
        print("f", camera.focal_px, "true", true.focal, "at", camera.position, "true", true.position)
        for solid in solids(view, true, second_photo.levels(store.load(shot_id))):
            stand(desk, shot_id, solid)
        plate = plates.outline(desk, shot_id, one, outline(true), "Trolley and lamp")
        [drawn] = store.load(shot_id).plate(plate).steps
        loops: list[Any] = [loop.model_dump(mode="json") for loop in silhouette(true)]
        stepping.set_parts(desk, shot_id, plate, drawn.id, {"loops": loops, "feather_px": 2.5})
        # the nearest wheel's rim is what touches the ground lowest: a flat that stands farther off sinks with it
        at = max((p for loop in silhouette(true) for p in loop.points), key=lambda p: p[1])
        flat_name = "Trolley and lamp flat"
        drawing.build(desk, shot_id, Gesture("flat", [at], photo=one, plate=plate, name=flat_name))
        clean.order_clean(desk, shot_id, plate, 6.0).ended.wait()
        bake(desk, shot_id, "clean-behind-trolley-and-lamp")

        built = [s.id for s in store.load(shot_id).solids]
        lamp = Polygon(outline(true).points)
        front = [i for i in built if i.startswith("post") or i == "canopy"]
        flat = next(i for i in built if "flat" in i)
        rest = [i for i in built if i not in ("ground", "hills", "platform")]
        kept = {p.id for p in store.load(shot_id).plates} | {"front-without-canopy", "hills-behind"}
        clean_for_all(desk, shot_id)
        off = [i for i in rest if i != flat] + ["platform"]
        bare, far = without(desk, shot_id, front), without(desk, shot_id, off)
        no_more_clean(desk, shot_id, kept)
        clean_strip(
            desk, shot_id, "Front without canopy", [*front, flat], [lamp], ["station", "platform"], 7.0, 120.0, bare
        )
        clean_strip(
            desk,
            shot_id,
            "Hills behind",
            off,
            [lamp],
            ["hills", "ground", "platform", "hut", "tower", "tank", "roof"],
            8.0,
            260.0,
            far,
        )
        second_photo.lay_in(desk, shot_id, one, two)

        def plan(shot: Shot) -> Shot:
            shot.delivery = Delivery(
                width=1920, height=1080, fps=24, frames=120, framing=Framing(scale=1.46, centre=(1620.0, 1080.0))
            )
            return shot

        store.change(shot_id, "Plan the frame", plan)

        def move(shot: Shot) -> Shot:
            shot.move = Move(
                keys=[
                    off_home(shot, 1, (-0.30, -0.10, 0.04), pan=0.5, tilt=0.2),
                    home_key(shot, 60),
                    off_home(shot, 120, (2.3, 0.45, -3.6), pan=2.0, tilt=-0.6),
                ]
            )
            return shot

        store.change(shot_id, "Plan the move", move)
        shot = store.load(shot_id)
        desk.close()
        if out.exists():
            shutil.rmtree(out)
        write_package(shot, store.blobs.read, out)


if __name__ == "__main__":
    main()
