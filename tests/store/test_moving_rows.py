"""How cameras travel, how pieces and groups move, and plates' steps: kept in rows, undone, and read as written."""

from __future__ import annotations

import pytest

from roofline.core.massing.kinds import Block
from roofline.model.massing import Motion
from roofline.model.move import Aim, Carrier, Key, Move, Sway
from roofline.model.photo import Photo
from roofline.model.plates import Plate
from roofline.model.shot import GroupMotion, Shot
from roofline.model.steps import BrushStep, FillStep, InFrontOf, OutlineStep, Tone
from roofline.store.store import Store

KEYS = [Key(frame=f, position=(f, 1, 0), rotation=(1, 0, 0, 0), focal_px=900) for f in (1, 40)]


@pytest.fixture
def store(tmp_path) -> Store:
    return Store(tmp_path / "data")


def moving() -> Shot:
    drifting = Motion(drift=(1, 0, 0))
    return Shot(
        name="Moving",
        solids=[Block(id="b", name="B", group="Pair", corner=(0, 0, 0), size=(1, 1, 1), motion=drifting)],
        move=Move(
            keys=KEYS,
            speed=[(1, 0), (40, 1)],
            aim=Aim(solid="b"),
            aim_share=0.5,
            sway=Sway(seed=4, rotation_deg=(1, 0, 0)),
            carrier=Carrier.model_validate({"keys": [{"frame": 3, "position": (1, 2, 3)}]}),
        ),
        groups=[GroupMotion(name="Pair", motion=Motion(faces_lens="rise"))],
    )


def test_all_that_moves_is_read_as_it_was_written(store):
    shot = store.create(moving())
    assert store.load(shot) == moving()
    assert Store(store.folder).load(shot) == moving()  # after a restart too


def test_a_shot_without_them_has_no_rows_for_them(store):
    shot = store.create(Shot(name="Plain"))
    rows = {r[0] for r in store.db.execute("SELECT id FROM plan WHERE shot = ?", (shot,))}
    assert rows == {"name", "delivery", "limits"}


def test_they_are_undone_and_redone_like_everything(store):
    shot = store.create(Shot(name="Plain", move=Move(keys=KEYS)))

    def sway(now: Shot) -> Shot:
        now.move = now.move.model_copy(update={"sway": Sway(seed=9)})
        return now

    def group(now: Shot) -> Shot:
        now.groups = [GroupMotion(name="Pair", motion=Motion(drift=(0, 1, 0)))]
        return now

    store.change(shot, "Sway", sway)
    store.change(shot, "Group", group)
    assert store.load(shot).move.sway.seed == 9 and store.load(shot).groups
    store.undo(shot)
    assert store.load(shot).move.sway.seed == 9 and not store.load(shot).groups
    store.undo(shot)
    assert store.load(shot).move.sway is None and store.load(shot).move.keys == KEYS
    store.redo(shot)
    store.redo(shot)
    assert store.load(shot).groups[0].motion.drift == (0, 1, 0)


def test_steps_and_tones_are_read_as_they_were_written(store):
    outline = OutlineStep(loops=[{"points": [(0, 0), (9, 0), (9, 9)], "smooth": [True, False, True]}], feather_px=2)
    brush = BrushStep(strokes=[{"points": [(1, 1)], "radius_px": 3}, {"points": [(2, 2)], "radius_px": 4}])
    fill = FillStep(where=InFrontOf(in_front_of=["b"]), how="along", on="b/front", seed=3)
    nested = FillStep(where=[outline.model_copy(deep=True)], how="smooth")
    tone = Tone.model_validate({"from": (0, 0, 0), "to": (1, 0.5, 0), "cloud": {"size_px": 40, "seed": 2}})
    given = {"photo": "p", "canvas": (0, 0, 40, 30)}
    shot = Shot(
        name="Steps",
        photos=[Photo(id="p", name="P", file="p.png", width=40, height=30)],
        plates=[
            Plate(id="a", name="A", file="p.png", steps=[outline, brush, fill, nested], **given),
            Plate(id="t", name="T", tone=tone, **given),
        ],
    )
    made = store.create(shot)
    again = store.load(made)
    assert again == shot and [s.id for s in again.plates[0].steps] == ["s1", "s2", "s3", "s4"]
    assert [k.id for k in again.plates[0].steps[1].strokes] == ["k1", "k2"]
    with pytest.raises(ValueError, match="a file or a tone"):
        Plate(id="x", name="X", **given)
    with pytest.raises(ValueError, match="one of them only"):
        Plate(id="x", name="X", file="p.png", tone=tone, **given)
