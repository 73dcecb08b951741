"""A motor with its lever, in one act."""

from __future__ import annotations

from gremio.core.edit.controls import add_control
from gremio.core.edit.links import add_link
from gremio.core.problem import GremioError
from gremio.core.quantity import TOTALS, UNITS, Kind
from gremio.core.rig.channels import split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.lengths import length_unit
from gremio.core.rig.model import Control, Motor, Rig
from gremio.core.rig.numbers import full_label, kind_of, owner_name, range_of
from gremio.core.rig.scales import round_step

# So many turns a second, or times a second, a new lever goes either way; and so long (s) what
# slides between stops takes from one to the other.
_TURNS, _TRAVEL = 2.0, 2.0
# A speed for what slides without stops (m/s).
_SPEED = 0.5


def motors_on(rig: Rig, channel: ChannelKey) -> list[ThingId]:
    """Ids of the motors that drive a channel (by key)."""
    return [
        i for i, link in rig.links.items()
        if isinstance(link, Motor) and link.follower == channel
    ]  # fmt: skip


def with_motor(rig: Rig, channel: ChannelKey) -> tuple[Rig, ThingId]:
    """The rig in which a motor drives a channel (by key), and the id of the lever for its rate,
    which is off at home. Raises GremioError for what does not turn, move or count, and for what has
    a motor."""
    name = full_label(rig, channel)
    if motors_on(rig, channel):
        raise GremioError(f"{name} has a motor already. Its speed is on the motor's Card.")
    kind = kind_of(rig, channel)
    rates: dict[Kind, Kind] = {total: rate for rate, total in TOTALS.items()}
    if kind not in rates:
        raise GremioError(f"{name} neither turns nor moves nor counts, and no motor drives it.")
    unit, most = _span(rig, channel, kind)
    owner = owner_name(rig, split(channel)[0])
    called = free_name(names_in(rig), f"{owner} speed")
    lever = Control(called, rates[kind], unit, -most, most, make="lever")
    rig, made = add_control(rig, lever)
    return add_link(rig, Motor(channel, ChannelKey(made)))[0], made


def _span(rig: Rig, channel: ChannelKey, kind: Kind) -> tuple[str, float]:
    """The unit of a lever, and how far it goes either way (SI)."""
    if kind != "length":
        unit = "turn/s" if kind == "angle" else "Hz"
        return unit, _TURNS * UNITS[unit].size
    unit = "mm/s" if length_unit(rig, ThingId(split(channel)[0])) == "mm" else "m/s"
    low, high = range_of(rig, channel)
    if low is None or high is None or not high > low:
        return unit, _SPEED
    size = UNITS[unit].size
    return unit, round_step((high - low) / _TRAVEL / size) * size
