"""Whatever is done in whatever order: a shot names nothing that is not there, and undo brings each step back."""

from __future__ import annotations

import shutil
import tempfile
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule
from tests.conftest import write_folder
from tests.formats.by_hand import document
from tests.stages.conftest import SQUARE, png

from roofline.errors import RoofLineError
from roofline.model.handoff import Delivery
from roofline.model.move import Key
from roofline.model.plates import Throw
from roofline.model.shot import Shot
from roofline.model.survey import Tie
from roofline.stages import clean, photo, plates, survey
from roofline.stages import keys as camera_keys
from roofline.stages.massing import arranging, pieces
from roofline.stages.opening import open_desk
from roofline.stages.shots import take_in

some = st.integers(0, 5)


def unknown(shot: Shot) -> list[str]:
    """What a shot names and does not have."""
    photos, made = {p.id for p in shot.photos}, {p.id for p in shot.plates}
    solids = {s.id for s in shot.solids}
    out = [f"plate {p.id} of {p.photo}" for p in shot.plates if p.photo not in photos]
    out += [f"{p.id} clean of {p.clean_of}" for p in shot.plates if p.clean_of is not None and p.clean_of not in made]
    out += [f"{p.id} without {w}" for p in shot.plates for w in p.without if w.partition("/")[0] not in solids]
    out += [f"throw of {t.plate}" for t in shot.throws if t.plate not in made]
    out += [f"thrown on {x}" for t in shot.throws for x in t.targets if x.partition("/")[0] not in solids]
    out += [f"{t.id} seen in {p}" for t in shot.ties for p in t.seen if p not in photos]
    out += [f"{p.id} stands on {p.standpoint}" for p in shot.photos if p.standpoint and p.standpoint not in photos]
    return out


class Hands(RuleBasedStateMachine):
    """Steps of all stages on one shot; ``done``: what it was before each step that can be undone."""

    def __init__(self):
        super().__init__()
        self.folder = Path(tempfile.mkdtemp(prefix="roof-line-"))
        self.done: list[Shot] = []
        self.undone: list[Shot] = []

    @initialize()
    def begin(self):
        self.desk = open_desk(self.folder / "data")
        self.shot_id = take_in(self.desk, write_folder(self.folder / "pack", document(), (240, 160)))

    def teardown(self):
        if hasattr(self, "desk"):
            self.desk.close()
        shutil.rmtree(self.folder)

    @property
    def shot(self) -> Shot:
        return self.desk.store.load(self.shot_id)

    def step(self, what, *args):
        """Do something; a refusal in words changes nothing."""
        before = self.shot
        revision = self.desk.store.revision(self.shot_id)
        try:
            what(self.desk, self.shot_id, *args)
        except RoofLineError:
            assert self.shot == before
        if self.desk.store.revision(self.shot_id) != revision:
            self.done.append(before)
            self.undone.clear()

    def pick(self, items, n):
        return items[n % len(items)].id if items else "none"

    # ------------------------------------------------------------ photo, survey

    @rule(seed=st.integers(0, 2))
    def bring(self, seed):
        self.step(photo.bring, f"shore {seed}.png", png(seed=seed))

    @rule(n=some)
    def remove_photo(self, n):
        self.step(photo.remove, self.pick(self.shot.photos, n))

    @rule(n=some, count=st.integers(0, 3))
    def share(self, n, count):
        photos = self.shot.photos
        seen = {p.id: (10.0 + n, 12.0) for p in photos[:count]}
        self.step(survey.tie, [*self.shot.ties, Tie(id=f"t{n}", name="Point", seen=seen)], "Share a point", None)

    @rule(n=some, other=some, lens=st.sampled_from([None, "one"]))
    def join(self, n, other, lens):
        on = self.pick(self.shot.photos, other) if other % 2 else None
        self.step(survey.join, self.pick(self.shot.photos, n), lens, on)

    # ------------------------------------------------------------ massing, plates

    @rule(n=some, times=st.integers(1, 3))
    def repeat(self, n, times):
        if len(self.shot.solids) < 8:
            self.step(
                arranging.arranged, arranging.Repeat(ids=[self.pick(self.shot.solids, n)], step=(1, 0, 0), times=times)
            )

    @rule(n=some)
    def remove_solid(self, n):
        self.step(pieces.remove, [self.pick(self.shot.solids, n)])

    @rule(n=some)
    def outline(self, n):
        self.step(plates.outline, self.pick(self.shot.photos, n), SQUARE, None)

    @rule(n=some)
    def remove_plate(self, n):
        self.step(plates.remove, self.pick(self.shot.plates, n))

    @rule(n=some)
    def clean(self, n):
        before = self.shot
        job = clean.order_clean(self.desk, self.shot_id, self.pick(before.plates, n), 3.0)
        assert job.ended.wait(60)
        if self.shot != before:
            self.done.append(before)
            self.undone.clear()

    @rule(order=st.permutations(range(4)), n=some)
    def throw(self, order, n):
        shot = self.shot
        made = [shot.plates[i].id for i in order if i < len(shot.plates)]
        targets = [s.id for s in shot.solids][:n]
        self.step(plates.set_throws, [Throw(plate=p, targets=targets) for p in made], None)

    # ------------------------------------------------------------ move, delivery

    @rule(frame=st.integers(0, 8), at=st.integers(0, 8), home=st.booleans())
    def key(self, frame, at, home):
        key = Key(frame=frame, position=(at, 1.5, 0), rotation=(0, 1, 0, 0), focal_px=100, home=home)
        with suppress(ValueError):  # outside of the shot's frames
            self.step(camera_keys.set_key, str(at), key)

    @rule(frame=st.integers(0, 8))
    def unkey(self, frame):
        self.step(camera_keys.remove_key, str(frame))

    @rule(frames=st.integers(2, 9))
    def deliver(self, frames):
        with suppress(ValueError):  # keys would be left outside
            self.step(photo.set_delivery, Delivery(width=120, height=80, fps=12, frames=frames))

    # ------------------------------------------------------------ back and forth

    @precondition(lambda self: self.done)
    @rule()
    def undo(self):
        self.undone.append(self.shot)
        self.desk.store.undo(self.shot_id)
        assert self.shot == self.done.pop()

    @precondition(lambda self: self.undone)
    @rule()
    def redo(self):
        self.done.append(self.shot)
        self.desk.store.redo(self.shot_id)
        assert self.shot == self.undone.pop()

    @invariant()
    def names_only_what_is_there(self):
        if hasattr(self, "desk"):
            assert not unknown(self.shot)
            Shot.model_validate_json(self.shot.model_dump_json())  # it opens again


TestHands = pytest.mark.slow(Hands.TestCase)
TestHands.settings = settings(
    max_examples=25, stateful_step_count=25, deadline=None, suppress_health_check=list(HealthCheck)
)
