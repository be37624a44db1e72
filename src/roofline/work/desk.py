"""The desk: all that the stages work with, over one data folder."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from roofline.core.throw.engine import Engine
from roofline.model.shot import Shot
from roofline.store.hold import Hold
from roofline.store.orders import Orders
from roofline.store.store import Store
from roofline.work import kept, proxies
from roofline.work.engines import Engines
from roofline.work.jobs import Job, Jobs, Kind
from roofline.work.kept import Kept
from roofline.work.news import News
from roofline.work.proxies import Proxies
from roofline.work.warm import STEPS, Warming

LOOK_SECONDS = 1.0  # between two looks at whether the data folder is there


class Desk:
    """The store, what is kept warm, long work and news.

    ``kinds``: given the desk, the kinds of long work that can be ordered; ``ceiling`` and ``proxies``: bytes that
    may be kept in memory, and on disk in smaller pictures for the screen.
    """

    def __init__(
        self,
        store: Store,
        kinds: Callable[[Desk], dict[str, Kind]],
        ceiling: int = kept.CEILING,
        proxy_ceiling: int = proxies.CEILING,
        hold: Hold | None = None,
    ):
        self.store, self.hold = store, hold
        self._asked: dict[str, int] = {}
        self._asking = threading.Lock()
        self.kept = Kept(ceiling)
        self.warming = Warming()
        self.proxies = Proxies(store.folder / "proxies", proxy_ceiling)
        self.engines = Engines(store.blobs.read, self.kept, self.warming.wait, self.proxies.get)
        self.news = News()
        self.orders = Orders(store)
        self.jobs = Jobs(self.orders, self.news, kinds(self))
        self._closed = threading.Event()
        threading.Thread(target=self._watch, daemon=True, name="folder").start()

    def _watch(self) -> None:
        """Tell all pages when the data folder goes away, and when it is back."""
        said: str | None = None
        while not self._closed.wait(LOOK_SECONDS):
            says = self.store.there.trouble()
            if says != said:
                said = says
                self.news.tell("", "folder", {"says": says})

    def quiet(self, what: str, seconds: float) -> bool:
        """Wait a while; whether nobody has asked for the same since. For what only the last of many asks for."""
        with self._asking:
            self._asked[what] = mine = self._asked.get(what, 0) + 1
        time.sleep(seconds)
        with self._asking:
            return self._asked[what] == mine

    def engine(self, shot: Shot) -> Engine:
        """The engine of a shot, from kept parts."""
        return self.engines.engine(shot)

    def changed(self, shot_id: str) -> None:
        """Tell the news of a shot's revision."""
        self.news.tell(shot_id, "changed", {"revision": self.store.revision(shot_id)})

    def order(self, shot_id: str, kind: str, label: str, **body: Any) -> Job:
        """Order long work on a shot."""
        return self.jobs.start(shot_id, kind, label, body)

    def warm_up(self, package: Path) -> None:
        """Compile the engine beside, on a shot package; pages hear how far it is."""

        def tell() -> None:
            w = self.warming
            self.news.tell("", "warming", {"step": w.step, "steps": len(STEPS), "doing": w.doing, "ready": w.ready})

        self.warming.start(package, tell)

    def close(self) -> None:
        """End for now; what is running is gone on with when the desk is opened again."""
        self._closed.set()
        self.jobs.close()
        if self.hold is not None:
            self.hold.release()
