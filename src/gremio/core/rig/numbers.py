"""Every number that is a channel, by its owner: one table of owners, whatever they are.

A joint's channel, a control, and the way along a path are put by a hand, and where they are put
is kept in the rig's `at`. Every other number says in its thing's own data what it is where
nothing leads it, and typing changes that.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import NamedTuple, Protocol, cast

from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig import constraints
from gremio.core.rig.channels import (
    CHANNELS,
    PITCH,
    SCALES,
    SHIFT,
    channel_kind,
    channel_unit,
    free_of,
    freed,
    key,
    split,
)
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.lengths import length_unit, small_unit
from gremio.core.rig.model import Closure, Control, Part, Rig, Stops, Strand, Tread
from gremio.core.rig.number import Number
from gremio.core.rig.solids import AnySolid, Mesh

# So many copies of a repeated part are shown at most.
MOST_COPIES = 2000
SHOWN = "shown"
ENDS = ("low", "high")
# Dimensions that are whole numbers.
COUNTS = ("teeth",)
_ABOVE_ZERO = 1e-6


class Named(Protocol):
    """Anything in a rig that has a name."""

    @property
    def name(self) -> str:
        """What people call it."""
        ...


class Owner(NamedTuple):
    """What has numbers. word: what it is called. things: those of a rig, by id. names: the names
    of the numbers of one; find: one of them, None where it has no such number."""

    word: str
    things: Callable[[Rig], Mapping[ThingId, Named]]
    names: Callable[[Rig, ThingId], list[str]]
    find: Callable[[Rig, ThingId, str], Number | None]


# ── parts ──────────────────────────────────────────────────────────


def _part_names(rig: Rig, part_id: ThingId) -> list[str]:
    part = rig.parts[PartId(part_id)]
    stops = [f"{end} stop {channel}" for channel in freed(part.joint) for end in ENDS]
    dimensions = [
        f"shape {index} {name}"
        for index, shape in enumerate(part.shapes)
        for name in dimensions_of(shape.solid)
    ]
    return [*free_of(part), *stops, *dimensions, SHOWN]


def _part_number(rig: Rig, part_id: ThingId, name: str) -> Number | None:
    part = rig.parts[PartId(part_id)]
    if name in CHANNELS:
        return _joint_number(part, name) if name in freed(part.joint) else None
    if name == SHOWN:
        return Number("number", float(part.shown), 0.0, 1.0, whole=True, field=SHOWN)
    if name == "count" and part.repeat is not None:
        return Number("number", float(part.repeat.count), 0.0, MOST_COPIES, None, True, "count")
    if part.repeat is not None and name in (PITCH[part.repeat.along], SHIFT[part.repeat.along]):
        kind: Kind = "angle" if name.endswith(" angle") else "length"
        field = name.removesuffix(" angle")
        return Number(kind, getattr(part.repeat, field), field=field)
    if name.startswith("shape "):
        return _dimension(part, name)
    return _stop(part, name)


def _joint_number(part: Part, channel: str) -> Number:
    stops = part.stops.get(channel, Stops())
    low = -math.inf if stops.low is None else stops.low
    high = math.inf if stops.high is None else stops.high
    return Number(channel_kind(channel), 1.0 if channel in SCALES else 0.0, low, high)


def _stop(part: Part, name: str) -> Number | None:
    end, _, channel = name.partition(" stop ")
    if end not in ENDS or channel not in freed(part.joint):
        return None
    value = getattr(part.stops.get(channel, Stops()), end)
    free = -math.inf if end == "low" else math.inf
    return Number(channel_kind(channel), free if value is None else value, field=name)


def _dimension(part: Part, name: str) -> Number | None:
    _, number, dimension = name.split(" ", 2)
    if not number.isdigit() or int(number) >= len(part.shapes):
        return None
    solid = part.shapes[int(number)].solid
    if dimension not in dimensions_of(solid):
        return None
    kind: Kind = "length"
    low, unit = _ABOVE_ZERO, None
    if dimension in ("teeth", "shift"):
        kind, low = "number", 1.0 if dimension == "teeth" else -math.inf
    elif dimension == "pressure_angle":
        kind = "angle"
    elif dimension == "module":
        unit = "mm"
    elif dimension == "bore":
        low = 0.0
    value = float(getattr(solid, dimension))
    return Number(kind, value, low, math.inf, unit, dimension in COUNTS, name)


def dimensions_of(solid: AnySolid) -> list[str]:
    """The names of the dimensions of a solid; a model has none."""
    if isinstance(solid, Mesh):
        return []
    return [n for n in solid.__struct_fields__ if isinstance(getattr(solid, n), int | float)]


# ── controls, constraints, strands ─────────────────────────────────


def _control_names(rig: Rig, control_id: ThingId) -> list[str]:
    del rig, control_id
    return ["", *(f"{end} end" for end in ENDS)]


def _control_number(rig: Rig, control_id: ThingId, name: str) -> Number | None:
    control: Control = rig.controls[control_id]
    if not name:
        low, high = control_ends(control)
        return Number(control.kind, control.home, low, high, control.unit)
    if name == "low end":
        return Number(control.kind, control.low, unit=control.unit, field="low")
    if name == "high end":
        return Number(control.kind, control.high, unit=control.unit, field="high")
    return None


def control_ends(control: Control) -> tuple[float, float]:
    """Between what a control goes (SI): without an end where it is open."""
    if control.open:
        return -math.inf, math.inf
    return control.low, max(control.low, control.high)


def _constraint_names(rig: Rig, constraint_id: ThingId) -> list[str]:
    return list(constraints.numbers(rig, rig.constraints[constraint_id]))


def _constraint_number(rig: Rig, constraint_id: ThingId, name: str) -> Number | None:
    return constraints.numbers(rig, rig.constraints[constraint_id]).get(name)


# The numbers of a strand that each kind has.
_STRANDS: dict[str, tuple[str, ...]] = {
    "spring": ("thickness", "width", "turns"),
    "bellows": ("width", "turns"),
    "hose": ("thickness", "length"),
    "rope": ("thickness", "length"),
}


def _strand_names(rig: Rig, strand_id: ThingId) -> list[str]:
    return list(_STRANDS[rig.strands[strand_id].kind])


def _strand_number(rig: Rig, strand_id: ThingId, name: str) -> Number | None:
    strand: Strand = rig.strands[strand_id]
    if name not in _STRANDS[strand.kind]:
        return None
    value = float(getattr(strand, name))
    if name == "turns":
        return Number("number", value, _ABOVE_ZERO, field=name)
    low = 0.0 if name == "length" else _ABOVE_ZERO
    return Number("length", value, low, unit=None if name == "length" else "mm", field=name)


_TREADS = ("sag", "slip")


def _tread_names(rig: Rig, tread_id: ThingId) -> list[str]:
    del rig, tread_id
    return list(_TREADS)


def _tread_number(rig: Rig, tread_id: ThingId, name: str) -> Number | None:
    tread: Tread = rig.treads[tread_id]
    if name == "sag":
        return Number("length", tread.sag, 0.0, unit="mm", field=name)
    share = Number("number", tread.slip, -1.0, unit="%", field=name)
    return share if name == "slip" else None


OWNERS: tuple[Owner, ...] = (
    Owner("part", lambda rig: cast(Mapping[ThingId, Part], rig.parts), _part_names, _part_number),
    Owner("control", lambda rig: rig.controls, _control_names, _control_number),
    Owner("constraint", lambda rig: rig.constraints, _constraint_names, _constraint_number),
    Owner("strand", lambda rig: rig.strands, _strand_names, _strand_number),
    Owner("tread", lambda rig: rig.treads, _tread_names, _tread_number),
)


def counted(value: float) -> float:
    """What a count is between two whole numbers: the lower."""
    return float(math.floor(value + 1e-9))


# ── asking ─────────────────────────────────────────────────────────


def owner_of(rig: Rig, thing: ThingId) -> Owner | None:
    """The record of what a thing (id) is; None where it has no numbers."""
    return next((owner for owner in OWNERS if thing in owner.things(rig)), None)


def number(rig: Rig, channel_key: ChannelKey) -> Number | None:
    """The number of a key; None where there is none."""
    thing, name = split(channel_key)
    if thing in rig.parts:
        return _part_number(rig, thing, name)
    if channel_key == CLOCK:
        return Number("time", 0.0)
    owner = owner_of(rig, thing)
    return None if owner is None else owner.find(rig, thing, name)


def exists(rig: Rig, channel_key: ChannelKey) -> bool:
    """Whether the key names a number that is there, and that the joint leaves free."""
    thing, name = split(channel_key)
    if name in CHANNELS and thing in rig.parts:
        return name in freed(rig.parts[PartId(thing)].joint)
    return number(rig, channel_key) is not None


def numbers_of(rig: Rig, thing: ThingId) -> list[ChannelKey]:
    """Keys of all numbers of a thing, by its id; none of what has none."""
    owner = owner_of(rig, thing)
    return [] if owner is None else [key(thing, name) for name in owner.names(rig, thing)]


def channels_of(rig: Rig, thing: ThingId) -> list[ChannelKey]:
    """Keys of the numbers of a thing that move it: of a part those of its joint and its repeat,
    of a control itself, of a constraint all."""
    if thing in rig.controls:
        return [key(thing)]
    if thing in rig.parts:
        return [key(thing, channel) for channel in free_of(rig.parts[PartId(thing)])]
    return numbers_of(rig, thing) if thing in rig.constraints else []


def is_put(rig: Rig, channel_key: ChannelKey) -> bool:
    """Whether a hand puts it somewhere, as it puts a joint or a control; else its home is its
    one truth."""
    found = number(rig, channel_key)
    return found is not None and not found.field


def kind_of(rig: Rig, channel_key: ChannelKey) -> Kind:
    """What kind of quantity the number of a key holds; a bare number where there is none."""
    _, name = split(channel_key)
    if name in CHANNELS:
        return channel_kind(name)
    found = number(rig, channel_key)
    return "number" if found is None else found.kind


def shown_unit(rig: Rig, channel_key: ChannelKey) -> str:
    """The unit that the number of a key is shown in."""
    thing, name = split(channel_key)
    if name in CHANNELS:
        lengthy = channel_kind(name) == "length"
        return length_unit(rig, thing) if lengthy else channel_unit(name)
    found = number(rig, channel_key)
    if found is None:
        return ""
    if found.kind != "length" or thing in rig.controls or name.endswith(" module"):
        return USUAL_UNIT[found.kind] if found.unit is None else found.unit
    return length_unit(rig, thing) if found.unit is None else small_unit(rig)


def meant_unit(rig: Rig, channel_key: ChannelKey) -> str:
    """The unit that a formula means by a bare number for the number of a key: however lengths are
    shown, it stays the same."""
    _, name = split(channel_key)
    if name in CHANNELS:
        return channel_unit(name)
    found = number(rig, channel_key)
    if found is None:
        return ""
    return USUAL_UNIT[found.kind] if found.unit is None else found.unit


def home_value(rig: Rig, channel_key: ChannelKey) -> float:
    """The value of a number at home (SI)."""
    _, name = split(channel_key)
    if name in CHANNELS:
        return 1.0 if name in SCALES else 0.0
    found = number(rig, channel_key)
    return 0.0 if found is None else found.home


def range_of(rig: Rig, channel_key: ChannelKey) -> tuple[float | None, float | None]:
    """The low and the high end (SI) of a number, by key; None where it runs free."""
    found = number(rig, channel_key)
    if found is None:
        return None, None
    ends = (found.low, found.high)
    low, high = (end if math.isfinite(end) else None for end in ends)
    return low, high


def stop_keys(channel_key: ChannelKey) -> tuple[ChannelKey, ChannelKey]:
    """The keys of the low and the high end of a joint's channel, or of a control."""
    thing, name = split(channel_key)
    if not name:
        return key(thing, "low end"), key(thing, "high end")
    return key(thing, f"low stop {name}"), key(thing, f"high stop {name}")


def ends_something(channel_key: ChannelKey) -> bool:
    """Whether a key is of an end of a range: a stop, or an end of a control."""
    name = split(channel_key)[1]
    return " stop " in name or name in ("low end", "high end")


def owner_name(rig: Rig, thing: ThingId) -> str:
    """The name of a thing with numbers; the id itself when there is none."""
    owner = owner_of(rig, thing)
    return thing if owner is None else owner.things(rig)[thing].name


def number_word(rig: Rig, channel_key: ChannelKey) -> str:
    """What a number of a thing is called beside the thing's name: "turn z", "low stop", "teeth";
    "" for a control itself."""
    thing, name = split(channel_key)
    part = rig.parts.get(PartId(thing))
    if part is None:
        return name
    if name.startswith("shape "):
        _, index, dimension = name.split(" ", 2)
        told = dimension.replace("_", " ")
        return told if len(part.shapes) == 1 else f"shape {int(index) + 1} {told}"
    end, middle, channel = name.partition(" stop ")
    if middle and freed(part.joint) == (channel,):
        return f"{end} stop"
    return name


def label(rig: Rig, channel_key: ChannelKey) -> str:
    """A number as people call it: the part's name, with the channel where it has several."""
    thing, name = split(channel_key)
    part = rig.parts.get(PartId(thing))
    if part is not None and freed(part.joint) == (name,):
        return part.name
    return full_label(rig, channel_key)


def full_label(rig: Rig, channel_key: ChannelKey) -> str:
    """A number with its name always spelled out: "Upper gate, east turn z"."""
    thing, _ = split(channel_key)
    return f"{owner_name(rig, thing)} {number_word(rig, channel_key)}".rstrip()


def closure_label(rig: Rig, closure: Closure) -> str:
    """A closure as people call it: "the pin of Rod and Crosshead"."""
    names = [
        rig.parts[part].name if part is not None and part in rig.parts else "the ground"
        for part in (closure.one, closure.two)
    ]
    return f"the {closure.kind} of {names[0]} and {names[1]}"


def is_known(rig: Rig, name: ChannelKey) -> bool:
    """Whether a formula can refer to this: a number, a part or a measure, by key."""
    return name in rig.parts or name in rig.measures or exists(rig, name)
