"""Deliveries as versions: written once, from the shot as it was, and nothing left of what came to nothing."""

from __future__ import annotations

import json

import numpy as np
import OpenEXR
import pytest
from PIL import Image
from tests.stages.conftest import ended

from roofline.formats.package import open_package
from roofline.model.move import Key, Move
from roofline.model.shot import Shot
from roofline.stages import handoff, move
from roofline.stages.shots import rename


def files(desk, wall, version: int) -> list[str]:
    folder = desk.store.folder / "deliveries" / wall / f"v{version:03d}"
    return sorted(p.name for p in folder.iterdir()) if folder.is_dir() else []


def test_versions_count_up_and_stay(desk, wall):
    for version in (1, 2):
        job = ended(desk, handoff.deliver(desk, wall, "png", 2, 4, False))
        assert job.result == {"version": version, "form": "png", "says": "All 3 frames hold."}
        assert files(desk, wall, version) == [f"by-hand-v{version:03d}.{n:04d}.png" for n in (2, 3, 4)]
    job = ended(desk, handoff.deliver(desk, wall, "zip", None, None, False))
    assert job.result == {"version": 3, "form": "zip"}
    assert [(d.version, d.form, d.frames) for d in desk.store.deliveries(wall)] == [
        (3, "zip", 6),
        (2, "png", 3),
        (1, "png", 3),
    ]
    for one in (1, 2):  # the same shot gives the same bytes
        folder = desk.store.folder / "deliveries" / wall / f"v{one:03d}"
        assert [p.read_bytes() for p in sorted(folder.iterdir())] == [
            p.read_bytes() for p in sorted((folder.parent / "v001").iterdir())
        ]


def test_what_is_delivered_is_the_shot_as_it_was_when_it_was_ordered(desk, wall):
    gone = Key(frame=1, position=(400, 1.5, 0), rotation=(0, 1, 0, 0), focal_px=100)
    first = handoff.deliver(desk, wall, "png", 1, 6, False)
    move.set_move(desk, wall, Move(keys=[gone]), "Walk off", None)
    second = handoff.deliver(desk, wall, "png", 6, 6, False)
    ended(desk, first), ended(desk, second)
    # neither had been checked: each was, as it was ordered
    said = {d.version: d.says for d in desk.store.deliveries(wall)}
    assert said[1] == "All 6 frames hold."
    assert said[2].startswith("1 of 1 frames do not hold. Frame 6: 100.00 % without picture")
    folder = desk.store.folder / "deliveries" / wall
    seen = np.asarray(Image.open(folder / "v001" / "by-hand-v001.0006.png"))
    assert np.abs(seen[..., :3].astype(int) - 120).max() <= 1  # the grey photo, all over the frame
    away = np.asarray(Image.open(folder / "v002" / "by-hand-v002.0006.png"))
    assert away[..., :3].max() == 0


def test_frames_carry_what_was_ticked(desk, wall):
    ended(desk, handoff.deliver(desk, wall, "exr", 2, 2, alpha=False, depth=True, apart=True))
    path = desk.store.folder / "deliveries" / wall / "v001" / "by-hand-v001.0002.exr"
    picture, telling = OpenEXR.File(str(path), separate_channels=True).parts
    assert set(picture.channels) == {"R", "G", "B", "Z"} and set(telling.channels) == {"piece"}
    assert json.loads(telling.header["pieces"]) == {"1": desk.store.load(wall).solids[0].name}
    assert (telling.channels["piece"].pixels == 1).all()  # the wall, all over the frame


def test_a_packed_shot_comes_back_as_it_was(desk, wall):
    job = ended(desk, handoff.deliver(desk, wall, "zip", None, None, False))
    path = desk.store.folder / "deliveries" / wall / "v001" / files(desk, wall, 1)[0]
    again, shot = open_package(path), desk.store.load(wall)
    assert job.state == "done"
    assert again.shot.solids == shot.solids and again.shot.move == shot.move and again.shot.limits == shot.limits
    assert again.read(again.shot.photos[0].file) == desk.store.blobs.read(shot.photos[0].file)


@pytest.mark.parametrize(
    ("form", "suffixes"), [("glb", {"glb"}), ("gltf", {"gltf"}), ("obj", {"obj"}), ("usda", {"usda"})]
)
def test_scenes_are_written_with_all_their_files(desk, wall, form, suffixes):
    job = ended(desk, handoff.deliver(desk, wall, form, None, None, False))
    assert job.state == "done", job.error
    written = files(desk, wall, 1)
    assert suffixes <= {name.rpartition(".")[2] for name in written}
    assert all(name.startswith("by-hand-v001") or name.endswith((".png", ".jpg")) for name in written), written


def test_a_delivery_that_fails_leaves_nothing_and_frees_its_version(desk, wall):
    job = ended(desk, handoff.deliver(desk, wall, "png", 5, 9, False))
    assert job.state == "failed" and "frames 1 to 6" in job.error
    assert files(desk, wall, 1) == [] and desk.store.deliveries(wall) == []
    assert not (desk.store.folder / "deliveries" / wall).exists()
    assert ended(desk, handoff.deliver(desk, wall, "png", 5, 6, False)).result["version"] == 1


def test_a_cancelled_delivery_leaves_nothing(desk, wall):
    jobs = [handoff.deliver(desk, wall, "png", 1, 6, False) for _ in range(3)]
    for job in jobs[1:]:
        desk.jobs.cancel(job.order.id)
    assert ended(desk, jobs[0]).state == "done"
    assert {ended(desk, job).state for job in jobs[1:]} == {"cancelled"}
    assert [files(desk, wall, v) != [] for v in (1, 2, 3)] == [True, False, False]
    assert [d.version for d in desk.store.deliveries(wall)] == [1]


def test_the_rail_says_when_the_shot_has_changed_since(desk, wall):
    def told():
        return handoff.telling(desk, wall, desk.store.revision(wall))

    assert told() == ("nothing delivered", None)
    ended(desk, handoff.deliver(desk, wall, "zip", None, None, False))
    assert told() == ("v001 delivered", None)
    rename(desk, wall, "Another name")
    assert told() == ("v001 delivered", "changed since")
    assert isinstance(desk.store.load(wall), Shot)
