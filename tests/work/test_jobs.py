"""Long work: told of, cancelled, broken off and gone on with."""

from __future__ import annotations

import errno
import sqlite3
import threading
import time

import pytest

from roofline.errors import Busy, PlateError
from roofline.model.shot import Shot
from roofline.store.orders import Orders
from roofline.store.store import Store
from roofline.work.jobs import Jobs, Kind
from roofline.work.news import News


def until(what, seconds: float = 10.0) -> None:
    end = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < end, "it did not happen"
        time.sleep(0.005)


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    store.create(Shot(name="S"), "s")
    return store


def steps(order, tell):
    for i in range(order.body["steps"]):
        tell(i / order.body["steps"], f"step {i}")
        time.sleep(0.002)
    return {"steps": order.body["steps"]}


def jobs_of(store, undone=None, run=steps, news=None):
    gone = [] if undone is None else undone
    kinds = {
        "work": Kind(run),
        "deliver": Kind(run, True, lambda order: gone.append(order.version)),
    }
    return Jobs(Orders(store), news or News(), kinds)


def test_progress_is_told_and_work_is_cancelled(store):
    news = News()
    jobs = jobs_of(store, news=news)
    heard, ready = [], threading.Event()

    def listen():
        for _, kind, data in news.listen("s", beat=0.05):
            ready.set()
            if kind == "job":
                heard.append(data)
                if data["state"] == "cancelled" and data["label"] == "Label":
                    return

    ear = threading.Thread(target=listen, daemon=True)
    ear.start()
    assert ready.wait(2)
    job = jobs.start("s", "work", "Label", {"steps": 100_000})
    waiting = jobs.start("s", "work", "Never begun", {"steps": 1})
    until(lambda: any(h["seconds_left"] for h in heard) or job.progress > 0.001)
    jobs.cancel(waiting.order.id)
    assert waiting.state == "cancelled"
    jobs.cancel(job.order.id)
    ear.join(5)
    assert job.state == "cancelled" and 0 < job.progress < 1
    assert any(h["doing"].startswith("step") for h in heard)
    assert {h["state"] for h in heard if h["label"] == "Never begun"} == {"waiting", "cancelled"}
    assert [o.state for o in (jobs.orders.get(j.order.id) for j in (job, waiting))] == ["cancelled"] * 2
    jobs.close()


def test_what_fails_says_why_and_leaves_nothing(store):
    both = threading.Event()

    def fails(order, tell):
        assert both.wait(5)
        raise PlateError("The matte is empty.") if order.body["words"] else ValueError("inside")

    gone = []
    jobs = jobs_of(store, gone, fails)
    told = jobs.start("s", "deliver", "Told", {"words": True})
    broken = jobs.start("s", "deliver", "Broken", {"words": False})
    both.set()
    assert told.ended.wait(5) and broken.ended.wait(5)
    assert told.error == "The matte is empty." and "log" in broken.error
    assert gone == [1, 2]
    # both versions are free again
    assert jobs.start("s", "deliver", "Next", {"words": True}).order.version == 1
    jobs.close()


def test_what_is_broken_off_is_gone_on_with_at_the_next_start(store):
    begun = threading.Event()

    def slow(order, tell):
        begun.set()
        return steps(order, tell)

    jobs = jobs_of(store, run=slow)
    first = jobs.start("s", "deliver", "Long", {"steps": 100_000})
    second = jobs.start("s", "deliver", "Waiting", {"steps": 2})
    assert begun.wait(5)
    jobs.close()
    assert [o.state for o in Orders(store).open()] == ["running", "ordered"]
    seen = []
    again = jobs_of(store, run=lambda order, tell: seen.append(order.id) or {"done": order.label})
    again.go_on()
    until(lambda: not Orders(store).open())
    assert seen == [first.order.id, second.order.id]
    assert again.get(first.order.id).result == {"done": "Long"}
    again.close()
    # asked about by a program that never ran it
    later = jobs_of(store).get(second.order.id)
    assert (later.state, later.progress, later.result) == ("done", 1.0, {"done": "Waiting"})


def test_a_delivery_works_on_the_shot_as_it_was(store):
    gate, seen = threading.Event(), []

    def wait(order, tell):
        gate.wait(5)
        seen.append(Orders(store).snapshot(order.id).name)

    jobs = jobs_of(store, run=wait)
    jobs.start("s", "deliver", "One", {})
    store.change("s", "Rename", lambda s: s.model_copy(update={"name": "Later"}))
    last = jobs.start("s", "deliver", "Two", {})
    gate.set()
    assert last.ended.wait(5)
    assert seen == ["S", "Later"] and last.order.version == 2
    jobs.close()


def test_quick_work_does_not_wait_for_a_delivery(store):
    gate = threading.Event()
    jobs = jobs_of(store, run=lambda order, tell: gate.wait(5) if order.kind == "deliver" else None)
    slow = jobs.start("s", "deliver", "Slow", {})
    quick = jobs.start("s", "work", "Quick", {})
    assert quick.ended.wait(3) and not slow.ended.is_set()
    gate.set()
    jobs.close()


def test_all_work_of_a_shot_ends_with_it(store):
    jobs = jobs_of(store)
    running = jobs.start("s", "deliver", "A", {"steps": 100_000})
    waiting = jobs.start("s", "deliver", "B", {"steps": 1})
    jobs.end_all("s")
    assert (running.state, waiting.state) == ("cancelled", "cancelled") and jobs.of("s") == []
    jobs.close()


def test_too_many_listeners_are_told_to_ask_instead():
    news = News(most=2)
    first = news.listen("s", beat=0.01)
    next(first)
    second = news.listen(None, beat=0.01)
    next(second)
    with pytest.raises(Busy, match="ask again"):
        news.listen("s")
    first.close()
    third = news.listen("t", beat=0.01)
    news.tell("t", "changed", {"revision": 3})
    assert next(second) == next(third) == ("t", "changed", {"revision": 3})


def test_a_job_has_ended_though_its_row_cannot_be_written_yet(store, monkeypatch):
    jobs = jobs_of(store)
    monkeypatch.setattr("roofline.work.jobs.WAIT", 0.05)
    end, refused = jobs.orders.end, []

    def full(*given):
        if len(refused) < 3:
            refused.append(given)
            raise sqlite3.OperationalError("database or disk is full")
        return end(*given)

    monkeypatch.setattr(jobs.orders, "end", full)
    job = jobs.start("s", "work", "Label", {"steps": 1})
    assert job.ended.wait(5) and job.state == "done" and jobs.of("s") == []
    until(lambda: jobs.orders.get(job.order.id).state == "done")
    assert len(refused) == 3 and jobs.orders.get(job.order.id).result == {"steps": 1}
    jobs.close()


@pytest.mark.parametrize(
    ("error", "says"),
    [
        (Busy("taken"), "another program"),
        (OSError(errno.ENOSPC, "No space left on device"), "free space"),
        (sqlite3.OperationalError("database or disk is full"), "free space"),
    ],
)
def test_a_delivery_waits_and_goes_on_from_what_is_there(store, monkeypatch, error, says):
    monkeypatch.setattr("roofline.work.jobs.WAIT", 0.2)
    frames, gone, room = [], [], threading.Event()

    def run(order, tell):
        for frame in range(len(frames), 4):
            if frame == 2 and not room.is_set():
                raise error
            frames.append(frame)
            tell(frame / 4, f"frame {frame}")
        return {}

    jobs = jobs_of(store, gone, run)
    job = jobs.start("s", "deliver", "Label", {})
    until(lambda: says in job.doing)
    assert job.state == "running" and frames == [0, 1] and gone == []
    room.set()
    assert job.ended.wait(5) and job.state == "done" and frames == [0, 1, 2, 3] and gone == []
    jobs.close()


def test_a_delivery_that_cannot_even_begin_waits_as_well(store, monkeypatch):
    monkeypatch.setattr("roofline.work.jobs.WAIT", 0.05)
    gone = []
    jobs = jobs_of(store, gone)
    begin, refused = jobs.orders.run, []

    def taken(*given):
        if not refused:
            refused.append(given)
            raise Busy("taken")
        return begin(*given)

    monkeypatch.setattr(jobs.orders, "run", taken)
    job = jobs.start("s", "deliver", "Label", {"steps": 1})
    assert job.ended.wait(5) and job.state == "done" and refused and gone == []
    jobs.close()


def test_a_delivery_that_waits_can_be_cancelled_or_left_for_the_next_start(store):
    def run(order, tell):
        raise OSError(errno.ENOSPC, "No space left on device")

    gone = []
    jobs = jobs_of(store, gone, run)
    first = jobs.start("s", "deliver", "Label", {})
    until(lambda: "free space" in first.doing)
    jobs.cancel(first.order.id)
    assert first.ended.wait(5) and first.state == "cancelled" and gone == [1]
    second = jobs.start("s", "deliver", "Label", {})
    until(lambda: "free space" in second.doing)
    jobs.close()
    assert [o.id for o in jobs.orders.open()] == [second.order.id] and gone == [1]


def test_other_work_says_that_the_disk_is_full(store):
    def run(order, tell):
        raise OSError(errno.ENOSPC, "No space left on device")

    jobs = jobs_of(store, run=run)
    job = jobs.start("s", "work", "Label", {})
    assert (
        job.ended.wait(5)
        and job.state == "failed"
        and job.error.startswith("The disk that holds the data folder is full")
    )
    jobs.close()


def test_the_same_order_for_the_same_thing_is_one_until_it_begins(store):
    begun, go = threading.Event(), threading.Event()

    def held(order, tell):
        begun.set()
        assert go.wait(10)
        return steps(order, tell)

    jobs = jobs_of(store, run=held)
    first = jobs.start("s", "work", "Work", {"steps": 1})
    assert begun.wait(5)
    second = jobs.start("s", "work", "Work", {"steps": 1})
    assert second is not first  # the one that has begun may have seen the shot as it was
    assert all(jobs.start("s", "work", "Work", {"steps": 1}) is second for _ in range(20))
    assert jobs.start("s", "work", "Work", {"steps": 2}) is not second
    versions = {jobs.start("s", "deliver", "Deliver", {"steps": 1}).order.version for _ in range(3)}
    assert len(versions) == 3
    jobs.cancel(second.order.id)
    assert jobs.start("s", "work", "Work", {"steps": 1}) is not second
    go.set()
    until(lambda: not jobs.of("s"))
    jobs.close()


def test_orders_that_were_left_are_gone_on_with_once_each(store):
    orders = Orders(store)
    for _ in range(30):
        orders.add("s", "work", "Work", {"steps": 1}, False)
    jobs = jobs_of(store)
    jobs.go_on()
    until(lambda: not jobs.of("s"))
    rows = store.db.execute("SELECT state, count(*) FROM job GROUP BY state ORDER BY state").fetchall()
    done = dict(rows)["done"]
    assert dict(rows) == {"cancelled": 30 - done, "done": done} and 1 <= done <= 2
    jobs.close()


def test_what_a_hand_waits_for_is_not_queued_behind_long_work(store):
    go = threading.Event()

    def held(order, tell):
        assert go.wait(10)
        return {}

    jobs = Jobs(Orders(store), News(), {"work": Kind(held), "look": Kind(steps, lane="hand")})
    long = [jobs.start("s", "work", f"Work {n}", {"n": n}) for n in range(3)]
    look = jobs.start("s", "look", "Look", {"steps": 1})
    until(lambda: look.state == "done")
    assert all(job.state in ("ordered", "running") for job in long)
    go.set()
    until(lambda: not jobs.of("s"))
    jobs.close()
