"""Every change one transaction; undo that survives a restart; files that never change."""

from __future__ import annotations

import hashlib
import os
import sqlite3
import subprocess
import sys

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, precondition, rule

from roofline.core.massing.kinds import Block, Ground
from roofline.errors import Conflict, NotFound
from roofline.model.move import Key, Limits, Move
from roofline.model.shot import Shot
from roofline.store.store import Store


def block(i: int, run: float = 0.0) -> Block:
    return Block(id=f"b{i}", name=f"Block {i}", corner=(run, 0, 0), size=(1, 1, 1))


def test_what_is_written_is_read_and_undo_survives_a_restart(tmp_path):
    store = Store(tmp_path)
    shot_id = store.create(Shot(name="One"))
    store.change(shot_id, "Build", lambda s: s.model_copy(update={"solids": [block(1), block(2)]}))
    store.change(shot_id, "Move", lambda s: s.model_copy(update={"solids": [block(2, 5.0), block(1)]}))
    assert store.history(shot_id).undo == "Move"
    again = Store(tmp_path)
    assert [s.id for s in again.load(shot_id).solids] == ["b2", "b1"]
    assert again.undo(shot_id) == "Move"
    assert again.load(shot_id).solids == [block(1), block(2)]
    third = Store(tmp_path)
    assert (third.history(shot_id).undo, third.history(shot_id).redo) == ("Build", "Move")
    assert third.redo(shot_id) == "Move"
    assert third.load(shot_id).solids == [block(2, 5.0), block(1)]
    third.undo(shot_id)
    third.undo(shot_id)
    assert third.load(shot_id).solids == []
    with pytest.raises(Conflict, match="nothing to undo"):
        third.undo(shot_id)


def test_a_change_that_fails_changes_nothing(tmp_path):
    store = Store(tmp_path)
    shot_id = store.create(Shot(name="One", solids=[block(1)]))

    def fails(shot: Shot) -> Shot:
        shot.solids = []
        raise RuntimeError("half way")

    with pytest.raises(RuntimeError):
        store.change(shot_id, "Fail", fails)
    with pytest.raises(ValueError, match="have the id"):
        store.change(shot_id, "Double", lambda s: s.model_copy(update={"solids": [block(1), block(1)]}))
    assert store.load(shot_id).solids == [block(1)]
    assert store.history(shot_id).undo is None and store.revision(shot_id) == 0


def test_a_new_change_forgets_what_was_undone(tmp_path):
    store = Store(tmp_path)
    shot_id = store.create(Shot(name="One"))
    for i in range(3):
        store.change(shot_id, f"Build {i}", lambda s, i=i: s.model_copy(update={"solids": [*s.solids, block(i)]}))
    store.undo(shot_id)
    store.change(shot_id, "Ground", lambda s: s.model_copy(update={"solids": [*s.solids, Ground(id="g", name="G")]}))
    with pytest.raises(Conflict, match="nothing to redo"):
        store.redo(shot_id)
    assert [s.id for s in store.load(shot_id).solids] == ["b0", "b1", "g"]


def test_shots_do_not_disturb_one_another(tmp_path):
    store = Store(tmp_path)
    a, b = store.create(Shot(name="A")), store.create(Shot(name="B"))
    store.change(a, "In A", lambda s: s.model_copy(update={"solids": [block(1)]}))
    store.change(b, "In B", lambda s: s.model_copy(update={"solids": [block(1), block(2)]}))
    store.undo(a)
    assert (len(store.load(a).solids), len(store.load(b).solids)) == (0, 2)
    store.delete(a)
    with pytest.raises(NotFound):
        store.load(a)
    assert [s.name for s in store.shots()] == ["B"]


class AgainstAList(RuleBasedStateMachine):
    """Any order of changes, undos and redos does what a plain list of states does."""

    @initialize()
    def begin(self):
        import tempfile
        from pathlib import Path

        self.folder = tempfile.TemporaryDirectory()
        self.store = Store(Path(self.folder.name))
        self.shot_id = self.store.create(Shot(name="S"))
        self.states, self.at = [self.store.load(self.shot_id)], 0

    def apply(self, alter):
        new = self.store.change(self.shot_id, "x", alter)
        if new != self.states[self.at]:
            self.states = [*self.states[: self.at + 1], new]
            self.at += 1

    @rule(i=st.integers(0, 4), run=st.floats(-9, 9))
    def put(self, i, run):
        self.apply(
            lambda s: s.model_copy(update={"solids": [x for x in s.solids if x.id != f"b{i}"] + [block(i, run)]})
        )

    @rule(i=st.integers(0, 4))
    def drop(self, i):
        self.apply(lambda s: s.model_copy(update={"solids": [x for x in s.solids if x.id != f"b{i}"]}))

    @rule(
        stretch=st.floats(1, 9),
        name=st.text(st.characters(exclude_categories=["Cc", "Cs"]), min_size=1, max_size=5).filter(str.strip),
    )
    def plan(self, stretch, name):
        self.apply(lambda s: s.model_copy(update={"limits": Limits(stretch=stretch), "name": name}))

    @rule(frame=st.integers(1, 120))
    def key(self, frame):
        self.apply(
            lambda s: s.model_copy(
                update={
                    "move": Move(
                        keys=[k for k in s.move.keys if k.frame != frame]
                        + [Key(frame=frame, position=(0, 0, 0), rotation=(1, 0, 0, 0), focal_px=5)]
                    )
                }
            )
        )

    @precondition(lambda self: self.at > 0)
    @rule()
    def undo(self):
        self.store.undo(self.shot_id)
        self.at -= 1

    @precondition(lambda self: self.at < len(self.states) - 1)
    @rule()
    def redo(self):
        self.store.redo(self.shot_id)
        self.at += 1

    @rule()
    def agree(self):
        assert self.store.load(self.shot_id) == self.states[self.at]

    def teardown(self):
        self.store.db.close()
        self.folder.cleanup()


AgainstAList.TestCase.settings = settings(max_examples=12, stateful_step_count=18, deadline=None)
TestAgainstAList = AgainstAList.TestCase


def test_files_are_named_by_their_content_and_kept_once(tmp_path):
    blobs = Store(tmp_path).blobs
    name = blobs.keep(b"picture", ".png")
    assert name == hashlib.sha256(b"picture").hexdigest() + ".png" == blobs.keep(b"picture", ".png")
    assert blobs.read(name) == b"picture"
    assert [p.name for p in (tmp_path / "blobs").rglob("*") if p.is_file()] == [name]
    for bad in ("../roofline.db", "x" * 64 + ".png", name.replace(".png", ""), "0" * 64 + ".png"):
        with pytest.raises(NotFound):
            blobs.path(bad)


def test_the_database_is_strict_and_safe(tmp_path):
    db = Store(tmp_path).db
    assert db.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
    assert db.execute("PRAGMA foreign_keys").fetchone()[0] == 1
    for statement in (
        "INSERT INTO solid VALUES ('nobody', 'b', 0, '{}')",
        "INSERT INTO shot (id, name, revision) VALUES ('a', 'A', 'x')",
    ):
        with pytest.raises(sqlite3.IntegrityError):
            db.execute(statement)


def test_a_killed_process_loses_only_the_change_at_work(tmp_path):
    store = Store(tmp_path)
    shot_id = store.create(Shot(name="One"))
    program = (
        "import os, sys; from pathlib import Path; from roofline.store.store import Store\n"
        "from roofline.core.massing.kinds import Ground\n"
        "store = Store(Path(sys.argv[1]))\n"
        "store.change(sys.argv[2], 'a', lambda s: s.model_copy(update={'solids': [Ground(id='g', name='G')]}))\n"
        "def die(s):\n    s.solids = []\n    os._exit(9)\n"
        "write = store._write\n"
        "def torn(*a):\n    write(*a)\n    os._exit(9)\n"
        "store._write = torn\n"
        "store.change(sys.argv[2], 'b', lambda s: s.model_copy(update={'solids': []}))\n"
    )
    done = subprocess.run([sys.executable, "-c", program, str(tmp_path), shot_id], env=os.environ)
    assert done.returncode == 9
    after = Store(tmp_path)
    assert [s.id for s in after.load(shot_id).solids] == ["g"]
    assert after.history(shot_id).undo == "a"


def test_a_newer_data_folder_is_not_touched(tmp_path):
    store = Store(tmp_path)
    store.db.execute("PRAGMA user_version = 99")
    with pytest.raises(Exception, match="newer version"):
        Store(tmp_path)
