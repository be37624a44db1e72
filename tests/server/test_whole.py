"""Two pages on one shot: what replaces a whole says what it was made from; a hand's change is of what it touched."""

from __future__ import annotations

import pytest
from tests.server.test_steps_api import BASE

WHOLES = ["/limits", "/delivery", "/move", "/throws", "/ties", "/photos/platform-side/survey", "/solids/hut"]


def whole(client, path):
    shot = client.get(BASE).get_json()["shot"]
    match path.split("/")[1:]:
        case ["ties"]:
            return {"ties": shot["ties"]}
        case ["photos", ident, _]:
            return next(p for p in shot["photos"] if p["id"] == ident)["survey"]
        case ["solids", ident]:
            return next(s for s in shot["solids"] if s["id"] == ident)
        case [name]:
            return shot[name]


def other_page(client, path):
    """A change by somebody else to what is about to be replaced."""
    changes = {
        "/ties": ("PUT", "/ties", {"ties": []}),
        "/throws": ("PATCH", "/throws/platform-side", {"occlusion": False}),
        "/move": ("PUT", "/keys/1", {"frame": 1, "position": [0, 1, 2]}),
        "/solids/hut": ("PATCH", "/solids/hut", {"set": {"corner.1": 0.25}}),
    }
    method, at, body = changes.get(path, ("PATCH", "/limits", {"stretch": 2 + WHOLES.index(path) / 10 + 0.05}))
    revision = client.get(BASE).get_json()["revision"]
    made_from = {"revision": revision} if method == "PUT" else {}
    got = client.open(BASE + at, method=method, json=body, query_string=made_from)
    assert got.status_code == 200, got.get_json()


@pytest.mark.parametrize("path", WHOLES)
def test_a_whole_goes_over_nothing_that_came_after_what_it_was_made_from(client, path):
    body, revision = whole(client, path), client.get(BASE).get_json()["revision"]
    missing = client.put(BASE + path, json=body)
    assert missing.status_code == 422 and "revision" in missing.get_json()["detail"]
    other_page(client, path)
    theirs = client.get(BASE).get_json()["shot"]
    late = client.put(f"{BASE}{path}?revision={revision}", json=body)
    assert late.status_code == 409 and "nothing was overwritten" in late.get_json()["detail"]
    assert client.get(BASE).get_json()["shot"] == theirs
    now = client.get(BASE).get_json()["revision"]
    assert client.put(f"{BASE}{path}?revision={now}", json=whole(client, path)).status_code == 200


def test_two_hands_on_one_piece_and_one_step_keep_what_both_set(client):
    for part, value in (("corner.0", 7.5), ("corner.1", 0.5), ("turn_deg", 12.0), ("name", "Hut by the line")):
        assert client.patch(f"{BASE}/solids/hut", json={"set": {part: value}}).status_code == 200
    hut = whole(client, "/solids/hut")
    assert (hut["corner"][:2], hut["turn_deg"], hut["name"]) == ([7.5, 0.5], 12.0, "Hut by the line")
    plate = next(p for p in client.get(BASE).get_json()["shot"]["plates"] if p["steps"])
    step = plate["steps"][0]
    path = f"{BASE}/plates/{plate['id']}/steps/{step['id']}"
    assert client.patch(path, json={"set": {"feather_px": 3.5}}).status_code == 200
    assert client.patch(path, json={"off": True, "set": {"name": "Around"}}).status_code == 200
    after = next(p for p in client.get(BASE).get_json()["shot"]["plates"] if p["id"] == plate["id"])["steps"][0]
    assert after == {**step, "feather_px": 3.5, "off": True, "name": "Around"}


@pytest.mark.parametrize(
    "parts",
    [
        {"id": "other"},
        {"kind": "wall"},
        {"colour": 1},
        {"corner.3": 1.0},
        {"name.0": "H"},
        {"corner": [1, 2]},
        {"corner.0": "far"},
        {"corner.0": None},
        {"Corner": 1},
        {"corner.-1": 1.0},
        {"size.0": 1e308},
    ],
)
def test_parts_that_are_not_there_or_do_not_fit_are_refused_in_words(client, parts):
    before = client.get(BASE).get_json()["shot"]
    got = client.patch(f"{BASE}/solids/hut", json={"set": parts})
    assert got.status_code == 422 and got.get_json()["detail"], got.get_json()
    assert client.get(BASE).get_json()["shot"] == before
