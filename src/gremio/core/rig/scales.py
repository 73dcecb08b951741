"""What the animator reads on a control, where that is not the machine's own value."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.quantity import UNITS, show, show_number, show_short
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Control, Rig
from gremio.core.rig.numbers import shown_unit


def share_of(control: Control, value: float) -> float:
    """Where a value (SI) is between the low end, 0, and the high end, 1."""
    span = control.high - control.low
    return (value - control.low) / span if span else 0.0


def at_share(control: Control, share: float) -> float:
    """The value (SI) at a share of the range."""
    return control.low + share * (control.high - control.low)


def reads(control: Control, value: float) -> float:
    """The number read at a value (SI); the value itself where the control has no own scale."""
    if control.scale is None:
        return value
    low, high = control.scale
    return low + share_of(control, value) * (high - low)


def meant(control: Control, number: float) -> float:
    """The value (SI) that a number read on the control means."""
    if control.scale is None:
        return number
    low, high = control.scale
    return at_share(control, (number - low) / (high - low))


def shown(control: Control, value: float, *, short: bool = True) -> str:
    """A value (SI) as it is read on the control: "46 °", or "62" on a scale of its own; the
    name of its position on a switch."""
    name = position_at(control, value)
    if name:
        return name
    if control.scale is not None:
        return f"{number_text(control, value)} {control.scale_unit}".rstrip()
    return (show_short if short else show)(value, control.unit)


def around(control: Control, value: float) -> Control:
    """What of a control is shown at a value (SI): its range, or, where it is open and beyond, as
    much farther on, with what is read on it."""
    span = control.high - control.low
    if not control.open or span <= 0.0 or control.low <= value <= control.high:
        return control
    # A little is seen beyond, so that the hand can go on.
    room = 0.1 * span
    by = value + room - control.high if value > control.high else value - room - control.low
    low, high = control.low + by, control.high + by
    if control.scale is None:
        return replace(control, low=low, high=high)
    return replace(control, low=low, high=high, scale=(reads(control, low), reads(control, high)))


def shown_on(rig: Rig, channel: ChannelKey, value: float) -> str:
    """A value (SI) of any number (key), as it is read where it is: on a control as on the Desk."""
    control = rig.controls.get(ThingId(channel))
    if control is None:
        return show_short(value, shown_unit(rig, channel))
    return shown(control, value)


def read_on(rig: Rig, channel: ChannelKey, value: float) -> float:
    """The number read at a value (SI) of any number (key): that of a control's own scale; the
    value itself elsewhere."""
    control = rig.controls.get(ThingId(channel))
    return value if control is None else reads(control, value)


def meant_on(rig: Rig, channel: ChannelKey, number: float) -> float:
    """The value (SI) that a number read means; `read_on` the other way."""
    control = rig.controls.get(ThingId(channel))
    return number if control is None else meant(control, number)


def decimals_read(control: Control) -> int:
    """How many decimals a number read on a control has: a hundredth of its scale, or finer."""
    low, high = control.scale or (0.0, 1.0)
    return min(max(1 - math.floor(math.log10(abs(high - low) / 100)) - 1, 0), 6)


def number_text(control: Control, value: float) -> str:
    """The number read at a value (SI), with no more decimals than it needs."""
    text = show_number(reads(control, value), "", decimals_read(control))
    return text.rstrip("0").rstrip(".") if "." in text else text


def position_at(control: Control, value: float) -> str:
    """The name of a switch's position at a value; "" where there is none."""
    if control.make != "switch":
        return ""
    named = zip(control.notches, control.positions, strict=False)
    return next((name for at, name in named if abs(at - value) <= 1e-9), "")


def snapped(control: Control, value: float, within: float = 0.0) -> float:
    """A value brought to the nearest notch: always on a switch, else within a distance (SI)."""
    nearest = min(control.notches, key=lambda notch: abs(notch - value), default=value)
    if control.make == "switch" or abs(nearest - value) <= within:
        return nearest
    return value


def round_step(span: float) -> float:
    """A round number that is no more than a span: 1, 2 or 5 times a power of ten."""
    power = 10.0 ** math.floor(math.log10(span))
    return next(f * power for f in (5.0, 2.0, 1.0) if f * power <= span * (1 + 1e-9))


def rounded(control: Control, value: float, grain: float) -> float:
    """A value (SI) between the ends brought to the nearest that reads round on the control: in
    steps of 1, 2 or 5 that are no finer than a grain (SI), and less than 2.5 times as coarse."""
    span = control.high - control.low
    if not control.low < value < control.high or span <= 0.0 or grain <= 0.0:
        return value
    size = 1.0 if control.scale is not None else UNITS[control.unit].size
    read = reads(control, value) / size
    per = abs(reads(control, control.high) - reads(control, control.low)) / size / span
    # What is round below the inverse of the grain is the inverse of what is round above it.
    step = 1.0 / round_step(1.0 / (grain * per))
    near = meant(control, round(read / step) * step * size)
    return min(max(near, control.low), control.high)


def switch_positions(control: Control) -> tuple[tuple[float, ...], tuple[str, ...]]:
    """Notches and names that a control becomes a switch with: its own notches, or its ends."""
    notches = control.notches if len(control.notches) > 1 else (control.low, control.high)
    names = list(control.positions[: len(notches)])
    names += [show_short(notch, control.unit) for notch in notches[len(names) :]]
    return notches, tuple(names)
