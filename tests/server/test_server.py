"""The API: answers, refusals in words, jobs, live news, and what is not let in."""

from __future__ import annotations

import io
import json
import threading
import time
import tracemalloc

import cv2
import numpy as np
import pytest
from PIL import Image
from tests.formats.test_pictures import huge_png, jpeg
from tests.server.current import now

from roofline.demo.shot import DEMO_ID
from roofline.formats.pictures import read
from roofline.server.app import create_app
from roofline.work.news import MOST


def bring(client, shot, data, name="photo.jpg"):
    return client.post(f"/api/shots/{shot}/photos", data={"file": (io.BytesIO(data), name)})


def finished(client, job, seconds=120):
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        job = client.get(f"/api/jobs/{job['id']}").get_json()
        if job["state"] in ("done", "failed", "cancelled"):
            return job
        time.sleep(0.05)
    raise AssertionError("the job did not end")


def refused(response, status, *words):
    assert response.status_code == status, response.get_data(as_text=True)
    assert response.mimetype == "application/problem+json"
    body = response.get_json()
    assert body["status"] == status and all(w in body["detail"] for w in words), body["detail"]


def test_a_photo_becomes_the_first_plate(client, shot):
    state = bring(client, shot, jpeg((300, 200)), "Front.jpg").get_json()
    photo, plate = state["shot"]["photos"][0], state["shot"]["plates"][0]
    assert (photo["name"], photo["width"], photo["height"]) == ("Front", 300, 200)
    assert plate["photo"] == photo["id"] and plate["canvas"] == [0, 0, 300, 200]
    assert state["undo"] == "Bring the photo Front"
    got = client.get(f"/api/shots/{shot}/photos/{photo['id']}/picture?width=150")
    assert Image.open(io.BytesIO(got.data)).size == (150, 100)
    undone = client.post(f"/api/shots/{shot}/undo").get_json()
    assert undone["shot"]["photos"] == [] and undone["redo"] == "Bring the photo Front"


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"words, not a picture", ("holiday.jpg is not a picture", "JPEG, PNG, TIFF")),
        (jpeg((400, 300))[:3000], ("damaged or cut short",)),
        (huge_png(), ("40000 × 40000", "megapixels")),
    ],
)
def test_bad_photos_are_refused_and_nothing_is_lost(client, shot, data, words):
    bring(client, shot, jpeg())
    before = client.get(f"/api/shots/{shot}").get_json()["shot"]
    refused(bring(client, shot, data, "holiday.jpg"), 415, *words)
    assert client.get(f"/api/shots/{shot}").get_json()["shot"] == before


def test_bad_requests_are_refused_in_words(client, shot):
    photo = bring(client, shot, jpeg()).get_json()["shot"]["photos"][0]["id"]
    base = f"/api/shots/{shot}"
    survey = now(client, f"{base}/photos/{photo}/survey")
    refused(
        client.put(survey, data='{"edges": [{"points": [[NaN, 0], [1, 1]]}]}', content_type="application/json"),
        422,
        "NaN",
    )
    refused(client.put(survey, json={"edges": [{"family": "run", "points": [[5, 5], [5, 5]]}]}), 422, "no length")
    refused(
        client.put(survey, json={"lengths": [{"a": [1, 1], "b": [9, 9], "direction": "rise", "metres": 0}]}),
        422,
        "longer than zero",
    )
    refused(
        client.put(
            now(client, f"{base}/move"),
            json={"keys": [{"frame": -5, "position": [0, 0, 0], "rotation": [1, 0, 0, 0], "focal_px": 9}]},
        ),
        422,
        "frame -5",
        "before the shot's first frame, 1",
    )
    refused(client.post(f"{base}/construct", json={"kind": "ground"}), 422, "no surveyed photo")
    refused(client.post(f"{base}/construct", json={"kind": "palace"}), 422, "kind")
    refused(client.get("/api/shots/nobody"), 404, "nobody")
    refused(client.get(f"{base}/frames/one/verdicts"), 404, "not a frame")
    refused(client.get(f"{base}/frames/1/probe?x=1"), 422, "y")
    refused(client.get(f"{base}/photos/{photo}/picture?width=9999999"), 422, "width")
    refused(client.post("/api/packages", data={"file": (io.BytesIO(b"no zip"), "a.zip")}), 415, "not a ZIP")
    refused(client.post("/api/shots", data="name=x"), 415, "JSON")
    refused(client.get("/api/nothing"), 404)
    assert client.get(base).get_json()["revision"] == 1


def test_edges_without_a_camera_are_kept_with_the_reason(client, shot):
    photo = bring(client, shot, jpeg((1000, 1000))).get_json()["shot"]["photos"][0]["id"]
    edges = [
        {"family": "rise", "points": [[100, 100], [110, 900]]},
        {"family": "rise", "points": [[900, 100], [880, 900]]},
    ]
    state = client.put(now(client, f"/api/shots/{shot}/photos/{photo}/survey"), json={"edges": edges}).get_json()
    got = state["shot"]["photos"][0]
    assert len(got["survey"]["edges"]) == 2 and got["camera"] is None
    assert "does not give a focal length" in got["problem"]
    tried = client.post(
        f"/api/shots/{shot}/photos/{photo}/survey/try", json={"edges": edges, "focal_px": {"value": 900, "sigma": 9}}
    )
    assert tried.get_json()["result"]["camera"]["focal_px"] == pytest.approx(900, abs=20)


def test_only_this_machine_and_this_page_are_answered(client):
    assert client.get("/api/shots", headers={"Host": "evil.example"}).status_code == 403
    assert client.post("/api/shots", json={"name": "x"}, headers={"Origin": "http://evil.example"}).status_code == 403
    policy = client.get("/api/shots").headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy and "http" not in policy
    refused(client.get("/api/shots/../../etc/passwd"), 404)


def test_another_address_demands_a_token(tmp_path):
    from click.testing import CliRunner

    from roofline.cli import main

    done = CliRunner().invoke(main, ["serve", "--host", "0.0.0.0", "--data", str(tmp_path)])
    assert done.exit_code == 2 and "access token" in done.output
    client = create_app(tmp_path, "0.0.0.0", "secret").test_client()
    assert client.get("/api/shots", headers={"Host": "box:5800"}).status_code == 403
    assert client.get("/api/shots", headers={"Host": "box:5800", "Authorization": "Bearer secret"}).status_code == 200
    client.get("/?token=secret", headers={"Host": "box:5800"})
    assert client.get("/api/shots", headers={"Host": "box:5800"}).status_code == 200


def test_check_overlay_probe_and_picture_agree(client):
    base = f"/api/shots/{DEMO_ID}"
    job = finished(client, client.post(f"{base}/check").get_json())
    assert job["state"] == "done", job
    small = client.get(f"{base}/check").get_json()["report"]["frames"][111]
    fine = finished(client, client.post(f"{base}/check?fine=true").get_json())
    assert fine["state"] == "done" and fine["result"] == job["result"]
    report = client.get(f"{base}/check").get_json()
    frame = report["report"]["frames"][111]
    large = read(client.get(f"{base}/frames/112/verdicts?width=1920").data)[..., 0]
    shares = 100 * np.bincount(large.ravel(), minlength=6) / large.size
    assert shares == pytest.approx([frame[v] for v in report["verdicts"]], abs=1e-9)
    assert [small[v] for v in report["verdicts"]] == pytest.approx(shares, abs=0.06)  # counted on a small, turned grid
    codes = read(client.get(f"{base}/frames/112/verdicts?width=320").data)[..., 0]
    y, x = map(int, np.argwhere(codes == 2)[50])
    story = client.get(f"{base}/frames/112/probe?x={(x + 0.5) * 6}&y={(y + 0.5) * 6}").get_json()
    assert story["verdict"] == "smeared" and story["stretch"] > 2
    picture = read(client.get(f"{base}/frames/60/picture?width=320").data)
    assert picture.shape == (180, 320, 3) and 60 < picture.mean() < 190
    state = client.get(base).get_json()
    assert (
        next(t for t in state["rail"] if t["stage"] == "move")["figure"]
        == f"{job['result']['holding']} of 120 frames hold"
    )


@pytest.mark.slow
def test_a_clean_plate_is_made_again_only_where_it_was_matted(client):
    base = f"/api/shots/{DEMO_ID}"
    before = client.get(base).get_json()["shot"]
    front = next(p for p in before["plates"] if p["role"] == "foreground")
    job = finished(client, client.post(f"{base}/plates/{front['id']}/clean", json={"grow_px": 16}).get_json())
    assert job["state"] == "done", job
    after = client.get(base).get_json()["shot"]
    clean = next(p for p in after["plates"] if p["clean_of"] == front["id"])
    assert clean["steps"][0]["grow_px"] == 16 and clean["without"] == [
        t for throw in after["throws"] if throw["plate"] == front["id"] for t in throw["targets"]
    ]
    desk = client.application.extensions["roofline"].desk
    shot = desk.store.load(DEMO_ID)
    worked = desk.engines.worked(shot, shot.plate(clean["id"]))
    pixels, matte = worked.pixels, worked.full_matte > 0.5
    grown = cv2.dilate(matte.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (33, 33)))  # by 16 px
    x0, y0, w, h = (int(v) for v in clean["canvas"])
    photo = read(client.application.extensions["roofline"].desk.store.blobs.read(after["photos"][0]["file"]))[
        y0 : y0 + h, x0 : x0 + w
    ]
    assert matte.sum() == job["result"]["filled_px"]
    beyond = cv2.distanceTransform(1 - grown, cv2.DIST_L2, 5) > 5  # the soft rim is filled as well
    assert (pixels[beyond] == photo[beyond]).all() and (pixels[matte] != photo[matte]).any(1).mean() > 0.9
    client.post(f"{base}/undo")
    assert client.get(base).get_json()["shot"] == before


@pytest.mark.slow
def test_deliveries_are_versions_that_stay(client):
    base = f"/api/shots/{DEMO_ID}"
    first = finished(
        client, client.post(f"{base}/deliveries", json={"form": "png", "first": 60, "last": 61}).get_json()
    )
    second = finished(client, client.post(f"{base}/deliveries", json={"form": "zip"}).get_json())
    assert (first["result"]["version"], second["result"]["version"]) == (1, 2)
    state = client.get(base).get_json()
    assert [(d["version"], d["form"]) for d in state["deliveries"]] == [(2, "zip"), (1, "png")]
    frames = client.get(f"{base}/deliveries/{state['deliveries'][1]['id']}/file")
    assert frames.mimetype == "application/zip"
    package = client.get(f"{base}/deliveries/{state['deliveries'][0]['id']}/file")
    back = client.post("/api/packages", data={"file": (io.BytesIO(package.data), "demo.zip")}).get_json()
    assert back["shot"]["solids"] == state["shot"]["solids"] and back["id"] != DEMO_ID
    refused(client.get(f"{base}/deliveries/77/file"), 404)
    outside = finished(
        client, client.post(f"{base}/deliveries", json={"form": "png", "first": 100, "last": 300}).get_json()
    )
    assert outside["state"] == "failed" and "frames 1 to 120" in outside["error"]


@pytest.mark.slow
def test_many_frames_are_sent_without_all_of_them_in_memory(app, client):
    base = f"/api/shots/{DEMO_ID}"
    finished(client, client.post(f"{base}/deliveries", json={"form": "png", "first": 60, "last": 61}).get_json())
    delivery = client.get(base).get_json()["deliveries"][0]
    folder = app.extensions["roofline"].desk.store.folder
    frames = folder / "deliveries" / DEMO_ID / f"v{delivery['version']:03d}"
    with (frames / "large.png").open("wb") as file:
        file.truncate(150_000_000)
    tracemalloc.start()
    sent = sum(len(part) for part in client.get(f"{base}/deliveries/{delivery['id']}/file").response)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert sent > 150_000_000 and peak < 20e6


def test_a_place_among_the_listeners_is_given_back_by_who_never_listened(app):
    """After HEAD, and where a client leaves before the first byte."""
    client = app.test_client()
    shot = client.post("/api/shots", json={"name": "Silent"}).get_json()["id"]
    for path in ("/api/news", f"/api/shots/{shot}/events"):
        for _ in range(MOST + 2):
            answer = client.head(path)
            assert answer.status_code == 200
            answer.close()  # as a server does with every response
        for _ in range(MOST + 2):
            client.get(path).close()
    taken = [client.get("/api/news") for _ in range(MOST)]
    assert client.get("/api/news").status_code == 503  # they are all there to be had, and no more
    for one in taken:
        one.close()
    assert client.get("/api/news").status_code == 200


def test_news_reach_the_page(app):
    client = app.test_client()
    shot = client.post("/api/shots", json={"name": "News"}).get_json()["id"]
    stream = client.get(f"/api/shots/{shot}/events").response
    got = []

    def listen():
        for part in stream:
            got.append(part if isinstance(part, str) else part.decode())
            if "event: changed" in got[-1]:
                return

    ear = threading.Thread(target=listen, daemon=True)
    ear.start()
    time.sleep(0.2)
    app.test_client().put(f"/api/shots/{shot}/name", json={"name": "Newer"})
    ear.join(5)
    assert json.loads(got[-1].split("data: ")[1]) == {"revision": 1}
