"""A photo that is brought gets its camera by its edges; what a hand says of it meanwhile stays alone."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.stages.conftest import ended
from tests.stages.test_stage_beginning import smooth
from tools.shots import painting
from tools.varrow.truth import second_view

from roofline.demo.shot import FOLDER
from roofline.errors import Conflict
from roofline.formats.pictures import png as as_png
from roofline.model.survey import Assumption, Edge, Survey
from roofline.stages import beginning, finding, photo, shots, survey


def street(width: int = 1500) -> bytes:
    """The demo's second photo, smaller, with nothing about the lens in its file."""
    picture = Image.open(FOLDER / "photos" / "from-the-hut.jpg")
    out = io.BytesIO()
    picture.resize((width, round(width * picture.height / picture.width))).save(out, "JPEG", quality=92)
    return out.getvalue()


TRUE = second_view().focal * 1500 / second_view().width


@pytest.fixture
def brought(desk) -> tuple[str, str]:
    shot = shots.begin(desk, "Street")
    return shot, photo.bring(desk, shot, "street.jpg", street())


def looked_for(desk, shot: str, ident: str):
    job = ended(desk, finding.order(desk, shot, ident))
    assert job.state == "done", job.error
    return job.result["notes"]


@pytest.mark.slow
def test_its_camera_is_there_as_one_change_and_goes_with_it(desk, brought):
    shot, ident = brought
    before = desk.store.revision(shot)
    assert looked_for(desk, shot, ident) == []
    made = desk.store.load(shot).photos[0]
    assert desk.store.revision(shot) == before + 1 and all(e.found for e in made.survey.edges)
    assert made.result is not None and made.camera.position is None  # the scale is nobody's to know yet
    assert abs(made.camera.focal_px - TRUE) < 2 * made.result.sigma.focal_px < 0.2 * TRUE
    assert survey.telling(desk.store.load(shot))[1] == "no scale yet"
    desk.store.undo(shot)
    assert desk.store.load(shot).photos[0].survey == Survey() and desk.store.load(shot).photos[0].camera is None
    assert looked_for(desk, shot, ident) == []  # asked for again, it is done again
    with pytest.raises(Conflict, match="has a survey already"):
        finding.order(desk, shot, ident)


def test_cancelled_while_it_looks_it_keeps_nothing(desk, brought, monkeypatch):
    shot, ident = brought
    find, before = finding.with_edges, desk.store.revision(shot)

    def meanwhile(*given):
        for job in desk.jobs.of(shot):
            desk.jobs.cancel(job.order.id)
        return find(*given)

    monkeypatch.setattr(finding, "with_edges", meanwhile)
    assert ended(desk, finding.order(desk, shot, ident)).state == "cancelled"
    assert desk.store.revision(shot) == before and not desk.store.load(shot).photos[0].survey.edges


@pytest.mark.parametrize("what", ["traced", "assumed", "removed", "another"])
def test_what_a_hand_does_meanwhile_stays_alone(desk, brought, monkeypatch, what):
    shot, ident = brought
    find = finding.with_edges

    def meanwhile(*given):
        found = find(*given)
        if what == "traced":
            mine = Survey(edges=[Edge(id="mine", family="run", points=[(10, 10), (400, 20)])])
            survey.keep(desk, shot, ident, mine, "Trace an edge")
        elif what == "assumed":
            survey.keep(desk, shot, ident, Survey(assumption=Assumption()), "Assume a camera")
        else:
            photo.remove(desk, shot, ident)
            if what == "another":  # of the same name, and so of the same id
                assert photo.bring(desk, shot, "street.jpg", smooth(300, 200)) == ident
        return found

    monkeypatch.setattr(finding, "with_edges", meanwhile)
    looked_for(desk, shot, ident)
    kept = desk.store.load(shot)
    if what == "traced":
        assert [e.id for e in kept.photos[0].survey.edges] == ["mine"]
    elif what == "assumed":
        assert kept.photos[0].survey == Survey(assumption=Assumption())
    else:
        assert [p.survey for p in kept.photos] == ([] if what == "removed" else [Survey()])


@pytest.mark.parametrize("picture", [lambda: smooth(900, 600), lambda: as_png(painting())], ids=["mist", "painting"])
def test_of_a_picture_without_edges_it_is_said_and_nothing_changes(desk, monkeypatch, picture):
    """A painted valley has straight lines of trees, which make a camera that nobody should be given unseen."""
    shot = shots.begin(desk, "Mist")
    ident = photo.bring(desk, shot, "mist.png", picture())
    before = desk.store.revision(shot)
    assert "trace edges on Survey, or assume a camera" in looked_for(desk, shot, ident)[0]
    assert desk.store.revision(shot) == before
    # to who has assumed one meanwhile there is nothing to say
    find = finding.with_edges

    def meanwhile(*given):
        survey.keep(desk, shot, ident, Survey(assumption=Assumption()), "Assume a camera")
        return find(*given)

    monkeypatch.setattr(finding, "with_edges", meanwhile)
    assert looked_for(desk, shot, ident) == []


@pytest.mark.slow
def test_a_first_move_looks_for_edges_before_it_assumes(desk, brought):
    shot, _ = brought
    job = ended(desk, beginning.order_first_move(desk, shot), 120)
    assert job.state == "done", job.error
    made = desk.store.load(shot).photos[0]
    assert made.result.stands_in == ["eye"] and made.camera.position is not None
    assert abs(made.camera.focal_px - TRUE) < 2 * made.result.sigma.focal_px
    assumed = 35 * np.hypot(1500, 1000) / np.hypot(36, 24)
    assert abs(made.camera.focal_px - TRUE) < 0.3 * abs(assumed - TRUE)


def test_edges_that_were_looked_for_a_moment_ago_are_not_looked_for_again(desk, monkeypatch):
    """Nor those of a picture that has none: a first move goes on from what is known."""
    shot = shots.begin(desk, "Mist")
    ident = photo.bring(desk, shot, "mist.png", smooth(900, 600))
    looked, find = [], finding.find_unseen

    def counted(*given):
        looked.append(given)
        return find(*given)

    monkeypatch.setattr(finding, "find_unseen", counted)
    assert finding.NOTHING in looked_for(desk, shot, ident)
    assert len(looked) == 1
    assert ended(desk, beginning.order_first_move(desk, shot), 120).state == "done"
    assert len(looked) == 1 and desk.store.load(shot).photos[0].result.stands_in == ["horizon", "lens", "eye"]
    desk.store.undo(shot)
    other = photo.bring(desk, shot, "other.png", smooth(900, 610))
    looked_for(desk, shot, other)
    assert len(looked) == 2  # of another picture they are


def test_one_press_assumes_a_scale_and_undo_takes_it_back(desk):
    shot = shots.begin(desk, "Mist")
    with pytest.raises(Conflict, match="photo comes first"):
        beginning.order_assume(desk, shot)
    photo.bring(desk, shot, "mist.png", smooth(900, 600))
    assert ended(desk, beginning.order_assume(desk, shot)).state == "done"
    made = desk.store.load(shot)
    assert made.photos[0].camera.position[1] == pytest.approx(1.6) and "eye" in made.photos[0].result.stands_in
    assert not made.solids and not made.move.keys  # nothing else was asked for
    with pytest.raises(Conflict, match="Nothing has to be assumed"):
        beginning.order_assume(desk, shot)
    desk.store.undo(shot)
    assert desk.store.load(shot).photos[0].camera is None
