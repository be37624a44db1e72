"""Whatever the hand does on the demo shot: an answer or a refusal in words, and a shot that still holds together."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from roofline.core.massing.solids import faces_of
from roofline.demo.shot import DEMO_ID
from roofline.model.shot import Shot

BASE = f"/api/shots/{DEMO_ID}"
# the picture is 3240 × 2160, its ground the lower part; what is far outside, and the same spot again, a hand does too
spot = st.one_of(
    st.tuples(st.floats(100, 3100), st.floats(1450, 2100)),
    st.tuples(st.floats(100, 3100), st.floats(200, 2100)),
    st.sampled_from([(0.0, 0.0), (1700.0, 1650.0), (1700.0, 1200.0), (-9e4, 9e4), (1e12, -1e12)]),
)
metres = st.one_of(st.floats(-40, 40), st.sampled_from([0.0, 1e-9, -1e-9, 1e4, -1e4]))
NEED = {
    "block": 2,
    "wall": 2,
    "slab": 3,
    "gable": 0,
    "room": 2,
    "column": 2,
    "steps": 2,
    "panel": 3,
    "recess": 2,
    "flat": 1,
    "fold": 1,
    "street": 4,
}


@st.composite
def gestures(draw) -> dict:
    """Mostly what a hand would draw of a kind, now and then a click too many, one missing, or one gone astray."""
    kind = draw(st.sampled_from(sorted(NEED)))
    ground = st.tuples(st.floats(300, 2900), st.floats(1500, 2050))
    points = [draw(ground) for _ in range(NEED[kind])]
    top = draw(
        st.none() | st.floats(-50, 900).map(lambda up: (points[-1][0], points[-1][1] - up) if points else (1500, 600))
    )
    astray = draw(st.integers(0, 5))
    if astray == 0:
        points = draw(st.lists(spot, min_size=1, max_size=4))
    elif astray == 1:
        points = [*points[:-1], draw(spot)]
    elif astray == 2:
        top = draw(spot)
    on = draw(st.sampled_from(["station", "station/front", "hut", "platform/front", "ground/top", "nothing", "/"]))
    used = {"gable": on.split("/")[0], "recess": on, "panel": on}.get(kind)
    return {"kind": kind, "points": points, "top": top, "reach": draw(st.sampled_from([0.0, 8.0, 300.0])), "on": used}


with_client = settings(
    max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture], derandomize=True
)


def told(response) -> dict:
    """The answer; a refusal has to be in words, and nothing may be a failure of the server."""
    body = response.get_json()
    assert response.status_code in (200, 400, 404, 409, 422), (response.status_code, body)
    if response.status_code != 200:
        assert response.mimetype == "application/problem+json"
        assert body["detail"].endswith((".", "?")) and len(body["detail"]) > 10, body
        assert not re.search("Input should|Traceback|numpy|pydantic|nan|inf\\b", body["detail"]), body
    return body


def finite(value) -> bool:
    if isinstance(value, float):
        return math.isfinite(value)
    if isinstance(value, list):
        return all(map(finite, value))
    return all(map(finite, value.values())) if isinstance(value, dict) else True


def state(client):
    got = client.get(BASE)
    assert got.status_code == 200
    return got.get_json()


@pytest.fixture
def halt(client):
    yield client
    while state(client)["undo"]:
        client.post(f"{BASE}/undo")


@pytest.mark.slow
@with_client
@given(gestures())
def test_a_gesture_builds_something_sound_or_says_why_not(halt, gesture):
    before = state(halt)
    tried = halt.post(f"{BASE}/construct/try", json=gesture)
    shown = told(tried)
    assert state(halt)["revision"] == before["revision"]  # trying leaves nothing behind
    built = halt.post(f"{BASE}/construct", json=gesture)
    made = told(built)
    # what was shown while drawing is what is built, and what was refused is refused
    assert built.status_code == tried.status_code, (shown, made)
    after = state(halt)
    if built.status_code != 200:
        assert after["revision"] == before["revision"]
        return
    assert finite(shown) and finite(after)
    solids = {s.id: s for s in Shot.model_validate(after["shot"]).solids}
    previews = {x["id"]: np.array(x["vertices"]) for x in shown["shapes"]}
    for ident in made["made"]:
        faces = faces_of(solids[ident])
        assert np.isfinite(faces.vertices).all() and faces.loops
        assert np.allclose(previews[ident], faces.vertices, atol=1e-9)
    undone = halt.post(f"{BASE}/undo").get_json()
    assert undone["shot"] == before["shot"]


@pytest.mark.slow
@with_client
@given(st.data())
def test_a_dragged_corner_or_face_never_breaks_a_piece(halt, data):
    before = state(halt)
    shape = data.draw(st.sampled_from([x for x in before["shapes"] if len(x["names"]) < 60]))
    base = f"{BASE}/solids/{shape['id']}"
    if data.draw(st.booleans()):
        path = f"{base}/pull"
        body = {"corner": data.draw(st.integers(0, 12)), "axis": data.draw(st.sampled_from(["run", "rise", "return"]))}
        body |= {"by": data.draw(metres)} if data.draw(st.booleans()) else {"pixel": data.draw(spot)}
    else:
        path = f"{base}/shove"
        body = {"face": data.draw(st.sampled_from(shape["names"])), "start": data.draw(spot), "pixel": data.draw(spot)}
    told(halt.post(f"{path}/try", json=body))
    assert state(halt)["revision"] == before["revision"]
    got = halt.post(path, json=body)
    told(got)
    after = state(halt)
    assert finite(after)
    others = [s for s in before["shot"]["solids"] if s["id"] != shape["id"]]
    assert [s for s in after["shot"]["solids"] if s["id"] != shape["id"]] == others
    if after["revision"] != before["revision"]:
        assert halt.post(f"{BASE}/undo").get_json()["shot"] == before["shot"]


@pytest.mark.slow
@with_client
@given(st.data())
def test_arranging_keeps_the_shot_whole(halt, data):
    before = state(halt)
    every = [s["id"] for s in before["shot"]["solids"]]
    ids = data.draw(st.lists(st.sampled_from([*every, "nobody"]), min_size=1, max_size=4, unique=True))
    op = data.draw(st.sampled_from(["move", "push", "repeat", "mirror", "stand", "remove", "order"]))
    body = {
        "move": {"by": [data.draw(metres) for _ in range(3)], "turn_deg": data.draw(st.floats(-360, 360))},
        "push": {"factor": data.draw(st.sampled_from([1e-9, 0.1, 1.0, 50.0, 1e9]))},
        "repeat": {"step": [data.draw(metres) for _ in range(3)], "times": data.draw(st.integers(1, 3))},
        "mirror": {"axis": data.draw(st.sampled_from(["run", "return"])), "keep": data.draw(st.booleans())},
        "stand": {"level": data.draw(metres)},
        "remove": {},
        "order": {},
    }[op]
    got = halt.post(f"{BASE}/arrange", json={"op": op, "ids": ids, **body})
    answer = told(got)
    after = state(halt)
    if got.status_code != 200:
        assert after["revision"] == before["revision"]
        return
    assert finite(after)
    now = [s["id"] for s in after["shot"]["solids"]]
    assert len(set(now)) == len(now)
    if op == "remove":
        assert now == [i for i in every if i not in ids]
    elif op in ("repeat", "mirror"):
        assert set(answer["made"]) <= set(now) and set(every) <= set(now)
        if op == "repeat":
            assert len(now) == len(every) + len(ids) * body["times"]
    else:
        assert sorted(now) == sorted(every)
    # throws go on naming only what is there
    assert {t.split("/")[0] for th in after["shot"]["throws"] for t in th["targets"]} <= set(now)
    if after["revision"] != before["revision"]:
        assert halt.post(f"{BASE}/undo").get_json()["shot"] == before["shot"]
