"""Keeping what was found out about something for as long as it lives."""

from __future__ import annotations

import weakref
from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


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
