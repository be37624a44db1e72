"""Answers that say what has changed, news for all pages, and sockets that idle."""

from __future__ import annotations

import json
import socket
import urllib.request

import pytest

from roofline.demo.shot import DEMO_ID

BASE = f"/api/shots/{DEMO_ID}"


def has(state: dict) -> dict[str, str]:
    return {"Roof-Line-Has": f"{state['born']}:{state['revision']}"}


def merged(known: dict, answer: dict) -> dict:
    """As the front end does it."""
    if answer["since"] is None:
        return answer
    assert answer["since"] == known["revision"] and answer["born"] == known["born"]

    def whole(old, new, order):
        at = {i["id"]: i for i in [*old, *new]}
        return [at[i] for i in order]

    order = answer["order"]
    shot = answer["shot"] | {n: whole(known["shot"][n], answer["shot"][n], order[n]) for n in order}
    shapes = whole(known["shapes"], answer["shapes"], order["solids"])
    return answer | {"since": None, "order": None, "shot": shot, "shapes": shapes}


def without_rail(state: dict) -> dict:
    return {k: v for k, v in state.items() if k not in ("rail", "since", "order")}


def test_an_answer_is_what_has_changed_and_makes_up_the_whole(client):
    known = client.get(BASE).get_json()
    whole_size = len(client.get(BASE).data)
    for method, path, body in (
        ("PUT", "/plates/hills-behind", {"name": "Hills"}),
        ("POST", "/arrange", {"op": "move", "ids": ["hut", "hut-roof"], "by": [0.5, 0, 0]}),
        ("POST", "/arrange", {"op": "repeat", "ids": ["tank"], "step": [3, 0, 0], "times": 2}),
        ("POST", "/arrange", {"op": "order", "ids": ["tank", "ground"]}),
        ("POST", "/arrange", {"op": "remove", "ids": ["tower"]}),
        ("PATCH", "/limits", {"stretch": 1.7}),
        ("POST", "/undo", None),
        ("POST", "/undo", None),
        ("POST", "/redo", None),
        ("PUT", "/name", {"name": "Halt"}),
    ):
        response = client.open(f"{BASE}{path}", method=method, json=body, headers=has(known))
        answer = response.get_json()
        answer = answer.get("state", answer)
        assert answer["since"] == known["revision"]
        assert len(response.data) < 0.5 * whole_size, (path, len(response.data), whole_size)
        known = merged(known, answer)
        assert without_rail(known) == without_rail(client.get(BASE).get_json()), path


def test_whoever_has_nothing_or_something_else_gets_all(client):
    state = client.get(BASE).get_json()
    for header in ("", "nonsense", f"{state['born']}:{state['revision'] + 999}", f"another:{state['revision']}"):
        answer = client.get(BASE, headers={"Roof-Line-Has": header}).get_json()
        assert answer["since"] is None and len(answer["shot"]["solids"]) > 10
    assert client.get(BASE, headers=has(state)).get_json()["shot"]["solids"] == []


def test_the_way_of_the_camera_comes_with_the_change_where_it_is_shown(client):
    state = client.get(BASE, headers={"Roof-Line-Wants": "path"}).get_json()
    assert state["path"] == client.get(f"{BASE}/path").get_json() and len(state["path"]["cameras"]) == 120
    assert client.get(BASE).get_json()["path"] is None


def test_whole_lists_carry_the_revision_they_were_made_from(client):
    state = client.get(BASE).get_json()
    throws, revision = state["shot"]["throws"], state["revision"]
    first = client.put(f"{BASE}/throws?revision={revision}", json=throws[1:])
    assert first.status_code == 200
    late = client.put(f"{BASE}/throws?revision={revision}", json=throws[:-1])
    assert late.status_code == 409 and "the throws have been changed elsewhere" in late.get_json()["detail"]
    assert client.get(BASE).get_json()["shot"]["throws"] == throws[1:]
    assert client.put(f"{BASE}/move?revision={revision}", json=state["shot"]["move"]).status_code == 200
    assert client.put(f"{BASE}/ties?revision={revision}", json={"ties": []}).status_code == 200


def test_news_say_which_shot_and_a_removed_one_is_told(app):
    client = app.test_client()
    shot = client.post("/api/shots", json={"name": "Short"}).get_json()["id"]
    news = app.extensions["roofline"].desk.news.listen()
    client.put(f"/api/shots/{shot}/name", json={"name": "Shorter"})
    client.delete(f"/api/shots/{shot}")
    heard = [next(news) for _ in range(2)]
    assert heard == [(shot, "changed", {"revision": 1}), (shot, "removed", {})]
    news.close()
    assert client.get(f"/api/shots/{shot}/revision").status_code == 404


@pytest.mark.slow
def test_hundreds_of_idle_sockets_do_not_stop_the_server(running):
    address, _ = running
    host, port = address.removeprefix("http://").split(":")
    idle = [socket.create_connection((host, int(port)), timeout=10) for _ in range(300)]
    try:
        with urllib.request.urlopen(f"{address}/api/shots", timeout=10) as answer:
            assert json.loads(answer.read())
    finally:
        for one in idle:
            one.close()


def test_more_listeners_than_there_is_room_for_leave_the_server_free(running):
    address, _ = running
    host, port = address.removeprefix("http://").split(":")
    ears, answers = [], []
    try:
        for _ in range(40):
            one = socket.create_connection((host, int(port)), timeout=10)
            one.sendall(f"GET /api/news HTTP/1.1\r\nHost: {host}:{port}\r\n\r\n".encode())
            answers.append(one.recv(200).split(b"\r\n")[0])
            ears.append(one)
        assert any(b"200" in a for a in answers) and any(b"503" in a for a in answers)
        with urllib.request.urlopen(f"{address}/api/shots", timeout=10) as answer:
            assert json.loads(answer.read())
    finally:
        for one in ears:
            one.close()
