"""A server with the demo shot for each file of tests, and its client."""

from __future__ import annotations

import json
import shutil

import pytest
from tests.conftest import apart

from roofline.demo.shot import DEMO_ID, FOLDER
from roofline.server.app import create_app
from roofline.stages import shots


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    app = create_app(tmp_path_factory.mktemp("server"))
    shots.take_in(app.extensions["roofline"].desk, FOLDER, shot_id=DEMO_ID)
    yield app
    app.extensions["roofline"].desk.close()


@pytest.fixture(scope="module")
def apart_app(tmp_path_factory):
    """A server with the demo shot whose second photo is not surveyed yet."""
    folder = tmp_path_factory.mktemp("apart") / "shot"
    shutil.copytree(FOLDER, folder)
    (folder / "shot.json").write_text(json.dumps(apart(json.loads((FOLDER / "shot.json").read_text()))))
    app = create_app(tmp_path_factory.mktemp("server"))
    shots.take_in(app.extensions["roofline"].desk, folder, shot_id=DEMO_ID)
    yield app
    app.extensions["roofline"].desk.close()


@pytest.fixture
def client(app):
    return app.test_client()


@pytest.fixture
def shot(client):
    return client.post("/api/shots", json={"name": "Test"}).get_json()["id"]
