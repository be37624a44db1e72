"""Short trials of what `make trials` does at length: deliveries cancelled at random, and a server that is killed."""

from __future__ import annotations

import random
from pathlib import Path

import pytest
from tools import trials

from roofline.stages import handoff, shots
from roofline.stages.opening import open_desk


@pytest.mark.slow
def test_deliveries_cancelled_at_random_leave_nothing(tmp_path):
    desk = open_desk(tmp_path / "data")
    shot_id = shots.take_in(desk, trials.small_package(tmp_path / "package"))
    states = trials.cancelling(desk, shot_id, 8, random.Random(3))
    assert states.get("cancelled", 0) > 2
    job = handoff.deliver(desk, shot_id, "png", 2, 4, False)
    assert trials.ended(job) == "done"
    folder = tmp_path / "data" / "deliveries" / shot_id
    assert [p.name for p in folder.iterdir() if f"v{job.order.version:03d}" == p.name]
    desk.close()


@pytest.mark.slow
def test_a_killed_server_goes_on_with_its_deliveries(tmp_path):
    trial = trials.Killing(Path(tmp_path), random.Random(4))
    for _ in range(3):
        server = trials.Served(trial.data)
        trial.settle(server)
        trial.trouble(server)
    trial.anew()
    server = trials.Served(trial.data)
    trial.settle(server)
    server.kill()
    assert trial.counts["kills"] == 3 and trial.counts["delivered"] >= 2


@pytest.mark.slow
def test_the_demo_shot_is_built_again_from_its_photographs(tmp_path):
    from tools.varrow.build_shot import build

    from roofline.core.massing.solids import faces_of
    from roofline.demo.shot import FOLDER
    from roofline.formats.package import open_package

    photos = FOLDER / "photos"
    build(photos / "platform-side.jpg", photos / "from-the-hut.jpg", tmp_path / "shot")
    made, ships = open_package(tmp_path / "shot").shot, open_package(FOLDER).shot
    assert made.model_dump_json() == ships.model_dump_json(), "the demo shot that ships is stale: build it again"
    roof = faces_of(next(s for s in made.solids if s.id == "hut-roof"))
    front = roof.vertices[roof.loops[roof.names.index("front")]].mean(0)
    back = roof.vertices[roof.loops[roof.names.index("back")]].mean(0)
    assert front[0] > back[0] or front[2] > back[2]
