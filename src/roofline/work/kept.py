"""What is kept warm: parts of engines, pictures, meshes, reports under a ceiling in bytes; textures under another."""

from __future__ import annotations

import dataclasses
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")
CEILING = 4 << 30
# Large, and asked for again only while a hand works on that very plate: they have a share of the ceiling of their own,
# so that a shot of many plates does not fill it with what was passed through once.
PASSED, SHARE = ("source", "worked"), 0.4
# A delivered picture needs the textures of all plates at once: where they did not fit beside the rest, each picture
# would make all of them anew. They have a ceiling of their own, beside the other one and so much higher.
DRAWN, HIGHER = "pyramid", 1.5
SMALL = 512  # bytes that anything is taken to need


def bytes_of(value: Any) -> int:
    """Roughly how much memory a value holds: that of all arrays in it, through containers and dataclasses."""
    arrays: dict[int, int] = {}
    return _besides(value, arrays) + sum(arrays.values())


def _besides(value: Any, arrays: dict[int, int]) -> int:
    """What a value needs besides its arrays, whose bytes are put into ``arrays`` by identity."""
    if isinstance(value, np.ndarray):
        arrays[id(value)] = int(value.nbytes)
        return 0
    if isinstance(value, (bytes, str)):
        return len(value)
    if isinstance(value, Mapping):
        return SMALL + sum(_besides(v, arrays) for v in value.values())
    if isinstance(value, (list, tuple)):
        if len(value) > 100 and not isinstance(value[0], np.ndarray):
            return SMALL + len(value) * bytes_of(value[0])
        return SMALL + sum(_besides(v, arrays) for v in value)
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return SMALL + sum(_besides(v, arrays) for v in vars(value).values())
    return SMALL


class _Tally:
    """Bytes of several values together: an array that several of them hold, as a plate's steps hold its picture, counts
    once."""

    def __init__(self) -> None:
        self.bytes = 0
        self._holders: Counter[int] = Counter()

    def add(self, besides: int, arrays: dict[int, int]) -> None:
        self.bytes += besides + sum(n for i, n in arrays.items() if not self._holders[i])
        self._holders.update(arrays.keys())

    def take(self, besides: int, arrays: dict[int, int]) -> None:
        self._holders.subtract(arrays.keys())
        gone = [i for i in arrays if not self._holders[i]]
        self.bytes -= besides + sum(arrays[i] for i in gone)
        for i in gone:
            del self._holders[i]


@dataclasses.dataclass
class _Slot:
    lock: threading.Lock = dataclasses.field(default_factory=threading.Lock)
    waiting: int = 0


class Kept:
    """Results by kind and key. Each is made once, also when several threads ask; nobody waits for another key's.

    When all together pass the ceiling, those that were asked for longest ago are let go of; so are textures when they
    pass theirs. Whoever still uses one holds it. ``made`` counts, by kind, how often something had to be worked out.
    """

    def __init__(self, ceiling: int = CEILING):
        self.ceiling, self.textures = ceiling, HIGHER * ceiling
        self.made: Counter[str] = Counter()
        self._shown, self._drawn, self._passed = 0, 0, _Tally()
        self._values: OrderedDict[tuple[str, str], tuple[Any, int, dict[int, int]]] = OrderedDict()
        self._slots: dict[tuple[str, str], _Slot] = {}
        self._lock = threading.Lock()

    @property
    def held(self) -> int:
        """Bytes of all but textures. What is shown may share arrays with what was passed through: both count,
        rather too much than too little."""
        return self._shown + self._passed.bytes

    @property
    def passed(self) -> int:
        """Of these, bytes of what was passed through."""
        return self._passed.bytes

    @property
    def drawn(self) -> int:
        """Bytes of textures."""
        return self._drawn

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
        arrays: dict[int, int] = {}
        besides = _besides(value, arrays)
        size = besides + sum(arrays.values())
        with self._lock:
            self.made[kind] += 1
            self._drop((kind, key))
            if size > (self.textures if kind == DRAWN else self.ceiling):
                return
            self._values[kind, key] = (value, besides, arrays)
            if kind == DRAWN:
                self._drawn += size
                while self.drawn > self.textures:
                    self._drop_oldest(lambda kind: kind == DRAWN)
            elif kind not in PASSED:
                self._shown += size
            else:
                self._passed.add(besides, arrays)
                while self.passed > max(SHARE * self.ceiling, size):
                    self._drop_oldest(lambda kind: kind in PASSED)
            while self.held > self.ceiling:
                self._drop_oldest(lambda kind: kind != DRAWN)

    def _drop_oldest(self, among: Callable[[str], bool]) -> None:
        self._drop(next(at for at in self._values if among(at[0])))

    def _drop(self, at: tuple[str, str]) -> None:
        value = self._values.pop(at, None)
        if value is not None:
            _, besides, arrays = value
            if at[0] == DRAWN:
                self._drawn -= besides + sum(arrays.values())
            elif at[0] in PASSED:
                self._passed.take(besides, arrays)
            else:
                self._shown -= besides + sum(arrays.values())
