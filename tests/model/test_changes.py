"""Changes by identity: only what is named changes, and each change is one however often it comes."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from roofline.errors import Conflict, RoofLineError
from roofline.model.changes import Items, SurveyChange
from roofline.model.move import Key, Move
from roofline.model.survey import Edge, Length, Survey

spot = st.tuples(st.floats(0, 900), st.floats(0, 600))
edges = st.lists(
    st.builds(
        Edge,
        id=st.sampled_from(["a", "b", "c", "d", "e"]),
        family=st.sampled_from(["run", "return", "rise", None]),
        points=st.lists(spot, min_size=2, max_size=3),
    ),
    unique_by=lambda e: e.id,
    max_size=5,
)


def between(before: list[Edge], after: list[Edge]) -> Items[Edge]:
    """What leads from one list to the other, field by field."""
    old, new = ({e.id: e for e in x} for x in (before, after))
    changed = []
    for ident in old.keys() & new.keys():
        fields = {k: v for k, v in new[ident].model_dump().items() if v != old[ident].model_dump()[k]}
        if fields:
            changed.append({"id": ident, **fields})
    return Items[Edge](
        added=[e for i, e in new.items() if i not in old], changed=changed, removed=[i for i in old if i not in new]
    )


def by_id(items) -> dict:
    return {item.id: item for item in items}


@given(edges, edges)
def test_a_change_leads_from_one_list_to_the_other(before, after):
    got = between(before, after).carried_out(before, "An edge")
    assert by_id(got) == by_id(after)
    order = [e.id for e in before if e.id in by_id(after)]
    assert [e.id for e in got][: len(order)] == order  # what stays, stays where it is


@given(edges, edges)
def test_carried_out_twice_it_is_done_once(before, after):
    change = between(before, after)
    once = change.carried_out(before, "An edge")
    assert change.carried_out(once, "An edge") == once


@given(edges, st.data())
def test_changes_of_different_edges_do_not_disturb_one_another(before, data):
    if len(before) < 2:
        return
    one, other = data.draw(st.permutations([e.id for e in before]))[:2]
    first = Items[Edge](changed=[{"id": one, "family": "rise"}])
    second = data.draw(
        st.sampled_from(
            [Items[Edge](removed=[other]), Items[Edge](changed=[{"id": other, "points": [(1.0, 2.0), (3.0, 4.0)]}])]
        )
    )
    here = second.carried_out(first.carried_out(before, "An edge"), "An edge")
    there = first.carried_out(second.carried_out(before, "An edge"), "An edge")
    assert here == there and by_id(here)[one].family == "rise"


def test_fields_of_one_edge_are_merged():
    edge = Edge(id="a", family="run", points=[(0, 0), (10, 0)])
    moved = Items[Edge](changed=[{"id": "a", "points": [(0, 0), (10, 5)]}]).carried_out([edge], "An edge")
    both = Items[Edge](changed=[{"id": "a", "family": None}]).carried_out(moved, "An edge")
    assert both == [Edge(id="a", family=None, points=[(0, 0), (10, 5)])]


def test_what_is_gone_is_not_brought_back_and_ids_are_not_taken_twice():
    edge = Edge(id="a", points=[(0, 0), (10, 0)])
    with pytest.raises(Conflict, match="no longer there"):
        Items[Edge](changed=[{"id": "b", "family": "run"}]).carried_out([edge], "An edge")
    with pytest.raises(Conflict, match="is there already"):
        Items[Edge](added=[Edge(id="a", points=[(0, 0), (10, 9)])]).carried_out([edge], "An edge")
    assert Items[Edge](added=[edge]).carried_out([edge], "An edge") == [edge]
    with pytest.raises(ValueError, match="points"):
        Items[Edge](changed=[{"id": "a", "points": []}]).carried_out([edge], "An edge")


def test_a_surveys_figures_change_by_name():
    tape = Length(id="t", a=(0, 9), b=(0, 1), direction="rise", metres=2.0)
    survey = Survey(lengths=[tape], camera_height_m=1.6, datum=(5, 5))
    change = SurveyChange(lengths=Items[Length](changed=[{"id": "t", "metres": 3.5}]), given={"datum": None})
    got = change.carried_out(survey)
    assert got == Survey(lengths=[tape.model_copy(update={"metres": 3.5})], camera_height_m=1.6)
    for name in ("edges", "colour"):
        with pytest.raises(RoofLineError, match=f"no '{name}'"):
            SurveyChange(given={name: []}).carried_out(survey)
    with pytest.raises(RoofLineError, match="no 'metre'"):
        SurveyChange(lengths=Items[Length](changed=[{"id": "t", "metre": 3.5}])).carried_out(survey)
    for wrong in ({"colour": 1}, {"edges": {"change": []}}):
        with pytest.raises(ValueError, match="Extra inputs"):
            SurveyChange.model_validate(wrong)
    with pytest.raises(ValueError, match="edge_sigma_px"):
        SurveyChange(given={"edge_sigma_px": -1}).carried_out(survey)


def test_things_without_ids_get_the_same_ones_each_time():
    bare = {
        "edges": [{"points": [[0, 0], [1, 1]]}, {"id": "e1", "points": [[2, 2], [3, 3]]}, {"points": [[4, 4], [5, 5]]}]
    }
    got = Survey.model_validate(bare)
    assert [e.id for e in got.edges] == ["e2", "e1", "e3"] == [e.id for e in Survey.model_validate(bare).edges]
    twice = Survey.model_validate({"edges": [{"id": "x", "points": [[0, 0], [n, 9]]} for n in (1, 2, 3)]})
    assert [e.id for e in twice.edges] == ["x", "e1", "e2"]
    assert Survey.model_validate(twice.model_dump()) == twice
    keys = [Key(frame=f, position=(0, 0, 0), rotation=(1, 0, 0, 0), focal_px=9) for f in (7, 3)]
    assert [(k.frame, k.id) for k in Move(keys=keys).keys] == [(3, "k2"), (7, "k1")]
