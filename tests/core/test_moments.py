"""A piece that has moved carries its picture along: against the same piece compiled where it has gone."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation
from tests.conftest import looking, photographed

from roofline.core.massing.kinds import Block, Mesh
from roofline.core.moment import Moment, Pose, still
from roofline.core.throw.engine import engine_of
from roofline.core.throw.geometry import Geometry
from roofline.model.massing import MeshFace
from roofline.model.plates import Throw

PLATE = looking(320, 210, 260, 12, -4, (0.0, 1.8, 0.0))
VIEW = looking(240, 160, 200, 20, -6, (0.6, 2.1, -1.0), 3)
BOX = Block(id="box", name="Box", corner=(0.5, 0.0, -9.0), size=(1.5, 2.0, 1.0), turn_deg=20)
WALL = Mesh(
    id="wall",
    name="Wall",
    vertices=[(-6, -1, -14), (9, -1, -14), (9, 6, -15), (-6, 6, -15)],
    faces=[MeshFace(name="front", loop=[0, 1, 2, 3])],
)


def engine(solids=(BOX, WALL), targets=("box", "wall")):
    return engine_of(*photographed(PLATE, list(solids), [Throw(plate="plate", targets=list(targets))]))


def moved(geometry: Geometry, ident: str, pose: Pose) -> Mesh:
    """A solid as a mesh where its pose brings it."""
    mine = np.flatnonzero(geometry.solid == geometry.solid_ids.index(ident))
    q = geometry.pieces
    vertices, faces = [], []
    for f in mine:
        for piece in range(q.start[f], q.start[f + 1]):
            corners = q.corners[q.first[piece] : q.first[piece + 1]]
            first = len(vertices)
            vertices += (pose.shift + pose.scale * corners @ pose.rotation.T).tolist()
            loop = list(range(first, len(vertices)))
            a, b, c = (np.array(vertices[i]) for i in loop[:3])
            if np.cross(b - a, c - b) @ (pose.rotation @ geometry.normals[f]) < 0:
                loop.reverse()
            faces.append(MeshFace(name=geometry.names[f].partition("/")[2], loop=loop))
    return Mesh(id=ident, name=ident, vertices=[tuple(v) for v in vertices], faces=faces)


poses = st.builds(
    lambda turn, shift, scale: Pose.about(
        np.array([1.2, 0.0, -9.5]), Rotation.from_rotvec(turn).as_matrix(), np.array(shift), scale
    ),
    st.tuples(*[st.floats(-0.6, 0.6)] * 3),
    st.tuples(*[st.floats(-1.5, 1.5)] * 3),
    st.floats(0.5, 1.8),
)


@given(poses)
@settings(max_examples=25, deadline=None)
def test_a_moved_piece_is_seen_where_it_has_gone(pose):
    whole = engine()
    there = engine([moved(whole.geometry, "box", pose), WALL], ["wall"])
    moment = Moment(5, VIEW, {"box": pose})
    a, b = whole.depth(moment), there.depth(still(VIEW))
    # the same faces at the same true depth, but for pixels that the border just touches
    assert (np.isclose(a, b, rtol=1e-6) | (np.isinf(a) & np.isinf(b))).mean() > 0.999


@given(poses)
@settings(max_examples=25, deadline=None)
def test_its_picture_goes_with_it_and_stretch_is_that_of_finite_differences(pose):
    whole = engine()
    moment = Moment(5, VIEW, {"box": pose})
    got = whole.measure(moment)
    names = np.array(whole.geometry.names)
    box = (got.pair >= 0) & np.char.startswith(names[got.face], "box/") & (got.face >= 0)
    for y, x in np.argwhere(box)[:: max(1, box.sum() // 4)][:4]:

        def landed(dx, dy, y=y, x=x):
            story = whole.probe(moment, (x + 0.5 + dx, y + 0.5 + dy))
            return story, np.array(story.plate_pixel or (np.nan, np.nan))

        story, pixel = landed(0, 0)
        # the plate pixel is that of the point at rest
        rest = pose.rotation.T @ (np.array(story.world) - pose.shift) / pose.scale
        assert PLATE.project(rest) == pytest.approx(pixel, abs=1e-6)
        e = 1e-3
        (sx, px), (sy, py) = landed(e, 0), landed(0, e)
        if {sx.surface, sy.surface} != {story.surface} or np.isnan([*px, *py]).any():
            continue
        sigma = np.linalg.svd(np.stack([(px - pixel) / e, (py - pixel) / e], 1), compute_uv=False)
        assert story.stretch == pytest.approx(sigma[0] / sigma[1], rel=2e-3)
        assert story.magnification == pytest.approx(1 / sigma[1], rel=2e-3)


def test_what_a_moved_piece_uncovers_is_bare_behind_it():
    whole = engine()
    home = whole.measure(still(PLATE))
    assert (home.verdict[home.face >= 0] == 0).mean() > 0.98
    aside = whole.measure(Moment(2, PLATE, {"box": Pose(shift=np.array([-2.5, 0.0, 0.0]))}))
    wall = whole.geometry.names.index("wall/front")
    behind = (aside.face == wall) & (home.face >= 0) & (home.face != wall)
    assert behind.sum() > 500
    assert (aside.verdict[behind] == 4).mean() > 0.97


def test_other_pieces_stay_as_they_are():
    whole = engine()
    base, aside = (
        whole.measure(still(VIEW)),
        whole.measure(Moment(1, VIEW, {"box": Pose(shift=np.array([0.0, 50.0, 0.0]))})),
    )
    both = base.face == aside.face
    assert both.mean() > 0.5
    assert np.array_equal(base.stretch[both], aside.stretch[both])
