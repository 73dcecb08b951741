"""What the open rig says: where a number that was typed is not had, and where nothing goes on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import partial

from gremio.core.edit.history import MOST_BYTES, MOST_STEPS
from gremio.core.problem import listed
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label
from gremio.core.rig.scales import shown_on
from gremio.core.solve.pose import Pose

LOCKED = "The rig is locked for the animator: only controls and their faces move anything."
FELL_OFF = (
    f"The oldest step can't be undone any more: {MOST_STEPS} steps are kept, and no more than "
    f"{MOST_BYTES // 1024**2} MB of them."
)


def cut_words(
    rig: Rig, pose: Pose, values: Mapping[ChannelKey, float], put: Iterable[ChannelKey]
) -> str:
    """That what was typed (SI by key) is not had in a pose, as a range or a stop ends before; ""
    where it is. put: keys of the inputs by which it was to be had."""
    for channel, wanted in values.items():
        if channel not in pose.program.channel_row:
            continue
        had = pose.at(channel)
        if abs(had - wanted) <= 1e-6 * max(1.0, abs(wanted)):
            continue
        told = partial(shown_on, rig, channel)
        text = f"{full_label(rig, channel)} goes to {told(had)} only; {told(wanted)} was asked for."
        leads = [full_label(rig, c) for c in put if c != channel]
        low, high = pose.ends(channel)
        if leads and low <= wanted <= high:
            return f"{text} {listed(leads)} leads it no farther."
        way = "Widen its range" if channel in rig.controls else "Move its stop"
        return f"{text} {way} on its Card to go farther."
    return ""
