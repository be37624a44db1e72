"""The Massing stage's API: gestures, arranging, marks, settling, meshes, looks; undo, packages and scenes bring
pieces back."""

from __future__ import annotations

import io
import json
import time
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from tests.server.current import now
from tests.server.test_server import refused
from tools.varrow import second_photo, truth

from roofline.core.camera import bend_pixels, view_of
from roofline.core.massing.solids import faces_of
from roofline.demo.shot import DEMO_ID
from roofline.formats.package import open_package
from roofline.model.shot import Shot
from roofline.model.survey import Camera

BASE = f"/api/shots/{DEMO_ID}"
VIEW = truth.first_view()


@pytest.fixture
def halt(client):
    """The demo shot; put back afterwards."""
    yield BASE
    while client.get(BASE).get_json()["undo"]:
        client.post(f"{BASE}/undo")


def solids(client):
    return Shot.model_validate(client.get(BASE).get_json()["shot"]).solids


def named(client, name):
    return next(s for s in solids(client) if s.name == name)


def arrange(client, **body):
    got = client.post(f"{BASE}/arrange", json=body)
    assert got.status_code == 200, got.get_json()
    return got.get_json()["made"]


ALL_KINDS = [
    {"kind": "ground", "profile": [[-5, 0], [0, 0.5], [0, 1]], "size": [9, 9], "along": "run"},
    {
        "kind": "block",
        "corner": [1, 0, -3],
        "size": [4, 3, 2],
        "turn_deg": 12,
        "cuts": [{"name": "Door", "low": [1, 0, 1.7], "high": [2, 2, 2]}],
    },
    {"kind": "gable", "corner": [1, 3, -3], "size": [4, 1, 2], "overhang": 0.4, "hip": 0.5},
    {"kind": "column", "foot": [0, 0, 1], "radius_foot": 1, "radius_top": 0.4, "height": 3, "sides": 7, "turn_deg": 5},
    {
        "kind": "wall",
        "a": [0, 0],
        "b": [4, -1],
        "height": 3,
        "cuts": [{"name": "Gate", "low": [1, 0, 0], "high": [2, 2, 0]}],
    },
    {"kind": "slab", "outline": [[0, 0], [3, 0], [2, -2]], "level": 1, "thickness": 0.3},
    {"kind": "room", "corner": [0, 0, -5], "size": [4, 3, 6], "open": ["front", "top"]},
    {"kind": "steps", "corner": [0, 0, -1], "size": [2, 0.6, 1.2], "count": 4, "turn_deg": 90},
    {"kind": "panel", "points": [[0, 0, 0], [2, 0, 0], [2, 1, -1]]},
    {"kind": "flat", "foot": [0, 0, 2], "heading_deg": 20, "extent": [-1, 1, 0, 2], "passes": 0.5},
    {
        "kind": "backdrop",
        "viewer": [0, 0, 0],
        "heading_deg": 20,
        "distance": 90,
        "width": 200,
        "base": -2,
        "height": 60,
        "arc_deg": 120,
        "dome_deg": 60,
    },
]


@pytest.mark.slow
def test_every_kind_of_piece_comes_back_from_store_package_and_undo(client, halt, tmp_path):
    """Each takes the place of the demo's chimney in turn: kept, read again, packed and unpacked, undone and redone."""
    chimney = named(client, "Chimney")
    for piece in ALL_KINDS:
        body = {"id": chimney.id, "name": "Chimney", "tags": ["brick"], "group": "Station", **piece}
        got = client.put(now(client, f"{halt}/solids/{chimney.id}"), json=body)
        assert got.status_code == 200, got.get_json()
        kept = named(client, "Chimney")
        for field, value in piece.items():
            assert (
                json.loads(json.dumps(kept.model_dump(mode="json")[field])) == pytest.approx(value)
                if isinstance(value, float)
                else True
            )
        before = faces_of(kept)
        client.post(f"{halt}/undo")
        assert named(client, "Chimney").kind != piece["kind"] or named(client, "Chimney") != kept
        client.post(f"{halt}/redo")
        assert named(client, "Chimney") == kept
        assert np.array_equal(faces_of(named(client, "Chimney")).vertices, before.vertices)
        assert kept.tags == ["brick"] and kept.group == "Station"
    job = client.post(f"{halt}/deliveries", json={"form": "zip"}).get_json()
    wait(client, job)
    done = client.get(BASE).get_json()["deliveries"][0]
    file = tmp_path / "pack.zip"
    file.write_bytes(client.get(f"{halt}/deliveries/{done['id']}/file").data)
    assert open_package(file).shot.solids == solids(client)


def wait(client, job):
    end = time.monotonic() + 120
    while time.monotonic() < end:
        now = client.get(f"/api/jobs/{job['id']}").get_json()
        if now["state"] in ("done", "failed", "cancelled"):
            assert now["state"] == "done", now
            return now
        time.sleep(0.05)
    raise AssertionError("the job did not end")


@pytest.mark.slow
def test_pieces_go_out_as_a_scene_with_their_corners(client, halt, tmp_path):
    made = client.post(
        f"{halt}/construct",
        json={"kind": "steps", "points": pixels((-1.0, 0, 6.0), (1.0, 0, 4.0)), "height": 0.9, "name": "Stile"},
    ).get_json()["made"]
    job = client.post(f"{halt}/deliveries", json={"form": "glb"}).get_json()
    wait(client, job)
    done = client.get(BASE).get_json()["deliveries"][0]
    file = tmp_path / "scene.glb"
    file.write_bytes(client.get(f"{halt}/deliveries/{done['id']}/file").data)
    points = trimesh.load(file).to_mesh().vertices  # in the world: a piece's own are about its foot
    for corner in faces_of(next(s for s in solids(client) if s.id == made[0])).vertices:
        assert np.min(np.linalg.norm(points - corner, axis=1)) < 1e-4


def pixels(*places):
    return VIEW.project(np.array(places, float)).tolist()


def test_a_gesture_is_tried_built_and_undone(client, halt):
    before = [s.id for s in solids(client)]
    body = {"kind": "block", "points": pixels((-1.0, 0, 6.0), (1.0, 0, 4.5)), "top": pixels((1.0, 1.2, 4.5))[0]}
    tried = client.post(f"{halt}/construct/try", json=body).get_json()
    assert [s.id for s in solids(client)] == before and len(tried["shapes"][0]["loops"]) == 6
    made = client.post(f"{halt}/construct", json=body).get_json()["made"]
    kept = next(s for s in solids(client) if s.id == made[0])
    assert kept.size == pytest.approx((2, 1.2, 1.5), abs=0.2)  # the demo's survey is a hand's, not the truth
    throws = client.get(BASE).get_json()["shot"]["throws"]
    assert any(made[0] in t["targets"] for t in throws)
    client.post(f"{halt}/undo")
    assert [s.id for s in solids(client)] == before


def test_a_click_says_what_it_would_stick_to(client, halt):
    house = named(client, "Station house")
    camera = client.get(BASE).get_json()["shot"]["photos"][0]["camera"]
    corner = np.array(house.corner) + np.array([0, 0, house.size[2]])
    r, t = np.array(camera["rotation"]), np.array(camera["position"])
    x = r @ (corner - t)
    at = x[:2] / x[2] * camera["focal_px"] + camera["principal_point"]
    got = client.post(f"{halt}/touch", json={"pixel": (at + [3, -2]).tolist(), "reach": 8}).get_json()
    assert got["to"] == "corner of Station house" and np.allclose(got["world"], corner)
    edge = client.post(f"{halt}/touch", json={"pixel": (at + [40, -2]).tolist(), "reach": 8}).get_json()
    assert edge["to"].startswith("edge of") and len(edge["ends"]) == 2
    face = client.post(f"{halt}/touch", json={"pixel": (at + [60, -120]).tolist(), "mode": "face"}).get_json()
    assert face["surface"] == f"{house.id}/front"


def test_repeating_mirroring_aligning_and_standing(client, halt):
    hut, chimney = named(client, "Signal hut"), named(client, "Chimney")
    made = arrange(client, op="repeat", ids=[chimney.id], step=[1.5, 0, 0], times=3)
    assert len(made) == 3 and named(client, "Chimney 4").corner[0] == pytest.approx(chimney.corner[0] + 4.5)
    throws = client.get(BASE).get_json()["shot"]["throws"]
    like = [[t["plate"] for t in throws if i in t["targets"]] for i in (chimney.id, made[0])]
    assert like[0] == like[1] and like[0]
    client.post(f"{halt}/undo")
    assert all(not s.name.startswith("Chimney ") for s in solids(client))
    mirrored = arrange(client, op="mirror", ids=[hut.id], axis="run", at=0.0, keep=True)
    other = next(s for s in solids(client) if s.id == mirrored[0])
    assert np.isclose(faces_of(other).vertices[:, 0].max(), -faces_of(hut).vertices[:, 0].min())
    house = named(client, "Station house")
    arrange(client, op="align", face=f"{hut.id}/front", to=f"{house.id}/front")
    aligned = named(client, "Signal hut")
    assert aligned.corner[2] + aligned.size[2] == pytest.approx(house.corner[2] + house.size[2])
    arrange(client, op="mark", ids=[hut.id], true_size=True)
    arrange(client, op="stand", ids=[hut.id], level=0.0)
    assert named(client, "Signal hut").corner[1] == pytest.approx(0) and named(client, "Signal hut").size == hut.size
    arrange(client, op="move", ids=[hut.id], by=[1, 0, 2], turn_deg=90)
    assert named(client, "Signal hut").turn_deg == pytest.approx(90)
    order = [s.id for s in solids(client)]
    arrange(client, op="order", ids=[hut.id, *[i for i in order if i != hut.id]])
    assert solids(client)[0].id == hut.id
    arrange(client, op="remove", ids=[hut.id, house.id])
    assert not {hut.id, house.id} & {s.id for s in solids(client)}
    targets = {t for x in client.get(BASE).get_json()["shot"]["throws"] for t in x["targets"]}
    assert not any(t.partition("/")[0] in (hut.id, house.id) for t in targets)


def test_a_locked_piece_stands_and_marks_are_still_made(client, halt):
    hut = named(client, "Signal hut")
    arrange(client, op="mark", ids=[hut.id], locked=True)
    refused(client.post(f"{BASE}/arrange", json={"op": "push", "ids": [hut.id], "factor": 2}), 422, "locked")
    refused(client.post(f"{BASE}/solids/{hut.id}/pull", json={"corner": 0, "axis": "run", "by": 1}), 422, "locked")
    arrange(client, op="mark", ids=[hut.id], hidden=True, group="Sheds", tags=["timber"])
    now = named(client, "Signal hut")
    assert now.locked and now.hidden and now.group == "Sheds" and now.tags == ["timber"] and now.corner == hut.corner
    arrange(client, op="mark", ids=[hut.id], group="")
    assert named(client, "Signal hut").group is None
    refused(client.post(f"{BASE}/arrange", json={"op": "mark", "ids": [hut.id], "tags": ["x" * 500]}), 422)
    refused(client.post(f"{BASE}/arrange", json={"op": "mark", "ids": ["nowhere"], "hidden": True}), 404, "nowhere")


@pytest.mark.parametrize(
    ("body", "status", "says"),
    [
        ({"kind": "gable"}, 422, "Choose the piece"),
        ({"kind": "gable", "on": "ground"}, 422, "stands on a block"),
        ({"kind": "recess", "on": "hut/front", "points": [[1, 1]]}, 422, "corner of the opening to the other"),
        ({"kind": "recess", "on": "ground/top", "points": [[1, 1], [2, 2]]}, 422, "blocks, walls and rooms"),
        ({"kind": "street", "points": [[1000, 1800], [1200, 1500]]}, 422, "4 points"),
        ({"kind": "block", "points": [[1000, 200], [1200, 1500]]}, 422, "horizon"),
        ({"kind": "room", "points": [[1000, 1500], [1010, 1600]]}, 422, "upper one opposite"),
        ({"kind": "flat", "points": [[1000, 1800]]}, 422, "plate of its own"),
        ({"kind": "backdrop", "distance": -3}, 422, "distance"),
    ],
)
def test_gestures_that_build_nothing_say_why(client, halt, body, status, says):
    before = solids(client)
    refused(client.post(f"{halt}/construct", json=body), status, says)
    assert solids(client) == before


def drawn_beside(client, halt, block):
    """A block some centimetres off, and kept so."""
    (x, y, z), (wide, tall, deep) = block.corner, block.size
    off = block.model_copy(update={"corner": (x + 0.03, y, z), "size": (wide - 0.05, tall + 0.03, deep)})
    client.put(now(client, f"{halt}/solids/{block.id}"), json=off.model_dump(mode="json"))
    return off


def test_settling_the_demos_chimney(client, halt):
    """From some centimetres beside, the edges of both photos bring it back, in both, and say how well."""
    chimney = named(client, "Chimney")
    off = drawn_beside(client, halt, chimney)
    got = client.post(f"{halt}/solids/{chimney.id}/settle")
    assert got.status_code == 200, got.get_json()
    told = got.get_json()
    assert told["used"] >= 6 and told["rms_px"] < 3 and 0 < told["corner_m"] < 0.2
    now = named(client, "Chimney")
    lo, hi = truth.CHIMNEY["lo"], truth.CHIMNEY["hi"]
    head = np.array([(x, hi[1], z) for x in (lo[0], hi[0]) for z in (lo[2], hi[2])])  # what stands out of the roof
    true = [VIEW.project(head), second_photo.as_taken(truth.second_view(), head)]

    def misses(solid):
        """By photo the mean distance (px) of the head's corners from where it shows them."""
        out, v = [], faces_of(solid).vertices
        for photo, seen in zip(client.get(BASE).get_json()["shot"]["photos"], true, strict=True):
            camera = Camera.model_validate(photo["camera"])
            at = bend_pixels(view_of(camera).project(v), camera)
            out.append(np.linalg.norm(at[:, None] - seen[None], axis=2).min(0).mean())
        return np.array(out)

    assert (misses(now) < 0.6 * misses(off)).all(), (misses(now), misses(off))
    refused(client.post(f"{halt}/solids/ground/settle"), 422, "no measures")


def test_a_piece_that_others_edges_would_carry_off_stays_where_it_was_drawn(client, halt):
    """The platform's own borders are seen for a part only; rails and eaves lie along the others."""
    platform = named(client, "Platform")
    off = drawn_beside(client, halt, platform)
    refused(client.post(f"{halt}/solids/{platform.id}/settle"), 422, "px from where it was drawn")
    assert named(client, "Platform").size == pytest.approx(off.size)


def test_meshes_are_brought_in_placed_and_packed(client, halt, tmp_path):
    ball = trimesh.creation.icosphere(subdivisions=2, radius=0.8)
    for name, data in (("Ball.obj", ball.export(file_type="obj").encode()), ("Ball.glb", ball.export(file_type="glb"))):
        got = client.post(f"{halt}/meshes", data={"file": (io.BytesIO(data), name)}, content_type="multipart/form-data")
        assert got.status_code == 200, got.get_json()
    first, second = named(client, "Ball"), named(client, "Ball 2")
    assert first.triangles == second.triangles == 320
    arrange(client, op="move", ids=[first.id], by=[2, 1, 3])
    raw = np.frombuffer(client.get(f"{halt}/solids/{first.id}/mesh").data, "<f4").reshape(-1, 3)
    assert raw.shape == (960, 3) and np.allclose(np.linalg.norm(raw, axis=1), 0.8, atol=0.01)
    refused(client.get(f"{halt}/solids/hut/mesh"), 422, "not brought in")
    job = client.post(f"{halt}/deliveries", json={"form": "zip"}).get_json()
    wait(client, job)
    file = tmp_path / "pack.zip"
    done = client.get(BASE).get_json()["deliveries"][0]
    file.write_bytes(client.get(f"{halt}/deliveries/{done['id']}/file").data)
    with open(file, "rb") as pack:
        again = client.post("/api/packages", data={"file": (pack, "pack.zip")}, content_type="multipart/form-data")
    assert again.status_code == 200, again.get_json()
    brought = next(s for s in again.get_json()["shot"]["solids"] if s["name"] == "Ball")
    assert brought["position"] == [2, 1, 3] and brought["triangles"] == 320


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("a.obj", b"just words", "no mesh"),
        ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "no faces"),
        ("a.obj", b"v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n", "area"),
        ("a.glb", b"glTF\x02\x00\x00\x00\xff\xff\xff\xff", "cannot be read"),
        ("a.gltf", b'{"asset": {"version": "2.0"}, "buffers": [{"uri": "other.bin", "byteLength": 3}]}', "one GLB"),
        ("a.obj", b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", ""),
    ],
)
def test_files_that_are_no_mesh_are_refused(client, halt, name, data, says):
    before = solids(client)
    got = client.post(f"{halt}/meshes", data={"file": (io.BytesIO(data), name)}, content_type="multipart/form-data")
    refused(got, 415, says)
    assert solids(client) == before


def test_depth_and_cover_agree_with_rays(client, halt):
    looks = client.get(f"{halt}/looks").get_json()
    assert looks["cover_percent"] > 99 and 3 < looks["near_m"] < 6
    import OpenEXR

    path = Path(client.application.extensions["roofline"].desk.store.folder) / "depth.exr"
    path.write_bytes(client.get(f"{halt}/depth/file?form=exr").data)
    depth = OpenEXR.File(str(path)).channels()["Z"].pixels
    png = Image.open(io.BytesIO(client.get(f"{halt}/depth/file?form=png").data))
    near, far = float(png.text["near_m"]), float(png.text["far_m"])
    levels = np.asarray(png)
    for x, y in ((1600.5, 2000.5), (1200.5, 1150.5), (400.5, 1000.5), (2500.5, 1300.5)):
        at = client.get(f"{halt}/depth/at?x={x}&y={y}").get_json()["depth_m"]
        assert depth[int(y), int(x)] == pytest.approx(at, rel=1e-4)
        assert near + (far - near) * levels[int(y), int(x)] / 65534 == pytest.approx(at, abs=2 * (far - near) / 65534)
    client.patch(f"{halt}/solids/hills", json={"set": {"height": 1.0}})
    assert client.get(f"{halt}/looks").get_json()["cover_percent"] < 80
    cover = np.asarray(Image.open(io.BytesIO(client.get(f"{halt}/cover?width=400").data)))
    assert cover.shape == (267, 400, 4) and (cover[:40, :, 3] > 200).mean() > 0.9 and cover[-20:, :, 3].max() == 0
    refused(client.get(f"{halt}/depth?near=5&far=2"), 422, "nearer to a farther")


def test_faces_that_plates_hardly_reach_are_marked(apart_app):
    """By one photo alone: the second one looks along the walls that the first one sees steeply."""
    client, halt = apart_app.test_client(), BASE
    shapes = client.get(BASE).get_json()["shapes"]
    platform = next(s for s in shapes if s["id"] == "platform")
    assert "front" not in [platform["names"][i] for i in platform["grazing"]]
    ground = next(s for s in shapes if s["id"] == "ground")
    assert ground["grazing"] == []  # at the camera's feet it is seen steeply
    thin = {"kind": "wall", "id": "chimney", "name": "Chimney", "a": [0, 0], "b": [0, 0], "height": 2}
    eye = np.array(client.get(BASE).get_json()["shot"]["photos"][0]["camera"]["position"])
    ahead = VIEW.rotation[2] * [1, 0, 1]
    ahead /= np.linalg.norm(ahead)
    aside = np.array([-ahead[2], 0, ahead[0]])
    for sign in (1, -1):  # a wall that runs away from the camera, almost edge on, from either side
        a, b = eye + 8 * ahead + 0.3 * sign * aside, eye + 14 * ahead + 0.6 * sign * aside
        ends = (a, b) if sign > 0 else (b, a)
        body = {**thin, "a": ends[0][[0, 2]].tolist(), "b": ends[1][[0, 2]].tolist()}
        got = client.put(now(client, f"{halt}/solids/chimney"), json=body).get_json()
        marked = next(s for s in got["shapes"] if s["id"] == "chimney")["grazing"]
        turned = {"set": {"a.0": ends[1][0], "a.1": ends[1][2], "b": ends[0][[0, 2]].tolist()}}
        back = client.patch(f"{halt}/solids/chimney", json=turned).get_json()
        assert marked == [0] or next(s for s in back["shapes"] if s["id"] == "chimney")["grazing"] == [0]
