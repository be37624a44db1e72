"""A data folder that goes away under a running program: what is answered is kept, and it goes on when it is back."""

from __future__ import annotations

import random
import shutil
import threading
import time

import pytest
from tests.conftest import write_folder
from tests.formats.by_hand import document

from roofline.errors import FolderGone
from roofline.server.app import create_app
from roofline.stages.opening import open_desk
from roofline.stages.shots import take_in


@pytest.fixture
def place(tmp_path):
    """A desk's data folder, the desk, and a shot."""
    data = tmp_path / "data"
    desk = open_desk(data)
    shot = take_in(desk, write_folder(tmp_path / "pack", document(), (240, 160)))
    yield data, desk, shot
    desk.close()


def renamed(desk, shot, name: str) -> None:
    desk.store.change(shot, "Rename", lambda s: s.model_copy(update={"name": name}))


def test_a_change_is_not_answered_while_the_folder_is_away_and_goes_on_when_it_is_back(place):
    data, desk, shot = place
    revision, away = desk.store.revision(shot), data.with_name("away")
    for n in range(20):
        data.rename(away)
        with pytest.raises(FolderGone, match="cannot find the data folder"):
            renamed(desk, shot, f"Lost {n}")
        assert not data.exists()  # nothing is begun anew in its place
        away.rename(data)
        renamed(desk, shot, f"Kept {n}")
    assert desk.store.revision(shot) == revision + 20 and desk.store.load(shot).name == "Kept 19"


def test_what_is_answered_is_there_however_the_folder_comes_and_goes(place):
    data, desk, shot = place
    away, dice, kept, over = data.with_name("away"), random.Random(5), [], threading.Event()

    def hand(who: int) -> None:
        n = 0
        while not over.is_set():
            n += 1
            name = f"{who}.{n}"
            try:
                desk.store.change(shot, name, lambda s, name=name: s.model_copy(update={"name": name}))
                kept.append(name)
            except FolderGone:
                pass

    hands = [threading.Thread(target=hand, args=(who,)) for who in range(2)]
    for one in hands:
        one.start()
    for _ in range(20):
        time.sleep(dice.uniform(0, 0.03))  # no wait for something: the moment is what is tried
        data.rename(away)
        time.sleep(dice.uniform(0, 0.02))
        away.rename(data)
    over.set()
    for one in hands:
        one.join()
    rows = desk.store.db.execute("SELECT label FROM step WHERE shot = ? AND undone = 0", (shot,)).fetchall()
    labels = {row[0] for row in rows}
    assert kept and set(kept[-40:]) <= labels and desk.store.load(shot).name in kept


def test_another_folder_in_its_place_is_not_written_to(place):
    data, desk, shot = place
    shutil.copytree(data, data.with_name("copy"))
    data.rename(data.with_name("away"))
    data.with_name("copy").rename(data)
    with pytest.raises(FolderGone, match="is not the folder that Roof Line opened"):
        renamed(desk, shot, "Lost")


def test_the_api_says_so_in_a_sentence_for_changes_and_reads(tmp_path):
    data = tmp_path / "data"
    app = create_app(data)
    desk = app.extensions["roofline"].desk
    shot = take_in(desk, write_folder(tmp_path / "pack", document(), (240, 160)))
    client, heard = app.test_client(), desk.news.listen()
    renamed(desk, shot, "To be undone")
    before = client.get(f"/api/shots/{shot}").get_json()["shot"]
    data.rename(tmp_path / "away")
    says = "cannot find the data folder"
    for answer in (
        client.put(f"/api/shots/{shot}/name", json={"name": "Lost"}),
        client.patch(f"/api/shots/{shot}/limits", json={"stretch": 2.5}),
        client.post(f"/api/shots/{shot}/undo"),
        client.post("/api/shots", json={"name": "New"}),
        client.get(f"/api/shots/{shot}/frames/1/picture?width=64"),
    ):
        assert answer.status_code == 503 and says in answer.get_json()["detail"], answer.get_data()
    assert says in client.get(f"/api/shots/{shot}/revision").get_json()["folder"]
    told = next(m for m in heard if m[1] == "folder")
    assert says in told[2]["says"]
    (tmp_path / "away").rename(data)
    assert next(m for m in heard if m[1] == "folder")[2] == {"says": None}
    assert client.get(f"/api/shots/{shot}").get_json()["shot"] == before
    assert client.put(f"/api/shots/{shot}/name", json={"name": "Kept"}).status_code == 200
    heard.close()
    desk.close()
