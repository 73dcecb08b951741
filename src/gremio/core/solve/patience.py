"""Whether a long solve goes on: asked of whoever waits for it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar


def _always() -> bool:
    return True


_ASKED: ContextVar[Callable[[], bool]] = ContextVar("asked", default=_always)


def may_go_on() -> bool:
    """Whether a solve that takes long may go on; what it has by then is its answer otherwise, and
    is told."""
    return _ASKED.get()()


@contextmanager
def asking(whether: Callable[[], bool]) -> Iterator[None]:
    """While this lasts, long solves ask so whether they may go on."""
    before = _ASKED.set(whether)
    try:
        yield
    finally:
        _ASKED.reset(before)
