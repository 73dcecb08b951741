"""Stops where a part touches, and moving it on until it does, from the window."""

from __future__ import annotations

from collections.abc import Collection

from gremio.core.problem import GremioError
from gremio.core.rig.channels import key, main_channel
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.numbers import full_label
from gremio.desktop.document.document import Document

BOTH = "both stops there"
# What can be had, in words: which ends are looked at, and whether it only moves there.
TOUCHES: dict[str, tuple[tuple[str, ...], bool]] = {
    BOTH: (("low", "high"), False),
    "the low stop there": (("low",), False),
    "the high stop there": (("high",), False),
    "move on till there": (("high",), True),
    "move back till there": (("low",), True),
}
_LOOKING, _STOP = "Looking for what touches \u2026", "Stop looking (Esc)"


def until_it_touches(
    document: Document,
    channel: ChannelKey,
    words: str = BOTH,
    against: Collection[PartId] | None = None,
) -> None:
    """Set stops of a channel (key) where the part touches, or move it on until it does, as words
    say. against: ids of what may be touched; all that is shown where it is None."""
    # What finds contacts is loaded when it is first asked.
    from gremio.core.make.touching import nothing_words, touch_words, touched_at, with_stops_at

    ends, moves = TOUCHES[words]
    rig, pose, geometry = document.rig, document.settled(), document.geometry
    try:
        with document.patience(_LOOKING, _STOP):
            found = {
                end: touched_at(rig, pose, channel, end, against=against, geometry=geometry)
                for end in ends
            }
    except GremioError as refused:
        document.said.emit(str(refused))
        return
    if not any(touch.touches for touch in found.values()):
        document.said.emit(nothing_words(rig, channel, found))
        return
    name = full_label(rig, channel)
    if moves:
        (touch,) = found.values()
        document.move(channel, touch.value)
        document.settle()
        done = abs(document.pose.at(channel) - touch.value) <= 1e-6 * max(1.0, abs(touch.value))
    else:
        done = document.edit(
            f"stops of {name} where it touches", lambda rig: with_stops_at(rig, channel, found)
        )
    if done:
        document.said.emit(touch_words(rig, channel, found))


def touch_selected(document: Document) -> None:
    """Set both stops of the selected part where it touches; of several, where the selected one
    touches the others."""
    if document.selected not in document.rig.parts:
        document.said.emit("Select a part first, or several: the last moves until it touches.")
        return
    part = PartId(document.selected)
    channel = main_channel(document.rig.parts[part].joint)
    if not channel:
        document.said.emit(document.grounded_text(part))
        return
    until_it_touches(document, key(part, channel), BOTH, document.also or None)
