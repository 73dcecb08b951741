"""What another range of a control does to what it leads, in words."""

from __future__ import annotations

from collections.abc import Iterable

from gremio.core.problem import listed
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.model import Control, Rig
from gremio.core.rig.numbers import label
from gremio.core.rig.scales import share_of, shown

_TOLD = 3


def fitted_words(rig: Rig, control: ThingId, fitted: Iterable[ThingId]) -> str:
    """What was fitted to a control's range, which it has now. fitted: ids of links."""
    entry = rig.controls[control]
    names = list(dict.fromkeys(label(rig, c) for i in fitted for c in followers(rig.links[i])))
    told = names[:_TOLD] + ([f"{len(names) - _TOLD} more"] if len(names) > _TOLD else [])
    goes = "goes" if len(names) == 1 else "go"
    ends = f"{shown(entry, entry.low)} to {shown(entry, entry.high)}"
    return f"{listed(told)} {goes} the same way as before, now over {ends} of {entry.name}."


def proportion_words(before: Control, after: Control) -> str:
    """What it means to keep the proportion where a range became another: "keep the proportion: 10
    is half way then"."""
    moved = [(a, b) for a, b in ((before.low, after.low), (before.high, after.high)) if a != b]
    end = moved[-1][0] if moved else before.high
    share = share_of(after, end)
    if 0.0 < share < 1.0:
        half = "half way" if abs(share - 0.5) < 1e-9 else f"at {share:.0%} of it"
        return f"keep the proportion: what is at {shown(before, end)} stays there, {half}"
    return f"keep the proportion: what is at {shown(before, end)} is not reached then"
