"""Plates' steps, what the camera does and what a move needs, asked over HTTP: answers, what is kept, refusals."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from click.testing import CliRunner
from tests.server.current import now as current
from tests.server.test_server import finished, refused

from roofline.cli import main
from roofline.demo.shot import DEMO_ID, FOLDER
from roofline.formats.pictures import png, read

BASE = f"/api/shots/{DEMO_ID}"
FRONT = "trolley-and-lamp"


def plate_of(state: dict, ident: str) -> dict:
    return next(p for p in state["shot"]["plates"] if p["id"] == ident)


@pytest.fixture
def made(client):
    """A plate over the photo, taken away afterwards."""
    before = {p["id"] for p in client.get(BASE).get_json()["shot"]["plates"]}
    state = client.post(f"{BASE}/plates/new", json={"photo": "platform-side", "name": "Trial"}).get_json()
    [ident] = {p["id"] for p in state["shot"]["plates"]} - before
    yield f"{BASE}/plates/{ident}", ident
    client.delete(f"{BASE}/plates/{ident}")


def test_steps_go_in_are_changed_and_come_out(client, made):
    path, ident = made
    outline = {"do": "outline", "loops": [{"points": [[900, 900], [1300, 900], [1300, 1200], [900, 1200]]}]}
    state = client.post(f"{path}/steps", json={"step": outline}).get_json()
    [step] = plate_of(state, ident)["steps"]
    assert step["do"] == "outline" and step["id"] and state["undo"] == "Add a step"
    client.post(f"{path}/steps", json={"step": {"do": "grow", "px": 5}})
    state = client.post(f"{path}/steps", json={"step": {"do": "grade", "exposure": 1}, "place": 0}).get_json()
    assert [s["do"] for s in plate_of(state, ident)["steps"]] == ["grade", "outline", "grow"]
    grow = plate_of(state, ident)["steps"][2]
    state = client.patch(f"{path}/steps/{grow['id']}", json={"set": {"px": 9}}).get_json()
    assert plate_of(state, ident)["steps"][2] | {"px": 9} == plate_of(state, ident)["steps"][2]
    state = client.patch(f"{path}/steps/{grow['id']}", json={"off": True, "place": 0}).get_json()
    assert plate_of(state, ident)["steps"][0]["off"]
    state = client.delete(f"{path}/steps/{grow['id']}").get_json()
    assert [s["do"] for s in plate_of(state, ident)["steps"]] == ["grade", "outline"]
    refused(client.delete(f"{path}/steps/{grow['id']}"), 404, "no such step")


@pytest.mark.parametrize(
    ("step", "says"),
    [
        ({"do": "sharpen"}, "sharpen"),
        ({"do": "outline", "loops": []}, "at least 1"),
        ({"do": "depth", "near_m": 5, "far_m": 2}, "ends farther away"),
        ({"do": "clone", "strokes": [{"points": [[1, 1]]}]}, "radius in pixels"),
        ({"do": "clone", "on": "station/front", "strokes": [{"points": [[1, 1]], "radius_px": 4}]}, "radius in metres"),
        ({"do": "grade", "power": [0, 1, 1]}, "power is above zero"),
        ({"do": "painted", "file": "x", "area": [1, 1, 1, 2]}, "area has a width"),
        ({"do": "outline", "loops": [{"points": [[0, 0], [1, 0], [1, 1]], "smooth": [True]}]}, "each of its points"),
    ],
)
def test_steps_by_which_nothing_can_be_meant_are_refused_in_words(client, made, step, says):
    path, ident = made
    refused(client.post(f"{path}/steps", json={"step": step}), 422, says)
    assert plate_of(client.get(BASE).get_json(), ident)["steps"] == []


def test_strokes_cost_a_stroke_and_are_taken_one_by_one(client, made):
    path, ident = made
    state = client.post(f"{path}/steps", json={"step": {"do": "brush", "strokes": []}}).get_json()
    step = plate_of(state, ident)["steps"][0]["id"]
    for x in (100, 400):
        stroke = {"points": [[x, 300], [x + 90, 300]], "radius_px": 30}
        state = client.post(f"{path}/steps/{step}/strokes", json=stroke).get_json()
    first, second = plate_of(state, ident)["steps"][0]["strokes"]
    matte = read(client.get(f"{path}/look?width=3240&shown=matte").data, "matte")[..., 0]
    assert matte[300, 140] == 255 and matte[300, 440] == 255 and not matte[300, 300]
    state = client.delete(f"{path}/steps/{step}/strokes/{first['id']}").get_json()
    assert [s["id"] for s in plate_of(state, ident)["steps"][0]["strokes"]] == [second["id"]]
    matte = read(client.get(f"{path}/look?width=3240&shown=matte").data, "matte")[..., 0]
    assert not matte[300, 140] and matte[300, 440] == 255


def test_a_trial_shows_and_keeps_nothing(client, made):
    path, _ = made
    before = client.get(BASE).get_json()["revision"]
    steps = [{"do": "silhouette", "targets": ["station"]}]
    shown = client.post(f"{path}/try?width=800&shown=matte", json={"steps": steps})
    assert shown.headers["Roof-Line-Canvas"] == "0,0,3240,2160" and shown.headers["Cache-Control"].endswith("=0")
    assert 0.03 < (read(shown.data, "matte")[..., 0] > 127).mean() < 0.2
    assert client.get(BASE).get_json()["revision"] == before
    gone = {"steps": [{"do": "silhouette", "targets": ["gone"]}]}
    refused(client.post(f"{path}/try?width=800", json=gone), 422, "no surface 'gone'")


def test_a_plate_says_what_its_steps_have_to_tell_and_where_it_lies(client, made):
    path, ident = made
    client.post(f"{path}/steps", json={"step": {"do": "colour", "at": [[300, 300]], "tolerance": 60, "joined": False}})
    said = client.get(f"{path}/told?width=800").get_json()
    assert said["canvas"] == [0, 0, 3240, 2160] and said["covered_percent"] > 60
    assert any("lower its tolerance" in sentence for _, sentence in said["notes"])
    texture = client.get(f"{BASE}/plates/{FRONT}/texture?width=2048")
    x0, y0, w, h = map(float, texture.headers["Roof-Line-Canvas"].split(","))
    assert x0 >= 1657 and y0 >= 747 and w <= 718 and h <= 979 and texture.mimetype == "image/png"
    state = client.get(BASE).get_json()
    assert set(state["pictures"]) >= {FRONT, ident}
    before = state["pictures"]
    client.put(f"{path}", json={"name": "Trial, renamed"})
    assert client.get(BASE).get_json()["pictures"] == before  # a name changes no picture
    client.post(f"{path}/steps", json={"step": {"do": "grow", "px": 2}})
    after = client.get(BASE).get_json()["pictures"]
    assert {k for k in after if after[k] != before[k]} == {ident}


def test_a_place_on_a_face_is_told_in_metres(client):
    path = f"{BASE}/plates/platform-side/on-face?face=ground/top"
    near, beside = (np.array(client.get(f"{path}&x={x}&y=2000").get_json()["at"]) for x in (1600, 1700))
    assert 0.05 < np.hypot(*(near - beside)) < 1.0
    refused(client.get(f"{path}&x=1600&y=100"), 422, "not seen at that place")
    refused(client.get(f"{BASE}/plates/platform-side/on-face?face=gone/top&x=1&y=1"), 422, "no face 'gone/top'")


@pytest.mark.slow
def test_a_face_goes_out_squared_up_and_what_was_painted_comes_back(client):
    path = f"{BASE}/plates/platform-side"
    went = client.get(f"{path}/squared?face=hut/front&form=png16")
    assert "hut-front.png" in went.headers["Content-Disposition"]
    pixels = read(went.data, "out")
    assert pixels.dtype == np.uint16 and pixels.shape[2] == 4

    def back(data):
        return client.post(f"{path}/painted?face=hut/front", data={"file": (io.BytesIO(data), "hut front.png")})

    refused(back(went.data), 422, "differs from what went out")
    h, w = pixels.shape[:2]
    pixels[h // 3 : h // 2, w // 3 : w // 2] = (65535, 0, 0, 65535)
    step = plate_of(back(png(pixels)).get_json(), "platform-side")["steps"][-1]
    assert step["do"] == "painted" and step["on"] == "hut/front" and step["name"] == "Painted: hut front"
    client.post(f"{BASE}/undo")
    refused(back(b"no picture"), 415, "not a picture")


def test_the_camera_travels_as_it_is_told_and_its_keys_stay(client):
    before = client.get(BASE).get_json()["shot"]["move"]
    given = {"speed": [[1, 0], [60, 0.2], [120, 1]], "sway": {"rotation_deg": [0.3, 0.2, 0.1]}}
    move = client.patch(f"{BASE}/travel", json=given).get_json()["shot"]["move"]
    assert move["keys"] == before["keys"] and move["speed"][1] == [60, 0.2] and move["sway"]["seed"] == 0
    move = client.patch(f"{BASE}/travel", json={"aim": {"solid": "station"}}).get_json()["shot"]["move"]
    assert move["sway"] and move["aim"]["solid"] == "station"  # what is not given stays
    refused(client.patch(f"{BASE}/travel", json={"aim": {"solid": "gone"}}), 422, "not there any more")
    refused(client.patch(f"{BASE}/travel", json={"speed": [[9, 0], [3, 1]]}), 422, "never back")
    keyed = client.put(current(client, f"{BASE}/move"), json={"keys": before["keys"]}).get_json()["shot"]["move"]
    assert keyed["speed"] and keyed["sway"]  # keys set as a list take nothing else away
    client.patch(f"{BASE}/travel", json={"speed": None, "sway": None, "aim": None})
    assert client.get(BASE).get_json()["shot"]["move"] == before


def test_pieces_and_groups_move_and_stand_again(client):
    moved = {"keys": [{"frame": 1}, {"frame": 120, "offset": [1, 0, 0]}], "drift": [0, 0.1, 0]}
    state = client.put(f"{BASE}/solids/tower/motion", json={"motion": moved}).get_json()
    tower = next(s for s in state["shot"]["solids"] if s["id"] == "tower")
    assert len(tower["motion"]["keys"]) == 2
    cameras = client.get(f"{BASE}/path").get_json()["cameras"]
    assert [m["solid"] for m in cameras[119]["moved"]] == ["tower"]
    assert cameras[119]["moved"][0]["shift"] == pytest.approx([1, 0.1 * 119 / 24, 0])
    refused(client.put(f"{BASE}/solids/gone/motion", json={"motion": moved}), 404, "no piece 'gone'")
    faded = {"keys": [{"frame": 1, "opacity": 0.5}]}
    refused(client.put(f"{BASE}/solids/tower/motion", json={"motion": faded}), 422, "fade")
    state = client.put(f"{BASE}/solids/tower/motion", json={"motion": None}).get_json()
    assert next(s for s in state["shot"]["solids"] if s["id"] == "tower")["motion"] is None
    refused(client.put(f"{BASE}/groups/None such/motion", json={"motion": moved}), 404, "no group")
    client.post(f"{BASE}/undo")
    client.post(f"{BASE}/undo")


def test_standing_room_is_answered_row_by_row(client):
    query = "x0=-8.5&z0=14.5&x1=-7.5&z1=15&step=0.5&width=120"
    room = client.get(f"{BASE}/frames/60/standing?{query}").get_json()
    assert (room["across"], room["along"], len(room["margin"])) == (3, 2, 6)
    assert room["height_m"] == pytest.approx(1.71, abs=0.01) and min(room["margin"]) >= -10
    high = client.get(f"{BASE}/frames/60/standing?{query}&height=6").get_json()
    assert high["height_m"] == 6 and high["margin"] != room["margin"]
    refused(client.get(f"{BASE}/frames/60/standing?x0=0&z0=0&x1=900&z1=900&step=0.5"), 422, "places")
    refused(client.get(f"{BASE}/frames/60/standing?step=0"), 422, "places")
    refused(client.get(f"{BASE}/frames/999/standing"), 422, "frames 1 to 120")


@pytest.mark.slow
def test_the_paint_list_is_of_this_very_move_and_is_filled(client):
    assert client.get(f"{BASE}/paint-list").get_json() == {"regions": None}
    refused(client.get(f"{BASE}/paint-list/file"), 404, "make it again")
    job = finished(client, client.post(f"{BASE}/paint-list").get_json())
    assert job["state"] == "done" and job["result"]["regions"] > 3
    regions = client.get(f"{BASE}/paint-list").get_json()["regions"]
    assert [r["number"] for r in regions] == list(range(len(regions)))
    assert [r["pixels"] for r in regions] == sorted((r["pixels"] for r in regions), reverse=True)
    mask = read(client.get(f"{BASE}/paint-list/0/mask").data, "mask")[..., 0]
    assert (mask > 0).sum() == regions[0]["pixels"]
    with zipfile.ZipFile(io.BytesIO(client.get(f"{BASE}/paint-list/file").data)) as pack:
        assert "paint-list.csv" in pack.namelist() and len(pack.namelist()) == len(regions) + 1
    refused(client.get(f"{BASE}/paint-list/99/mask"), 404, "make it again")
    state = client.post(f"{BASE}/paint-list/fill", json={"numbers": [0]}).get_json()
    painted = state["shot"]["plates"][-1]
    assert painted["steps"][0]["do"] == "fill" and state["shot"]["throws"][-1]["targets"] == [regions[0]["surface"]]
    assert client.get(f"{BASE}/paint-list").get_json() == {"regions": None}  # another move now, as to what is bare
    client.post(f"{BASE}/undo")
    assert client.get(f"{BASE}/paint-list").get_json()["regions"] == regions


def test_a_way_out_is_taken_only_while_it_is_of_this_move(client):
    assert client.get(f"{BASE}/ways").get_json() == {"fraction": None, "ways": None}
    refused(client.post(f"{BASE}/ways/part"), 404, "look for them again")


@pytest.mark.slow
def test_the_look_along_is_of_this_very_move(client):
    assert client.get(f"{BASE}/along").get_json() == {"look": None}
    finished(client, client.post(f"{BASE}/along").get_json())
    look = client.get(f"{BASE}/along").get_json()["look"]
    assert look["strays"] and look["frames"][0]["frame"] == 1
    client.patch(f"{BASE}/travel", json={"aim_share": 0.5})
    assert client.get(f"{BASE}/along").get_json() == {"look": None}
    client.post(f"{BASE}/undo")
    assert client.get(f"{BASE}/along").get_json()["look"] == look
    printed = CliRunner().invoke(main, ["along", str(FOLDER)])
    assert printed.exit_code == 0 and "px a frame on frame" in printed.output and "slips" in printed.output


def test_a_key_may_hold_a_part_of_the_camera_and_its_focus(client, tmp_path):
    """In over HTTP, out in the path, the package and USD."""
    path = client.get(f"{BASE}/path").get_json()["cameras"]
    camera = path[89]
    key = {**{k: camera[k] for k in ("frame", "position", "pan_deg", "tilt_deg", "roll_deg")}, "zoom": 1.2}
    key |= {"free": ["position", "rotation"], "focus_m": 12.5, "f_stop": 4}
    assert client.put(f"{BASE}/keys/90", json=key).status_code == 200
    after = client.get(f"{BASE}/path").get_json()["cameras"]
    assert after[89]["zoom"] == pytest.approx(1.2) != camera["zoom"]
    for was, now in zip(path, after, strict=True):
        assert now["position"] == pytest.approx(was["position"]) and now["pan_deg"] == pytest.approx(was["pan_deg"])
        assert now["focus"]["focus_m"] == 12.5 and now["focus"]["sharp_from_m"] < 12.5
    shot = client.get(BASE).get_json()["shot"]
    kept = next(k for k in shot["move"]["keys"] if k["frame"] == 90)
    assert kept["free"] == ["position", "rotation"] and kept["f_stop"] == 4
    refused(client.put(f"{BASE}/keys/90", json=key | {"focus_m": 0}), 422, "focus_m")
    # pinned to home it holds all of the survey's camera, and keeps its focus
    home = next(k for k in shot["move"]["keys"] if k["home"])["frame"]
    assert client.put(f"{BASE}/keys/{home}", json=key | {"frame": home, "home": True}).status_code == 200
    kept = client.get(BASE).get_json()["shot"]["move"]["keys"]
    pinned = next(k for k in kept if k["frame"] == home)
    assert pinned["home"] and pinned["free"] == [] and pinned["focus_m"] == 12.5
    for _ in range(2):
        client.post(f"{BASE}/undo")
    assert client.get(f"{BASE}/path").get_json()["cameras"] == path


def test_a_place_that_is_tried_is_judged_as_the_check_judges_it(client):
    cameras = client.get(f"{BASE}/path").get_json()["cameras"]
    finished(client, client.post(f"{BASE}/check").get_json())
    report = client.get(f"{BASE}/check").get_json()["report"]
    revision = client.get(BASE).get_json()["revision"]
    for frame in (1, 60, 120):
        camera = cameras[frame - 1]
        asked = {k: camera[k] for k in ("pan_deg", "tilt_deg", "roll_deg", "zoom")}
        asked |= dict(zip(("run", "rise", "back"), camera["position"], strict=True))
        told = client.get(f"{BASE}/frames/{frame}/stand", query_string=asked).get_json()
        checked = report["frames"][frame - 1]
        assert told["open"] == (frame == 1)  # close to a limit: not told while a hand moves it
        if not told["open"]:
            assert told["holds"] == checked["holds"] == (told["margin"] >= 0) == (told["says"] is None)
    assert "smeared" in told["says"] or "soft" in told["says"] or "paint" in told["says"]
    away = asked | {"run": 0, "rise": 500, "back": 0}
    assert client.get(f"{BASE}/frames/60/stand", query_string=away).get_json()["margin"] == -10
    assert client.get(BASE).get_json()["revision"] == revision


def test_a_frame_with_a_plate_alone_and_without_it(client):
    def seen(**query):
        got = client.get(f"{BASE}/frames/60/picture", query_string={"width": 960, **query})
        return read(got.data, "seen")[..., :3].astype(int) if got.status_code == 200 else got

    whole, alone, without = seen(), seen(only=FRONT), seen(without=FRONT)
    gone = np.abs(whole - without).max(-1) > 12  # where the trolley stands
    assert 0.01 < gone.mean() < 0.3
    shows = alone.max(-1) > 8
    assert (shows & gone).sum() > 0.9 * gone.sum() and np.abs(alone - whole)[gone & shows].mean() < 12
    on = seen(only="platform-side", on="station")
    everywhere = seen(only="platform-side")
    assert 0 < (on.max(-1) > 8).mean() < 0.7 * (everywhere.max(-1) > 8).mean()
    refused(seen(only="nothing"), 404, "no plate")
    refused(seen(only=FRONT, on="station"), 404, "thrown on")
