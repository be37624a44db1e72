"""Long work in the background: progress, cancel, and news for whoever listens."""

from __future__ import annotations

import queue
import secrets
import threading
import time
import traceback
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from roofline.errors import NotFound, RoofLineError

PUBLIC = ("id", "shot", "kind", "label", "state", "progress", "doing", "seconds_left", "result", "error")


class Cancelled(Exception):
    """Raised inside a job that has been cancelled."""


@dataclass
class Job:
    """One piece of long work. ``state``: waiting, running, done, failed, cancelled."""

    id: str
    shot: str
    kind: str
    label: str
    state: str = "waiting"
    progress: float = 0.0
    doing: str = ""
    seconds_left: float | None = None
    result: Any = None
    error: str | None = None
    _stop: threading.Event = field(default_factory=threading.Event, repr=False)
    _began: float = 0.0

    def told(self) -> dict[str, Any]:
        """What listeners and the browser see of it."""
        return {k: getattr(self, k) for k in PUBLIC}


class News:
    """Messages to all listeners of a shot (server-sent events)."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._ears: dict[str, list[queue.Queue[tuple[str, Any]]]] = {}

    def tell(self, shot: str, kind: str, data: Any) -> None:
        with self._lock:
            ears = list(self._ears.get(shot, []))
        for ear in ears:
            try:
                ear.put_nowait((kind, data))
            except queue.Full:
                continue  # a listener that has gone; the next full state makes up for it

    def listen(self, shot: str, beat: float = 10.0) -> Iterator[tuple[str, Any]]:
        """Messages as they come; ("beat", None) when there have been none for a while."""
        ear: queue.Queue[tuple[str, Any]] = queue.Queue(1000)
        with self._lock:
            self._ears.setdefault(shot, []).append(ear)
        try:
            while True:
                try:
                    yield ear.get(timeout=beat)
                except queue.Empty:
                    yield "beat", None
        finally:
            with self._lock:
                self._ears[shot].remove(ear)


class Jobs:
    """Runs jobs one after another (each already uses all cores)."""

    def __init__(self, news: News):
        self.news = news
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="job")
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()

    def start(self, shot: str, kind: str, label: str, work: Callable[[Callable[[float, str], None]], Any]) -> Job:
        """Queue work. It is given ``tell(progress 0…1, what is being done)``, which raises Cancelled when it should end."""
        job = Job(secrets.token_hex(4), shot, kind, label)
        with self._lock:
            self._jobs[job.id] = job
            finished = [j for j in self._jobs.values() if j.state in ("done", "failed", "cancelled")]
            for old in finished[:-50]:
                del self._jobs[old.id]
        self._pool.submit(self._run, job, work)
        self._news(job)
        return job

    def _run(self, job: Job, work: Callable[[Callable[[float, str], None]], Any]) -> None:
        job._began = last = time.monotonic()

        def tell(progress: float, doing: str = "") -> None:
            nonlocal last
            if job._stop.is_set():
                raise Cancelled
            now = time.monotonic()
            job.progress, job.doing = min(max(progress, 0.0), 1.0), doing or job.doing
            if progress > 0.02:
                job.seconds_left = (now - job._began) * (1 - progress) / progress
            if now - last > 0.1:
                last = now
                self._news(job)

        try:
            if job._stop.is_set():
                raise Cancelled
            job.state = "running"
            self._news(job)
            job.result = work(tell)
            job.state, job.progress, job.seconds_left = "done", 1.0, 0.0
        except Cancelled:
            job.state = "cancelled"
        except RoofLineError as error:
            job.state, job.error = "failed", str(error)
        except Exception:  # the last line of defence: a job must not die unseen
            traceback.print_exc()
            job.state, job.error = "failed", "Something went wrong inside Roof Line; its log has the details."
        self._news(job)

    def _news(self, job: Job) -> None:
        self.news.tell(job.shot, "job", job.told())

    def get(self, job_id: str) -> Job:
        with self._lock:
            if job_id not in self._jobs:
                raise NotFound(f"There is no job '{job_id}'.")
            return self._jobs[job_id]

    def of(self, shot: str) -> list[Job]:
        with self._lock:
            return [j for j in self._jobs.values() if j.shot == shot]

    def cancel(self, job_id: str) -> Job:
        job = self.get(job_id)
        job._stop.set()
        if job.state == "waiting":
            job.state = "cancelled"
            self._news(job)
        return job

    def close(self) -> None:
        for job in list(self._jobs.values()):
            job._stop.set()
        self._pool.shutdown(wait=True, cancel_futures=True)
