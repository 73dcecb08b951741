"""Many profiles side by side, evaluated at once: k profiles of up to n stations."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.kernels.library import Kernel, address, check_rows
from gremio.core.mechanics.bank import Bank
from gremio.core.mechanics.cam_laws import LAWS
from gremio.core.mechanics.profiles import Profile, end_speed

Whole = Rows
_BANK = Kernel("gremio_bank", "wwpppppppppwpp")
# From so many values on, other threads may run meanwhile.
_MANY = 50_000
_LAW_NAMES = tuple(LAWS)


def bank_of(profiles: Sequence[Profile]) -> Bank:
    """Profiles put side by side."""
    k, n = len(profiles), max(len(profile.x) for profile in profiles)
    x, y = np.full((k, n), np.inf), np.zeros((k, n))
    c, law = np.zeros((k, n - 1, 4)), np.zeros((k, n - 1), dtype=np.intp)
    for i, profile in enumerate(profiles):
        size = len(profile.x)
        x[i, :size], y[i, :size], c[i, : size - 1] = profile.x, profile.y, profile.c.T
        for j, kind in enumerate(profile.kinds):
            if kind in LAWS:
                law[i, j] = _LAW_NAMES.index(kind) + 1
    slopes = [
        [_slope(p, p.before, 0) for p in profiles],
        [_slope(p, p.after, -1) for p in profiles],
    ]
    rounds = [[p.before == "repeat" for p in profiles], [p.after == "repeat" for p in profiles]]
    return Bank(
        x=x,
        y=y,
        last=np.array([len(p.kinds) - 1 for p in profiles], dtype=np.intp),
        c=c,
        law=law,
        first=np.array([[p.x[0]] for p in profiles], dtype=float),
        end=np.array([[p.x[-1]] for p in profiles], dtype=float),
        slopes=np.array(slopes)[..., None],
        rounds=np.array(rounds)[..., None],
        laws=_laws_in(law),
    )


def _laws_in(law: Whole) -> tuple[int, ...]:
    """The laws that any span follows."""
    found = np.flatnonzero(np.bincount(law.ravel(), minlength=1)[1:]) + 1
    return tuple(found.tolist())


def some_of(banks: Sequence[Bank], those: Sequence[int]) -> Bank:
    """A bank of some profiles of others, each named by its place in all of these one after
    another; as if it had been made of those profiles alone."""
    at = np.array(those, dtype=np.intp)
    last = np.concatenate([bank.last for bank in banks])[at]
    n = int(last.max()) + 2
    c = _alike([bank.c for bank in banks], n - 1, 0.0)[at]
    law = _alike([bank.law for bank in banks], n - 1, 0)[at]
    return Bank(
        x=_alike([bank.x for bank in banks], n, np.inf)[at],
        y=_alike([bank.y for bank in banks], n, 0.0)[at],
        last=last,
        c=c,
        law=law,
        first=np.concatenate([bank.first for bank in banks])[at],
        end=np.concatenate([bank.end for bank in banks])[at],
        slopes=np.concatenate([bank.slopes for bank in banks], axis=1).take(at, axis=1),
        rounds=np.concatenate([bank.rounds for bank in banks], axis=1).take(at, axis=1),
        laws=_laws_in(law),
    )


def _alike(columns: Sequence[np.ndarray[Any, Any]], n: int, fill: float) -> Any:
    """Arrays (k, …) one on another, cut or filled to n along their second axis."""
    found = []
    for column in columns:
        wide = np.full((len(column), n, *column.shape[2:]), fill, dtype=column.dtype)
        size = min(n, column.shape[1])
        wide[:, :size] = column[:, :size]
        found.append(wide)
    return np.concatenate(found)


def _slope(profile: Profile, beyond: str, which: int) -> float:
    return end_speed(profile, which) if beyond == "carry on" else 0.0


def values(bank: Bank, channels: Array, rows: Whole) -> Array:
    """(k, F) the height of each profile at its own lead: the row of channels (C, F) that rows
    (k,) says."""
    result, span = _cubics(bank, channels, rows)
    return _with_laws(bank, channels[rows], span, result) if bank.laws else result


def _cubics(bank: Bank, channels: Array, rows: Whole) -> tuple[Array, Whole]:
    """Heights (k, F) as if every span were a cubic, and which span each is in; spans are told
    only where a profile follows a law."""
    k, n = bank.x.shape
    frames = channels.shape[1]
    if not (k == len(rows) == len(bank.last) == len(bank.first) == bank.slopes.shape[1]):
        raise ValueError("a bank has as many of everything as profiles")
    check_rows(rows, 0, len(channels), "leads")
    check_rows(bank.last, 0, n - 1, "spans")
    channels = np.ascontiguousarray(channels, dtype=np.float64)
    result = np.empty((k, frames))
    span = np.empty(result.shape if bank.laws else (0, 0), dtype=np.intp)
    if result.size:
        run = _BANK.beside if result.size >= _MANY else _BANK.alone
        arrays = bank.x, bank.c, bank.last, bank.first, bank.end, bank.slopes, bank.rounds
        told = [address(array) for array in (*arrays, channels, rows)]
        run(k, n, *told, frames, address(result), address(span) if bank.laws else None)
    return result, span


def _inside(bank: Bank, leads: Array) -> Array:
    """Lead values brought between the first and the last station."""
    x = leads
    if bank.rounds.any():
        around = bank.first + np.mod(leads - bank.first, bank.end - bank.first)
        wraps = (leads < bank.first) & bank.rounds[0] | (leads > bank.end) & bank.rounds[1]
        x = np.where(wraps, around, leads)
    result: Array = np.minimum(np.maximum(x, bank.first), bank.end)
    return result


def _with_laws(bank: Bank, leads: Array, span: Whole, result: Array) -> Array:
    """The spans that follow a law, put in place of the cubics."""
    row = np.arange(len(leads))[:, None]
    kinds = bank.law[row, span]
    x = _inside(bank, leads)
    for law in bank.laws:
        i, f = np.nonzero(kinds == law)
        if not len(i):
            continue
        j = span[i, f]
        start, wide = bank.x[i, j], bank.x[i, j + 1] - bank.x[i, j]
        share = np.clip((x[i, f] - start) / wide, 0.0, 1.0)
        rise = bank.y[i, j + 1] - bank.y[i, j]
        result[i, f] = bank.y[i, j] + rise * LAWS[_LAW_NAMES[law - 1]].place(share)
        # Beyond a last dwell that ends elsewhere, the last station holds.
        past = (leads[i, f] > bank.end[i, 0]) & ~bank.rounds[1, i, 0]
        result[i[past], f[past]] = bank.y[i[past], j[past] + 1]
    return result
