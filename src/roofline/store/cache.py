"""A few results at hand."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class Cache(Generic[T]):
    """A few results by key; each is made once, also when several threads ask."""

    def __init__(self, size: int):
        self.size = size
        self._kept: OrderedDict[str, T] = OrderedDict()
        self._lock = threading.RLock()

    def get(self, key: str, make: Callable[[], T]) -> T:
        with self._lock:
            if key not in self._kept:
                self._kept[key] = make()
                while len(self._kept) > self.size:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(key)
            return self._kept[key]

    def peek(self, key: str) -> T | None:
        with self._lock:
            return self._kept.get(key)

    def put(self, key: str, value: T) -> None:
        with self._lock:
            self._kept[key] = value
            while len(self._kept) > self.size:
                self._kept.popitem(last=False)
