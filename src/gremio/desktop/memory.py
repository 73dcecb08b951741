"""Giving memory back that is not used any more."""

from __future__ import annotations

import ctypes


def give_back() -> None:
    """Hand what was freed back to the system: the C library of Linux keeps it otherwise, in each
    thread's share of it, until that thread wants as much again."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
