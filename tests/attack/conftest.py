"""How long an attack goes on: some rounds in the usual tests, so many seconds each in the long
ones (`make long`)."""

from __future__ import annotations

import itertools
import os
import random
import time
from collections.abc import Callable, Iterator

import pytest

Rounds = Callable[[int], Iterator[random.Random]]
_SECONDS = float(os.environ.get("GREMIO_ATTACK_SECONDS", "0"))
LONG = _SECONDS > 0


@pytest.fixture
def rounds(request: pytest.FixtureRequest) -> Iterator[Rounds]:
    """Rounds of an attack, each with its own numbers; how many were tried is told at the end."""
    tried = 0

    def each(usual: int) -> Iterator[random.Random]:
        nonlocal tried
        began = time.monotonic()
        for number in itertools.count():
            if _SECONDS and time.monotonic() - began > _SECONDS:
                return
            if not _SECONDS and number >= usual:
                return
            tried += 1
            yield random.Random(f"{request.node.name} {number}")

    yield each
    if _SECONDS:
        print(f"\n{request.node.name}: {tried:,} tried")
