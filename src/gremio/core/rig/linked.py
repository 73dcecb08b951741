"""What leads what: the links, each kind a struct of its own."""

from __future__ import annotations

from typing import Literal

from gremio.core.rig.data import Data, Noted
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId

RatioKind = Literal[
    "plain",
    "gear pair",
    "bevel pair",
    "worm",
    "rack and pinion",
    "belt",
    "chain",
    "lead screw",
    "winch",
    "hydraulic pair",
    "rolling wheel",
]
ProfileKind = Literal[
    "smooth",
    "straight",
    "ease out of rest",
    "ease into rest",
    "free",
    "dwell",
    "harmonic",
    "cycloidal",
    "3-4-5",
    "4-5-6-7",
    "modified sine",
    "modified trapezoid",
]
Beyond = Literal["hold", "carry on", "repeat"]


class Ratio(Noted, frozen=True, tag_field="link", tag="ratio"):
    """follower = ratio · lead + offset, all in SI.

    kind: what gives the proportion. carrier: key of the turn of an arm that carries one of
    the two; the ratio then holds as seen from the arm. adds: it adds to what the follower
    has otherwise. pair: the ratio as it was typed, for so much of the lead (SI) so much of the
    follower: (36, −12) for −12/36, or a quarter turn and 38.1 mm; only how it is told.
    one_way: its follower can't drive it back, as a worm's wheel can't; a hand that pulls there is
    held. backlash: of teeth, between the flanks along the pitch circles (m); what places them
    leaves so much. The motion has none of it: both stay in the middle of their play.
    """

    lead: ChannelKey
    follower: ChannelKey
    ratio: float
    offset: float = 0.0
    kind: RatioKind = "plain"
    carrier: ChannelKey = NOTHING
    adds: bool = False
    pair: tuple[float, float] | None = None
    one_way: bool = False
    backlash: float = 0.0


class Planetary(Noted, frozen=True, tag_field="link", tag="planetary"):
    """Three members with two freedoms: sun + ratio · ring = (1 + ratio) · carrier (Willis).

    ratio: teeth of the ring ÷ teeth of the sun; 1 for a differential of bevel gears. one_way: as
    of a ratio.
    """

    sun: ChannelKey
    ring: ChannelKey
    carrier: ChannelKey
    ratio: float
    offset: float = 0.0
    one_way: bool = False


class Follower(Data, frozen=True):
    """One channel that a cam leads, and the profile between its stations, where a station
    says nothing else."""

    channel: ChannelKey
    profile: ProfileKind = "smooth"


class Station(Data, frozen=True):
    """A recorded position of a cam: the lead's value and the followers' values (SI).

    spans: the profile from here to the next station that speaks of a follower, by follower.
    slopes: how steep a free profile runs through here (SI for each SI), by follower.
    """

    lead: float
    values: dict[ChannelKey, float]
    spans: dict[ChannelKey, ProfileKind] = {}
    slopes: dict[ChannelKey, float] = {}


class Cam(Noted, frozen=True, tag_field="link", tag="cam"):
    """Maps one lead to followers through stations, kept in the order of the lead.

    before, after: what it does before the first and after the last station. one_way: as of a
    ratio.
    """

    lead: ChannelKey
    followers: tuple[Follower, ...]
    stations: tuple[Station, ...]
    adds: bool = False
    before: Beyond = "hold"
    after: Beyond = "hold"
    one_way: bool = False


class Formula(Noted, frozen=True, tag_field="link", tag="formula"):
    """follower = what the text says, with ids in braces: "{p3 turn z} * 12/32". one_way: as of a
    ratio."""

    follower: ChannelKey
    text: str
    adds: bool = False
    one_way: bool = False


class Rolling(Noted, frozen=True, tag_field="link", tag="rolling"):
    """A wheel that rolls without slip: its turn grows by the distance it goes ÷ radius.

    follower: key of the wheel's turn. radius: m. path: id of a path along which the
    distance is measured; "" measures it along the wheel's own heading. on: id of the part over
    which it rolls; None for the ground. ball: it rolls in any direction, and turns about all
    three axes; path says nothing then. slip: key of a number by which share it turns more than it
    rolls; "" for none.
    """

    follower: ChannelKey
    radius: float
    path: ThingId = NOTHING
    on: PartId | None = None
    ball: bool = False
    slip: ChannelKey = NOTHING


class Driving(Noted, frozen=True, tag_field="link", tag="driving"):
    """A carriage that goes along its own heading, which its steering turns.

    body: id of a part with a planar joint about z. travel: key of the way gone (m).
    steering: key of the steering angle in the middle of the steered axle; "" goes straight.
    wheelbase: m. axle: how far before the body's own zero the unsteered axle is (m). turning: key
    of a turn that it makes besides, also on the spot, as what runs on treads does; "" for none.
    """

    body: PartId
    travel: ChannelKey
    steering: ChannelKey = NOTHING
    wheelbase: float = 1.0
    axle: float = 0.0
    turning: ChannelKey = NOTHING


class Motor(Noted, frozen=True, tag_field="link", tag="motor"):
    """follower: what a rate adds up to over time, since the routine, or the clock, began.

    rate: key of the rate (rad/s, m/s or 1/s). phase: the total at the beginning of a routine (SI).
    spin_up: by how much the rate at which it runs can change in a second; 0: it runs as is asked
    at once.
    """

    follower: ChannelKey
    rate: ChannelKey
    phase: float = 0.0
    spin_up: float = 0.0


class Rumble(Noted, frozen=True, tag_field="link", tag="rumble"):
    """follower: shaken by `share` for each one of the amount (both SI), never by more.

    speed: of the slowest waves (Hz). seed: another one shakes otherwise. smoothness: from 0, as
    much of the quick waves, to 1, the slow ones alone.
    """

    follower: ChannelKey
    amount: ChannelKey
    share: float
    speed: float = 8.0
    seed: int = 1
    smoothness: float = 0.5


Link = Ratio | Planetary | Cam | Formula | Rolling | Driving | Motor | Rumble
LinkKind = Literal["ratio", "planetary", "cam", "formula", "rolling", "driving", "motor", "rumble"]
