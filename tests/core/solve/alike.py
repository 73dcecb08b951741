"""Whether two programs are the same, bit for bit."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from gremio.core.records import Record

# Rigs are compared as a whole; what finds surfaces is handed in.
_LEFT_OUT = ("rig", "geometry", "run")


def differences(one: Any, two: Any, where: str = "program") -> Iterator[str]:
    """Where two differ, in words; nothing where they are the same."""
    if one is two:
        return
    if type(one) is not type(two):
        yield f"{where}: {type(one).__name__} and {type(two).__name__}"
    elif isinstance(one, np.ndarray):
        alike = one.dtype == two.dtype and one.shape == two.shape
        if not alike or one.tobytes() != two.tobytes():
            yield f"{where}: {one.dtype}{one.shape} {one!r} and {two.dtype}{two.shape} {two!r}"
    elif isinstance(one, Record):
        names = [name for name in one.__struct_fields__ if name not in _LEFT_OUT]
        for name in names:
            yield from differences(getattr(one, name), getattr(two, name), f"{where}.{name}")
    elif isinstance(one, Mapping | list | tuple):
        yield from _within(one, two, where)
    elif one != two and not (one != one and two != two):
        yield f"{where}: {one!r} and {two!r}"


def _within(one: Any, two: Any, where: str) -> Iterator[str]:
    keys = [
        list(each) if isinstance(each, Mapping) else list(range(len(each))) for each in (one, two)
    ]
    if keys[0] != keys[1]:
        yield f"{where}: {keys[0]} and {keys[1]}"
        return
    for key in keys[0]:
        yield from differences(one[key], two[key], f"{where}[{key}]")
