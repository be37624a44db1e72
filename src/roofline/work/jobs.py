"""Long work in the background: ordered, carried out one after another, and gone on with after a restart."""

from __future__ import annotations

import json
import sqlite3
import threading
import time
import traceback
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from roofline.errors import Busy, RoofLineError
from roofline.store.orders import OPEN, Order, Orders
from roofline.store.room import FULL, is_full
from roofline.work.news import News

PUBLIC = ("id", "shot", "kind", "label", "state", "progress", "doing", "seconds_left", "result", "error")
LANES = ("hand", "job", "delivery", "behind")  # each carries out one order after another
NEWS_EVERY = 0.1  # seconds, at most
WAIT = 2.0  # seconds, until what could not be written is tried again
NO_ROOM, TAKEN = "disk full: waiting for free space", "waiting: another program is writing to the data folder"
UNKNOWN = "Something went wrong inside Roof Line; its log has the details."
Tell = Callable[[float, str], None]


def _passes(error: Exception, gone: str | None) -> str | None:
    """What is waited for where an error goes away by itself; None for others. ``gone``: what is wrong with the data
    folder, whatever the error says."""
    if gone is not None:
        return f"waiting: {gone}"
    if is_full(error):
        return NO_ROOM
    locked = isinstance(error, sqlite3.OperationalError) and "locked" in str(error)
    return TAKEN if locked or isinstance(error, Busy) else None


class Cancelled(Exception):
    """Raised inside a job that has been cancelled."""


class Interrupted(Exception):
    """Raised inside a job when the program ends: the order stays, and is gone on with at the next start."""


@dataclass(frozen=True)
class Kind:
    """One kind of long work.

    ``run(order, tell)`` does it and returns its result; it may be called again for an order that was broken off, and
    has to go on from what is there. It calls ``tell(progress 0…1, what is being done)``, which raises when it should
    end.
    ``undone(order)`` takes away what an order that was cancelled, or failed, has left.
    """

    run: Callable[[Order, Tell], Any]
    delivers: bool = False  # works on the shot as it was when it was ordered, and reserves a version
    undone: Callable[[Order], None] = lambda order: None
    #: "hand": a hand waits for it, and it is not queued behind long work; "behind": nobody waits for it
    lane: str = "job"


@dataclass
class Job:
    """An order that has not ended, or has ended lately, and how far it is."""

    order: Order
    state: str = "ordered"
    progress: float = 0.0
    doing: str = ""
    seconds_left: float | None = None
    result: Any = None
    error: str | None = None
    stop: threading.Event = field(default_factory=threading.Event, repr=False)
    ended: threading.Event = field(default_factory=threading.Event, repr=False)
    future: Future[None] | None = field(default=None, repr=False)

    def told(self) -> dict[str, Any]:
        """What listeners and the browser see of it."""
        o = self.order
        state = "waiting" if self.state == "ordered" else self.state  # as the browser has always been told
        shown = {"id": o.id, "shot": o.shot, "kind": o.kind, "label": o.label, "state": state}
        return shown | {k: getattr(self, k) for k in PUBLIC if k not in shown}


class Jobs:
    """Carries orders out: deliveries one after another, beside them what a hand waits for, what takes longer, and what
    nobody waits for."""

    def __init__(self, orders: Orders, news: News, kinds: dict[str, Kind]):
        self.orders, self.news, self.kinds = orders, news, kinds
        self._lanes = {name: ThreadPoolExecutor(1, thread_name_prefix=name) for name in LANES}
        self._jobs: dict[str, Job] = {}
        self._lock, self._starting = threading.Lock(), threading.Lock()
        self._closing = threading.Event()

    def start(self, shot: str, kind: str, label: str, body: dict[str, Any]) -> Job:
        """Write an order down and queue it. The same order for the same thing that has not begun yet is that one; each
        delivery is a version of its own."""
        with self._starting:
            same = None if self.kinds[kind].delivers else self._waiting(shot, kind, body)
            if same is not None:
                return same
            return self._queue(self.orders.add(shot, kind, label, body, self.kinds[kind].delivers))

    def _waiting(self, shot: str, kind: str, body: dict[str, Any]) -> Job | None:
        """The order of the same kind, shot and body that waits to be begun."""
        said = json.dumps(body, sort_keys=True)
        with self._lock:
            for job in self._jobs.values():
                o = job.order
                waits = job.state == "ordered" and not job.stop.is_set()
                if waits and (o.shot, o.kind, json.dumps(o.body, sort_keys=True)) == (shot, kind, said):
                    return job
        return None

    def go_on(self) -> None:
        """Take up what an earlier run of the program has left: open orders, and the remains of those that ended
        badly."""
        for state in ("cancelled", "failed"):
            for order in self.orders.ended(state):
                self._clear(order)
        for order in self.orders.open():
            delivers = order.kind in self.kinds and self.kinds[order.kind].delivers
            if not delivers and self._waiting(order.shot, order.kind, order.body) is not None:
                self.orders.end(order.id, "cancelled", None)
            else:
                self._queue(order)

    def _queue(self, order: Order) -> Job:
        job = Job(order)
        with self._lock:
            self._jobs[order.id] = job
            finished = [j for j in self._jobs.values() if j.state not in OPEN]
            for old in finished[:-50]:
                del self._jobs[old.order.id]
        self._news(job)
        kind = self.kinds[order.kind]
        job.future = self._lanes["delivery" if kind.delivers else kind.lane].submit(self._carry_out, job)
        return job

    # ------------------------------------------------------------ carrying out

    def _teller(self, job: Job) -> Tell:
        began = last = time.monotonic()
        first: float | None = None

        def tell(progress: float, doing: str = "") -> None:
            nonlocal last, first
            if job.stop.is_set():
                raise Cancelled
            if self._closing.is_set():
                raise Interrupted
            now = time.monotonic()
            first = progress if first is None else first
            job.progress, job.doing = min(max(progress, 0.0), 1.0), doing or job.doing
            if progress > first + 0.02:
                job.seconds_left = (now - began) * (1 - progress) / (progress - first)
            if now - last > NEWS_EVERY:
                last = now
                self._news(job)

        return tell

    def _done(self, job: Job, kind: Kind) -> Any:
        """Do the work. A delivery that finds the disk full, or the data folder taken, waits and goes on from what is
        there: none of its frames is thrown away for that."""
        tell = self._teller(job)
        while True:
            try:
                if job.state != "running":
                    self._begun(job)
                return kind.run(job.order, tell)
            except (Busy, OSError, sqlite3.OperationalError) as error:
                why = _passes(error, self.orders.store.there.trouble())
                if why is None or not kind.delivers:
                    raise
                job.doing, job.seconds_left = why, None
                self._news(job)
                self._rest(job, WAIT)

    def _begun(self, job: Job) -> None:
        if not self.orders.run(job.order.id):
            raise Cancelled
        job.state = "running"
        self._news(job)

    def _rest(self, job: Job, seconds: float) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if job.stop.wait(0.05):
                raise Cancelled
            if self._closing.is_set():
                raise Interrupted

    def _write(self, what: Callable[[], object]) -> None:
        """Write down how a job has ended; where that cannot be now, again in a while. The job has ended all the same:
        nobody waits for its row."""
        try:
            what()
        except (Busy, OSError, sqlite3.OperationalError):
            again = threading.Timer(WAIT, lambda: None if self._closing.is_set() else self._write(what))
            again.daemon = True
            again.start()

    def _carry_out(self, job: Job) -> None:
        order, kind = job.order, self.kinds[job.order.kind]
        try:
            if self._closing.is_set():
                return
            if job.stop.is_set():
                raise Cancelled
            job.result = self._done(job, kind)
            job.progress, job.seconds_left, job.state = 1.0, 0.0, "done"
            self._write(lambda: self.orders.end(order.id, "done", job.result))
        except Interrupted:
            return
        except Cancelled:
            self._end_badly(job, "cancelled", None)
        except RoofLineError as error:
            self._end_badly(job, "failed", str(error))
        except Exception as error:  # the last line of defence: a job must not die unseen
            traceback.print_exc()
            self._end_badly(job, "failed", FULL if is_full(error) else UNKNOWN)
        finally:
            job.ended.set()
        self._news(job)

    def _end_badly(self, job: Job, state: str, error: str | None) -> None:
        """It has ended; then that is written down, then its files go: killed in between, the next start clears them."""
        job.error, job.state = error, state

        def written() -> None:
            self.orders.end(job.order.id, state, None, error)
            self._clear(job.order)

        self._write(written)

    def _clear(self, order: Order) -> None:
        if not self.orders.there(order.id):
            return  # gone with its shot: what lies in its place by now may be another one's
        if order.kind in self.kinds:
            self.kinds[order.kind].undone(order)
        self.orders.release(order.id)

    def _news(self, job: Job) -> None:
        self.news.tell(job.order.shot, "job", job.told())

    # ------------------------------------------------------------ asked about

    def get(self, job_id: str) -> Job:
        """A job of this run, or what is written of an older one; raises NotFound."""
        with self._lock:
            if job_id in self._jobs:
                return self._jobs[job_id]
        order = self.orders.get(job_id)
        done = 1.0 if order.state == "done" else 0.0
        return Job(order, state=order.state, progress=done, result=order.result, error=order.error)

    def of(self, shot: str) -> list[Job]:
        """The open jobs of a shot, in order."""
        with self._lock:
            return [j for j in self._jobs.values() if j.order.shot == shot and j.state in OPEN]

    def delivering(self) -> bool:
        """Whether any delivery is ordered or under way, of whatever shot."""
        with self._lock:
            return any(j.state in OPEN and self.kinds[j.order.kind].delivers for j in self._jobs.values())

    def cancel(self, job_id: str) -> Job:
        """Ask a job to end. One that waits ends at once; one that runs, at its next step."""
        with self._lock:
            job = self._jobs.get(job_id)
        if job is None:
            return self.get(job_id)
        job.stop.set()
        if job.future is not None and job.future.cancel():
            self._end_badly(job, "cancelled", None)
            job.ended.set()
            self._news(job)
        return job

    def end_all(self, shot: str, seconds: float = 120.0) -> None:
        """End all work of a shot, and wait until it has ended."""
        jobs = self.of(shot)
        for job in jobs:
            self.cancel(job.order.id)
        for job in jobs:
            if not job.ended.wait(seconds):
                raise Busy("Work on this shot has not ended yet; try again in a moment.")

    def close(self) -> None:
        """End for now: what is running is broken off, and gone on with at the next start."""
        self._closing.set()
        for lane in self._lanes.values():
            lane.shutdown(wait=True, cancel_futures=True)
