"""News: messages to whoever listens to a shot, or to all of them."""

from __future__ import annotations

import queue
import threading
from collections.abc import Iterator
from typing import Any

from roofline.errors import Busy

MOST = 20  # listeners at once: each holds a thread of the server; who finds no place asks now and then instead
Message = tuple[str, str, Any]  # shot, kind, data


class News:
    """Messages to all listeners (server-sent events)."""

    def __init__(self, most: int = MOST) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._ears: list[tuple[str | None, queue.Queue[Message]]] = []

    def tell(self, shot: str, kind: str, data: Any) -> None:
        with self._lock:
            ears = [ear for of, ear in self._ears if of in (None, shot)]
        for ear in ears:
            try:
                ear.put_nowait((shot, kind, data))
            except queue.Full:
                continue  # a listener that has gone; the next full state makes up for it

    def listen(self, shot: str | None = None, beat: float = 10.0) -> Iterator[Message]:
        """Messages of a shot, or of all, as they come; kind "beat" when there have been none for a while.

        Raises Busy, at once, when too many are listening.
        """
        ear: queue.Queue[Message] = queue.Queue(1000)
        entry = (shot, ear)
        with self._lock:
            if len(self._ears) >= self._most:
                raise Busy("Too many pages listen for news; ask again in a while.")
            self._ears.append(entry)
        return self._heard(entry, beat)

    def _heard(self, entry: tuple[str | None, queue.Queue[Message]], beat: float) -> Iterator[Message]:
        try:
            while True:
                try:
                    yield entry[1].get(timeout=beat)
                except queue.Empty:
                    yield entry[0] or "", "beat", None
        finally:
            with self._lock:
                self._ears.remove(entry)
