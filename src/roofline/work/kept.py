"""What is kept warm: parts of engines, pictures, meshes, reports; all under one ceiling in bytes."""

from __future__ import annotations

import dataclasses
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")
CEILING = 4 << 30
SMALL = 512  # bytes that anything is taken to need


def bytes_of(value: Any) -> int:
    """Roughly how much memory a value holds: that of all arrays in it, through containers and dataclasses."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes)
    if isinstance(value, (bytes, str)):
        return len(value)
    if isinstance(value, Mapping):
        return SMALL + sum(bytes_of(v) for v in value.values())
    if isinstance(value, (list, tuple)):
        if len(value) > 100 and not isinstance(value[0], np.ndarray):
            return SMALL + len(value) * bytes_of(value[0])
        return SMALL + sum(bytes_of(v) for v in value)
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return SMALL + sum(bytes_of(v) for v in vars(value).values())
    return SMALL


@dataclasses.dataclass
class _Slot:
    lock: threading.Lock = dataclasses.field(default_factory=threading.Lock)
    waiting: int = 0


class Kept:
    """Results by kind and key. Each is made once, also when several threads ask; nobody waits for another key's.

    When all together pass the ceiling, those that were asked for longest ago are let go of; whoever still uses one
    holds it. ``made`` counts, by kind, how often something had to be worked out.
    """

    def __init__(self, ceiling: int = CEILING):
        self.ceiling = ceiling
        self.made: Counter[str] = Counter()
        self.held = 0
        self._values: OrderedDict[tuple[str, str], tuple[Any, int]] = OrderedDict()
        self._slots: dict[tuple[str, str], _Slot] = {}
        self._lock = threading.Lock()

    def get(self, kind: str, key: str, make: Callable[[], T]) -> T:
        """The value of a key; `make` is called when it is not at hand, and what it raises is passed on."""
        at = (kind, key)
        with self._lock:
            if at in self._values:
                self._values.move_to_end(at)
                return self._values[at][0]  # type: ignore[no-any-return]
            slot = self._slots.setdefault(at, _Slot())
            slot.waiting += 1
        try:
            with slot.lock:
                with self._lock:
                    if at in self._values:
                        return self._values[at][0]  # type: ignore[no-any-return]
                value = make()
                self.put(kind, key, value)
                return value
        finally:
            with self._lock:
                slot.waiting -= 1
                if not slot.waiting:
                    self._slots.pop(at, None)

    def peek(self, kind: str, key: str) -> Any:
        """The value of a key, if it is at hand, else None."""
        with self._lock:
            found = self._values.get((kind, key))
            if found is not None:
                self._values.move_to_end((kind, key))
            return None if found is None else found[0]

    def put(self, kind: str, key: str, value: Any) -> None:
        """Keep a value that has been worked out."""
        size = bytes_of(value)
        with self._lock:
            self.made[kind] += 1
            self._drop((kind, key))
            if size > self.ceiling:
                return
            self._values[kind, key] = (value, size)
            self.held += size
            while self.held > self.ceiling:
                self._drop(next(iter(self._values)))

    def _drop(self, at: tuple[str, str]) -> None:
        value = self._values.pop(at, None)
        if value is not None:
            self.held -= value[1]
