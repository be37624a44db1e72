"""The Survey stage's API: edges found and snapped, photos joined and compared, undone, and what is refused."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.server.current import now
from tests.server.test_server import bring, refused
from tools.varrow import truth

from roofline.core.camera import bend
from roofline.demo.shot import DEMO_ID, FOLDER

FIRST, SECOND = truth.first_view(), truth.second_view()
CORNERS = [
    (truth.HOUSE["hi"][0], truth.HOUSE["lo"][1], truth.HOUSE["hi"][2]),
    (truth.HUT["lo"][0], truth.HUT["lo"][1], truth.HUT["hi"][2]),
    (truth.POSTS_X[3], truth.HOUSE["lo"][1], truth.POST_Z),
]


def second_pixel(p):
    n = (SECOND.project(np.array(p, float)) - SECOND.centre) / SECOND.focal
    return (bend(n, truth.LENS_SECOND) * SECOND.focal + SECOND.centre).tolist()


def shared_points(surface="platform/top"):
    return [
        {
            "id": f"p{n}",
            "name": f"Corner {n}",
            "seen": {"platform-side": FIRST.project(np.array(p, float)).tolist(), "from-the-hut": second_pixel(p)},
            "surface": surface,
        }
        for n, p in enumerate(CORNERS)
    ]


@pytest.fixture(scope="module")
def app(apart_app):
    """Here photos are surveyed and joined: the demo shot's second one is apart."""
    return apart_app


@pytest.fixture(scope="module")
def found(app):
    """What is found in the demo's second photo; looking keeps nothing."""
    client, base = app.test_client(), f"/api/shots/{DEMO_ID}"
    before = client.get(base).get_json()["revision"]
    found = client.post(f"{base}/photos/from-the-hut/survey/find").get_json()
    assert found["distortion"] and len(found["edges"]) > 20
    assert client.get(base).get_json()["revision"] == before
    return found


@pytest.fixture
def halt(client, found):
    """The demo shot with its second photo surveyed by the edges that are found; put back afterwards."""
    base = f"/api/shots/{DEMO_ID}"
    survey = {"edges": found["edges"], "distortion": "solve", "edge_sigma_px": found["edge_sigma_px"]}
    client.put(now(client, f"{base}/photos/from-the-hut/survey?label=Take"), json=survey)
    yield base
    while client.get(base).get_json()["undo"]:
        client.post(f"{base}/undo")


def photo(client, base, ident):
    return next(p for p in client.get(base).get_json()["shot"]["photos"] if p["id"] == ident)


def test_shared_points_bring_a_photo_into_the_world_and_undo_takes_it_out(client, halt):
    assert photo(client, halt, "from-the-hut")["camera"]["position"] is None
    got = client.put(now(client, f"{halt}/ties?label=Click"), json={"ties": shared_points()}).get_json()
    joined = next(p for p in got["shot"]["photos"] if p["id"] == "from-the-hut")
    assert np.linalg.norm(np.array(joined["camera"]["position"]) - SECOND.position) < 0.5
    for tie, corner in zip(got["shot"]["ties"], CORNERS, strict=True):
        assert np.linalg.norm(np.array(tie["world"]) - corner) < 0.3
        assert max(tie["off_px"].values()) < 1
    client.post(f"{halt}/undo")
    assert photo(client, halt, "from-the-hut")["camera"]["position"] is None
    assert client.get(halt).get_json()["shot"]["ties"] == []
    client.post(f"{halt}/redo")
    assert photo(client, halt, "from-the-hut")["camera"]["position"] is not None


def many_points():
    """Nine corners that both photos show, clicked by a hand that is true to 0.4 px."""
    canopy, roof, chimney, hut = truth.CANOPY, truth.HOUSE_ROOF, truth.CHIMNEY, truth.HUT
    above = [
        (canopy["lo"][0], canopy["hi"][1], canopy["hi"][2]),
        (canopy["hi"][0], canopy["hi"][1], canopy["hi"][2]),
        (roof["hi"][0], roof["lo"][1], roof["hi"][2]),
        (chimney["lo"][0], chimney["hi"][1], chimney["hi"][2]),
    ]
    feet = [
        *CORNERS,
        (truth.POSTS_X[0], truth.HOUSE["lo"][1], truth.POST_Z),
        (hut["hi"][0], hut["lo"][1], hut["hi"][2]),
    ]
    hand = np.random.default_rng(5)
    return [
        {
            "id": f"p{n}",
            "name": f"Corner {n}",
            "seen": {
                "platform-side": (FIRST.project(np.array(p, float)) + hand.normal(0, 0.4, 2)).tolist(),
                "from-the-hut": (np.array(second_pixel(p)) + hand.normal(0, 0.4, 2)).tolist(),
            },
            "surface": "platform/top" if p in feet else None,
        }
        for n, p in enumerate([*feet, *above])
    ]


def test_the_second_photo_is_matched_to_the_first(client, halt):
    """It was exposed 0.66 to 0.92, 0.48 stops less, and whiter; film and falloff take something off that."""
    client.put(now(client, f"{halt}/ties"), json={"ties": many_points()})
    there = client.get(f"{halt}/throws/from-the-hut/match?to=platform-side").get_json()
    back = client.get(f"{halt}/throws/platform-side/match?to=from-the-hut").get_json()
    for got, way in ((there, 1), (back, -1)):
        assert got["after"] < 2 < 6 < got["before"] and got["points"] > 10_000
        assert way * got["grade"]["exposure"] == pytest.approx(np.log2(0.92 / 0.66), abs=0.12)
        assert 15 < way * got["grade"]["temperature"] < 35


def test_what_does_not_join_says_why_with_the_photo_that_did_not(client, halt):
    got = client.put(now(client, f"{halt}/ties"), json={"ties": shared_points(surface=None)}).get_json()
    first, second = got["shot"]["photos"]
    assert first["problem"] is None and first["camera"]["position"] is not None
    assert "how far" in second["problem"]
    refused(
        client.put(now(client, f"{halt}/ties"), json={"ties": [{"id": "x", "name": "X", "seen": {"nowhere": [1, 2]}}]}),
        404,
        "nowhere",
    )
    twice = shared_points()[:1] * 2
    refused(client.put(now(client, f"{halt}/ties"), json={"ties": twice}), 422, "same id")
    # a drag in a joined photo is answered from the joint solution
    survey = second["survey"]
    tried = client.post(f"{halt}/photos/from-the-hut/survey/try", json=survey).get_json()
    assert tried["result"] is None and "how far" in tried["problem"]


def test_photos_of_one_lens_share_its_focal_length(client, halt):
    base = f"{halt}/photos/from-the-hut/joining"
    client.put(f"{halt}/photos/platform-side/joining", json={"lens": "Field 26"})
    got = client.put(base, json={"lens": "Field 26"}).get_json()
    a, b = got["shot"]["photos"]
    assert a["camera"]["focal_px"] == b["camera"]["focal_px"]
    refused(client.put(base, json={"standpoint": "from-the-hut"}), 422, "stands for itself")
    refused(client.put(base, json={"standpoint": "nowhere"}), 404, "nowhere")


def test_one_photo_seen_from_the_other(client, halt):
    compare = f"{halt}/photos/platform-side/compared/from-the-hut?width=400"
    refused(client.get(compare), 422, "no scale")
    client.put(now(client, f"{halt}/ties"), json={"ties": shared_points()})
    picture = np.asarray(Image.open(io.BytesIO(client.get(compare).data)))
    assert picture.shape == (267, 400, 4)
    covered = picture[..., 3] > 250
    assert 0.2 < covered.mean() < 0.99


def test_an_edge_is_laid_onto_the_pictures_own(client):
    hut, hi = truth.HUT["lo"], truth.HUT["hi"]
    a, b = (FIRST.project(np.array([hut[0], y, hi[2]])) for y in (1.3, 3.3))
    body = {"points": [(a + [3, 0]).tolist(), (b + [2, 0]).tolist()], "reach": 6}
    url = f"/api/shots/{DEMO_ID}/photos/platform-side/survey/snap"
    laid = np.array(client.post(url, json=body).get_json()["points"])
    assert np.abs(laid[:, 0] - [a[0], b[0]]).max() < 1.5
    sky = {"points": [[400, 200], [900, 260]], "reach": 4}
    assert client.post(url, json=sky).get_json()["points"] is None
    refused(client.post(url, json={"points": [[1, 2]]}), 422)


def test_a_length_on_a_plane_comes_with_an_error_that_holds(client):
    """On the ground and on the front plane through the datum, against the truth of the place."""
    url = f"/api/shots/{DEMO_ID}/photos/platform-side/measure"
    for plane, a, b in (("ground", (-2.0, 0, 4.0), (6.0, 0, 3.0)), ("front", (-4.0, 0.2, 0.0), (3.0, 3.0, 0.0))):
        body = {"plane": plane, "a": FIRST.project(np.array(a)).tolist(), "b": FIRST.project(np.array(b)).tolist()}
        got = client.post(url, json=body).get_json()
        truly = float(np.linalg.norm(np.subtract(a, b)))
        assert abs(got["metres"] - truly) < 3 * got["sigma_m"] < 0.15 * truly
        assert got["metres"] == pytest.approx(truly, rel=0.03)
    refused(client.post(url, json={"plane": "ground", "a": [100, 100], "b": [200, 2000]}), 422, "above the horizon")


def test_finding_in_a_picture_without_edges_says_so(client, shot):
    grey = Image.fromarray(np.random.default_rng(0).integers(90, 160, (400, 600, 3)).astype(np.uint8))
    data = io.BytesIO()
    grey.save(data, "PNG")
    ident = bring(client, shot, data.getvalue(), "noise.png").get_json()["shot"]["photos"][0]["id"]
    refused(client.post(f"/api/shots/{shot}/photos/{ident}/survey/find"), 422, "Trace edges by hand")


def test_the_packed_shot_keeps_shared_points(client, halt, tmp_path):
    client.put(now(client, f"{halt}/ties"), json={"ties": shared_points()})
    from roofline.formats.package import open_package, write_package

    api = client.application.extensions["roofline"].desk
    kept = api.store.load(DEMO_ID)
    write_package(kept, api.store.blobs.read, tmp_path / "pack")
    again = open_package(tmp_path / "pack").shot
    assert [t.model_dump() for t in again.ties] == [t.model_dump() for t in kept.ties]
    assert (FOLDER / "shot.json").exists()
