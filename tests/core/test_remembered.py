"""What is kept is bounded in bytes, whatever is asked for."""

from __future__ import annotations

import numpy as np

from gremio.core.remembered import Bounded


def test_the_oldest_goes_when_the_bytes_are_full() -> None:
    made: list[int] = []

    def make(key: int) -> np.ndarray:
        made.append(key)
        return np.zeros(key, dtype=np.uint8)

    kept: Bounded[int, np.ndarray] = Bounded(lambda array: array.nbytes, 1000)
    first = kept.of(400, make)
    assert kept.of(400, make) is first and made == [400]
    kept.of(500, make)
    assert kept.of(400, make) is first
    kept.of(300, make)
    # 500 was asked for longest ago.
    assert len(kept) == 2
    kept.of(400, make)
    assert made == [400, 500, 300]
    kept.of(500, make)
    assert made == [400, 500, 300, 500]


def test_what_is_larger_than_all_the_room_is_kept_while_it_is_the_latest() -> None:
    kept: Bounded[int, bytes] = Bounded(len, 10)
    big = kept.of(50, bytes)
    assert kept.of(50, bytes) is big and len(kept) == 1
    kept.of(5, bytes)
    assert len(kept) == 1
