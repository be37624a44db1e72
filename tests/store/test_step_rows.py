"""Steps and strokes as rows: a stroke costs a stroke, whatever stands beside it; rows of before are read and undone."""

from __future__ import annotations

import json
import shutil

from hypothesis import given, settings
from hypothesis import strategies as st

from roofline.model.photo import Photo
from roofline.model.plates import Plate
from roofline.model.shot import Shot
from roofline.model.steps import (
    BrushStep,
    CloneStep,
    FeatherStep,
    FillStep,
    GradeStep,
    InFrontOf,
    OutlineStep,
    PaintedStep,
    Stroke,
)
from roofline.store.clearing import named
from roofline.store.store import MIGRATIONS, Store


def stroke(number: int, points: int = 40) -> Stroke:
    return Stroke(id=f"k{number}", points=[(number, y / 7) for y in range(points)], radius_px=8)


def shot_of(*steps) -> Shot:
    photo = Photo(id="p", name="P", file="p.png", width=40, height=30)
    plate = Plate(id="a", name="A", photo="p", file="p.png", canvas=(0, 0, 40, 30), steps=list(steps))
    return Shot(name="Steps", photos=[photo], plates=[plate])


def drawn(shot: Shot, number: int) -> Shot:
    """One stroke more in the first step."""
    step = shot.plates[0].steps[0]
    more = step.model_copy(update={"strokes": [*step.strokes, stroke(number)]})
    shot.plates[0].steps = [more, *shot.plates[0].steps[1:]]
    return shot


def written(store: Store) -> int:
    """Characters in the log of what undoes the steps."""
    return store.db.execute("SELECT coalesce(sum(length(statement)), 0) FROM undo_log").fetchone()[0]


def test_a_stroke_costs_a_stroke(tmp_path):
    costs = {}
    for many in (1, 400):
        store = Store(tmp_path / str(many))
        shot = store.create(shot_of(BrushStep(strokes=[stroke(n) for n in range(many)]), FeatherStep(px=2)))
        changed = store.db.total_changes
        store.change(shot, "Draw", lambda s, n=many: drawn(s, n))
        costs[many] = written(store), store.db.total_changes - changed
        assert len(store.load(shot).plates[0].steps[0].strokes) == many + 1
        store.undo(shot)
        assert len(store.load(shot).plates[0].steps[0].strokes) == many
        redo = written(store)
        assert redo < 3 * len(stroke(1).model_dump_json())  # the stroke that comes back, and no other
    assert costs[400][1] == costs[1][1] and costs[400][0] < costs[1][0] + 20 and costs[400][0] < 200


outlines = st.builds(
    OutlineStep,
    loops=st.just([{"points": [(0, 0), (9, 0), (9, 9)]}]),
    feather_px=st.integers(0, 9),
)
brushes = st.builds(BrushStep, strokes=st.lists(st.builds(stroke, st.integers(0, 50), st.integers(1, 3)), max_size=4))
mattes = st.lists(st.one_of(outlines, brushes, st.builds(FeatherStep, px=st.integers(0, 9))), max_size=3)
steps = st.one_of(
    outlines,
    brushes,
    st.builds(CloneStep, strokes=st.lists(st.builds(stroke, st.integers(0, 9), st.just(2)), max_size=3)),
    st.builds(FillStep, where=st.one_of(st.just(InFrontOf(in_front_of=["b"])), mattes), how=st.just("smooth")),
    st.builds(GradeStep, exposure=st.integers(-2, 2), where=st.one_of(st.none(), mattes)),
)


@settings(max_examples=60, deadline=None)
@given(states=st.lists(st.lists(steps, max_size=4), min_size=2, max_size=5))
def test_any_steps_in_any_order_are_read_as_written_and_undone(tmp_path_factory, states):
    store = Store(tmp_path_factory.mktemp("rows"))
    shot = store.create(shot_of(*states[0]))
    seen = [store.load(shot)]
    assert seen[0] == Shot.model_validate(shot_of(*states[0]).model_dump())
    for wanted in states[1:]:

        def alter(now: Shot, wanted=wanted) -> Shot:
            now.plates[0].steps = [s.model_copy(update={"id": ""}) for s in wanted]
            return now

        after = store.change(shot, "x", alter)
        assert store.load(shot) == after
        if after != seen[-1]:
            seen.append(after)
    for before in reversed(seen[:-1]):
        store.undo(shot)
        assert store.load(shot) == before
    for after in seen[1:]:
        store.redo(shot)
        assert store.load(shot) == after
    store.db.close()


def test_a_folder_of_before_is_read_and_what_was_done_there_is_undone(tmp_path, monkeypatch):
    """The folder is written by the rules of before: the first three migrations, steps in the plate's body."""
    older = tmp_path / "older"
    older.mkdir()
    for file in sorted(MIGRATIONS.glob("00[123].sql")):
        shutil.copy(file, older)
    folder = tmp_path / "data"
    with monkeypatch.context() as then:
        then.setattr("roofline.store.store.MIGRATIONS", older)
        then.setattr("roofline.store.store.TABLES", ("plan", "photo", "tie", "solid", "plate", "throw", "key"))
        store = Store(folder)
        plain = shot_of(BrushStep(strokes=[stroke(0)]), FillStep(where=[BrushStep(strokes=[stroke(1)])], how="smooth"))
        body = plain.plates[0].model_dump_json()
        with store.transaction() as db:
            db.execute("INSERT INTO shot (id, name) VALUES ('s', 'Steps')")
            for ident, text in (("name", '"Steps"'), ("delivery", "{}"), ("limits", "{}")):
                db.execute("INSERT INTO plan VALUES ('s', ?, 0, ?)", (ident, text))
            db.execute("INSERT INTO photo VALUES ('s', 'p', 0, ?)", (plain.photos[0].model_dump_json(),))
            db.execute("INSERT INTO plate VALUES ('s', 'a', 0, ?)", (body,))
            step = db.execute("INSERT INTO step (shot, label) VALUES ('s', 'Draw')").lastrowid
            db.execute("UPDATE recording SET step = ?", (step,))
            two = json.loads(body)
            two["steps"][0]["strokes"].append(stroke(9).model_dump(mode="json"))
            db.execute("UPDATE plate SET body = ? WHERE shot = 's'", (json.dumps(two),))
            db.execute("UPDATE recording SET step = 0")
        store.db.close()
    store = Store(folder)
    assert [k.id for k in store.load("s").plates[0].steps[0].strokes] == ["k0", "k9"]
    store.change("s", "Draw", lambda s: drawn(s, 12))
    assert [k.id for k in store.load("s").plates[0].steps[0].strokes] == ["k0", "k9", "k12"]
    store.undo("s")
    store.undo("s")
    assert store.load("s") == plain
    store.redo("s")
    store.redo("s")
    assert [k.id for k in store.load("s").plates[0].steps[0].strokes] == ["k0", "k9", "k12"]
    assert store.load("s").plates[0].steps[1] == plain.plates[0].steps[1]


def test_files_of_steps_are_in_use(tmp_path):
    store, file = Store(tmp_path), "ab" * 32 + ".png"
    store.create(shot_of(PaintedStep(file=file)))
    assert file in named(store)


def test_a_shot_that_is_deleted_takes_its_steps_and_strokes_along(tmp_path):
    store = Store(tmp_path)
    kept, gone = (store.create(shot_of(BrushStep(strokes=[stroke(0), stroke(1)]))) for _ in range(2))
    store.delete(gone)
    for table, rows in (("plate_step", 1), ("stroke", 2)):
        assert [r[0] for r in store.db.execute(f"SELECT shot FROM {table}")] == [kept] * rows
