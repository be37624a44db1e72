"""News: messages to whoever listens to a shot, or to all of them."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable, Iterator
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

    def listen(self, shot: str | None = None, beat: float = 10.0) -> Listening:
        """Messages of a shot, or of all, as they come; kind "beat" when there have been none for a while.

        Raises Busy, at once, when too many are listening. Whoever listens must close it: until then a place is taken.
        """
        ear: queue.Queue[Message] = queue.Queue(1000)
        entry = (shot, ear)
        with self._lock:
            if len(self._ears) >= self._most:
                raise Busy("Too many pages listen for news; ask again in a while.")
            self._ears.append(entry)
        return Listening(shot, ear, beat, lambda: self._gone(entry))

    def _gone(self, entry: tuple[str | None, queue.Queue[Message]]) -> None:
        with self._lock:
            if entry in self._ears:
                self._ears.remove(entry)


class Listening:
    """Messages to one listener, until it is closed. No generator: one that nobody has begun is not told of its end."""

    def __init__(self, shot: str | None, ear: queue.Queue[Message], beat: float, close: Callable[[], None]):
        self._shot, self._ear, self._beat, self.close = shot, ear, beat, close

    def first(self, message: Message) -> None:
        """Hear a message of one's own."""
        self._ear.put_nowait(message)

    def __iter__(self) -> Iterator[Message]:
        return self

    def __next__(self) -> Message:
        try:
            return self._ear.get(timeout=self._beat)
        except queue.Empty:
            return self._shot or "", "beat", None
