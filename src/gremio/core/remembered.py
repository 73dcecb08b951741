"""Keeping what was found out about something for as long as it lives."""

from __future__ import annotations

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")
K = TypeVar("K")
V = TypeVar("V")


class Remembered(Generic[T]):
    """What was found out about objects that never change, by the object itself."""

    def __init__(self) -> None:
        self._kept: dict[int, tuple[weakref.ref[object], T]] = {}

    def of(self, about: object, find: Callable[[], T]) -> T:
        """What is known about an object; found the first time it is asked for."""
        place = id(about)
        kept = self._kept.get(place)
        if kept is None or kept[0]() is not about:
            forget = weakref.ref(about, lambda _gone: self._kept.pop(place, None))
            kept = (forget, find())
            self._kept[place] = kept
        return kept[1]


class Bounded(Generic[K, V]):
    """What was made, by what it was made of, the latest asked for kept; bounded in bytes.

    size: how many bytes a value takes. most: how many all may take together; the latest is kept
    in any case. Safe to be asked from several threads.
    """

    def __init__(self, size: Callable[[V], int], most: int) -> None:
        self._size, self._most = size, most
        self._kept: OrderedDict[K, V] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def of(self, key: K, make: Callable[[K], V]) -> V:
        """What is kept for a key; made where nothing is."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make(key)
        with self._lock:
            if key in self._kept:
                return self._kept[key]
            self._kept[key] = made
            self._bytes += self._size(made)
            while self._bytes > self._most and len(self._kept) > 1:
                _, dropped = self._kept.popitem(last=False)
                self._bytes -= self._size(dropped)
        return made

    def latest(self) -> list[V]:
        """All that is kept, the latest first."""
        with self._lock:
            return list(reversed(self._kept.values()))

    def __len__(self) -> int:
        return len(self._kept)
