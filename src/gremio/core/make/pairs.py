"""What two parts are to each other: the ratio that their geometry proposes."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have
from gremio.core.edit.links import with_pair
from gremio.core.edit.parts import moved_by
from gremio.core.make.cogs import CogPair, pair_of_cogs
from gremio.core.make.gearing import Mesh, gears_of, likeliest_mesh
from gremio.core.make.own_teeth import chain_pair, rack_pair
from gremio.core.make.round_things import widest_round
from gremio.core.mechanics.ratios import FIGURES, KINDS, arithmetic
from gremio.core.plan.carrying import carriers
from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.channels import channel_kind, freed, key, main_channel, split
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId
from gremio.core.rig.model import Ratio, RatioKind, Rig
from gremio.core.rig.solids import InternalGear
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.axes import channel_axis
from gremio.core.solve.pose import Pose

# Beyond so much of the right distance two gears are taken to be joined by a chain.
_APART = 1.35


class Proposal(Record, frozen=True):
    """A ratio between two channels, from what was read off the parts.

    lead, follower: keys. figures: by name, as in FIGURES of the kind. way: +1 or −1, whether
    the follower goes with the lead. seen: what was read, in words. carrier: key of the turn of
    the arm that carries one of the two. cogs: its teeth were counted on models.
    """

    lead: ChannelKey
    follower: ChannelKey
    kind: RatioKind
    figures: dict[str, float]
    way: int
    seen: str = ""
    carrier: ChannelKey = NOTHING
    cogs: bool = False

    @property
    def words(self) -> str:
        """The arithmetic: "60 ÷ 20, outside mesh, turns against: −3"."""
        told = arithmetic(self.kind, self.figures, self.way).words
        place, comma, rest = told.partition(", ")
        told_too = self.seen and (comma or self.cogs)
        return f"{place}, {self.seen}{comma}{rest}" if told_too else told

    def ratio(self) -> Ratio:
        """The ratio it proposes. Raises GremioError for figures that can't be."""
        value = arithmetic(self.kind, self.figures, self.way).ratio
        turned = self.kind in ("rack and pinion", "lead screw", "winch")
        if turned and channel_kind(split(self.lead)[1]) == "length":
            value = 1 / value
        if self.kind == "rolling wheel" and channel_kind(split(self.lead)[1]) == "angle":
            value = 1 / value
        # A wheel does not drive its worm back.
        made = Ratio(
            self.lead, self.follower, value, kind=self.kind, carrier=self.carrier,
            one_way=self.kind == "worm",
        )  # fmt: skip
        # What both have so many of, teeth or millimetres across, is how it is told.
        counts = [v for name, v in self.figures.items() if name.startswith(("lead ", "follower "))]
        if len(counts) == 2 and math.isclose(abs(value), counts[0] / counts[1], rel_tol=1e-12):
            made = with_pair(made, counts[1], math.copysign(counts[0], value))
        return made

    def of_kind(self, kind: RatioKind) -> Proposal:
        """The same two channels as another kind, with figures that could be."""
        return replace(self, kind=kind, figures=_usual(kind), seen="")


def fitting_kinds(lead: ChannelKey, follower: ChannelKey) -> list[RatioKind]:
    """The kinds of ratio that could join two channels of parts (by key)."""
    pair = channel_kind(split(lead)[1]), channel_kind(split(follower)[1])
    return [kind for kind, kinds in KINDS.items() if pair in (kinds, kinds[::-1])]


def _usual(kind: RatioKind) -> dict[str, float]:
    usual = {"teeth": 20.0, "starts": 1.0, "falls": 1.0, "screw": 0.004, "radius": 0.1}
    return {figure.name: usual.get(figure.name.split()[-1], 0.2) for figure in FIGURES[kind]}


def propose(
    rig: Rig,
    pose: Pose,
    lead: PartId,
    follower: PartId,
    *,
    geometry: GeometryOf | None = None,
) -> Proposal | None:
    """The ratio that the geometry of two parts proposes; None where it says nothing.

    lead, follower: ids of parts. pose: where they stand. geometry: finds the surfaces of models,
    whose teeth are counted; without it models say nothing. A part that is fixed on another is led,
    and leads, with what carries it. Raises GremioError for a part that is grounded.
    """
    lead, follower = moved_by(rig, lead), moved_by(rig, follower)
    channels = _channel(rig, lead), _channel(rig, follower)
    if _on_one_line(pose, *channels):
        return None
    mesh = likeliest_mesh(gears_of(rig, pose, lead), gears_of(rig, pose, follower))
    found = _of_gears(pose, mesh, *channels) if mesh is not None else None
    if found is None and geometry is not None:
        found = _of_cogs(pose, pair_of_cogs(rig, pose, lead, follower, geometry), *channels)
        found = found or _of_own_teeth(rig, pose, *channels, geometry)
    found = found or _of_round_things(rig, pose, *channels)
    return replace(found, carrier=_carrier(rig, *channels)) if found else None


def _channel(rig: Rig, part: PartId) -> ChannelKey:
    entry = must_have(rig.parts, part, "part")
    channel = main_channel(entry.joint)
    if not channel:
        raise GremioError(
            f"{entry.name} is grounded, so it can't turn or move. Give it a joint first (J)."
        )
    return key(part, channel)


def _on_one_line(pose: Pose, lead: ChannelKey, follower: ChannelKey) -> bool:
    """Whether two parts turn about one line: what sits on one shaft is no pair of gears."""
    if any(channel_kind(split(c)[1]) != "angle" for c in (lead, follower)):
        return False
    (one, along), (two, other) = channel_axis(pose, lead), channel_axis(pose, follower)
    apart = two - one
    off = float(np.linalg.norm(apart - along * float(apart @ along)))
    return bool(np.linalg.norm(crossed(along, other)) < 1e-6) and off < 1e-6


def _carrier(rig: Rig, lead: ChannelKey, follower: ChannelKey) -> ChannelKey:
    """Key of the turn of an arm that carries one of two parts and not the other."""
    ours, theirs = (carriers(rig, PartId(split(c)[0]))[1:] for c in (lead, follower))
    for one, other, own in ((ours, theirs, follower), (theirs, ours, lead)):
        for arm in one:
            turns = [c for c in freed(rig.parts[arm].joint) if c.startswith("turn")]
            if arm not in other and arm != split(own)[0] and turns:
                return key(arm, turns[0])
    return NOTHING


def _of_gears(pose: Pose, mesh: Mesh, lead: ChannelKey, follower: ChannelKey) -> Proposal | None:
    """What two toothed shapes propose; the way is that of both at the point of contact."""
    kinds = channel_kind(split(lead)[1]), channel_kind(split(follower)[1])
    one, two = mesh.one.solid, mesh.two.solid
    if mesh.kind == "rack":
        if kinds not in (("angle", "length"), ("length", "angle")):
            return None
        figures = {"pitch radius": mesh.one.radius}
        way = _way(pose, lead, follower, _contact(mesh))
        return Proposal(lead, follower, "rack and pinion", figures, way, "on the pitch line")
    if kinds != ("angle", "angle") or (
        isinstance(one, InternalGear) and isinstance(two, InternalGear)
    ):
        return None
    figures = {"lead teeth": float(one.teeth), "follower teeth": float(two.teeth)}
    if mesh.kind == "bevel":
        way = _way(pose, lead, follower, _contact(mesh))
        return Proposal(lead, follower, "bevel pair", figures, way, "axes that cross")
    if mesh.kind == "outside" and mesh.distance > _APART * mesh.right:
        same = channel_axis(pose, lead)[1] @ channel_axis(pose, follower)[1]
        return Proposal(lead, follower, "chain", figures, 1 if same > 0 else -1, "apart")
    way = _way(pose, lead, follower, _contact(mesh))
    seen = "inside mesh" if mesh.kind == "inside" else "outside mesh"
    return Proposal(lead, follower, "gear pair", figures, way, seen)


def _of_cogs(
    pose: Pose, pair: CogPair | None, lead: ChannelKey, follower: ChannelKey
) -> Proposal | None:
    """What two cogs that were brought in propose, by their counted teeth."""
    kinds = {channel_kind(split(c)[1]) for c in (lead, follower)}
    if pair is None or kinds != {"angle"}:
        return None
    figures = {
        "lead teeth": float(pair.one.cog.teeth), "follower teeth": float(pair.two.cog.teeth)
    }  # fmt: skip
    seen = "counted, inside mesh" if pair.inside else "counted, outside mesh"
    way = _way(pose, lead, follower, pair.contact)
    return Proposal(lead, follower, "gear pair", figures, way, seen, cogs=True)


def _of_own_teeth(
    rig: Rig, pose: Pose, lead: ChannelKey, follower: ChannelKey, geometry: GeometryOf
) -> Proposal | None:
    """What a rack and a cog, or two sprockets, that were brought in propose."""
    kinds = channel_kind(split(lead)[1]), channel_kind(split(follower)[1])
    parts = PartId(split(lead)[0]), PartId(split(follower)[0])
    if set(kinds) == {"angle", "length"}:
        rack = rack_pair(rig, pose, *parts, geometry)
        slide = lead if kinds[0] == "length" else follower
        if rack is None or abs(float(channel_axis(pose, slide)[1] @ rack.row.along)) < 0.999:
            return None
        way = _way(pose, lead, follower, rack.contact)
        seen = f"{rack.cog.cog.teeth} teeth counted, on the pitch line"
        figures = {"pitch radius": rack.radius}
        return Proposal(lead, follower, "rack and pinion", figures, way, seen, cogs=True)
    sprockets = chain_pair(rig, pose, *parts, geometry) if kinds == ("angle", "angle") else None
    if sprockets is None:
        return None
    same = channel_axis(pose, lead)[1] @ channel_axis(pose, follower)[1]
    figures = {
        f"{word} teeth": float(one.cog.teeth)
        for word, one in zip(("lead", "follower"), sprockets, strict=True)
    }
    return Proposal(lead, follower, "chain", figures, 1 if same > 0 else -1, "counted, apart")


def _contact(mesh: Mesh) -> Array:
    """(3,) where the pitch circles of two gears touch, or about there."""
    one, two = mesh.one, mesh.two
    if mesh.kind == "rack":
        up = two.frame[:3, 1] / np.linalg.norm(two.frame[:3, 1])
        return one.centre - up * one.radius
    apart = two.centre - one.centre
    apart = apart - one.axis * float(apart @ one.axis)
    size = float(np.linalg.norm(apart))
    if size < 1e-9:
        return one.centre + one.frame[:3, 0] * one.radius
    if mesh.kind == "inside" and isinstance(two.solid, InternalGear):
        apart = -apart
    return one.centre + apart / size * one.radius


def _way(pose: Pose, lead: ChannelKey, follower: ChannelKey, contact: Array) -> int:
    """+1 when a positive move of the lead takes the contact where a positive move of the
    follower does."""
    speeds = []
    for channel in (lead, follower):
        origin, axis = channel_axis(pose, channel)
        turns = split(channel)[1].startswith("turn")
        speeds.append(crossed(axis, contact - origin) if turns else axis)
    return 1 if float(speeds[0] @ speeds[1]) >= 0 else -1


def _of_round_things(
    rig: Rig, pose: Pose, lead: ChannelKey, follower: ChannelKey
) -> Proposal | None:
    """What drums, pulleys, wheels, pistons and screws propose."""
    kinds = channel_kind(split(lead)[1]), channel_kind(split(follower)[1])
    joints = [rig.parts[PartId(split(c)[0])].joint for c in (lead, follower)]
    across = [widest_round(rig, PartId(split(c)[0])) for c in (lead, follower)]
    if kinds == ("angle", "angle") and all(across):
        same = channel_axis(pose, lead)[1] @ channel_axis(pose, follower)[1]
        if abs(same) < 0.99:
            return None
        figures = {"lead diameter": across[0], "follower diameter": across[1]}
        return Proposal(lead, follower, "belt", figures, 1 if same > 0 else -1, "open belt")
    if kinds == ("length", "length") and all(across):
        figures = {"lead diameter": across[0], "follower diameter": across[1]}
        return Proposal(lead, follower, "hydraulic pair", figures, 1)
    if set(kinds) != {"angle", "length"}:
        return None
    turning = 0 if kinds[0] == "angle" else 1
    if joints[turning].kind == "screw":
        return Proposal(
            lead, follower, "lead screw", {"lead of the screw": joints[turning].lead}, 1
        )
    if not across[turning]:
        return None
    channels = (lead, follower)
    wheel, slide = channels[turning], channels[1 - turning]
    if split(slide)[0] in carriers(rig, PartId(split(wheel)[0])):
        return _rolling(pose, lead, follower, wheel, slide, across[turning] / 2)
    figures = {"drum diameter": across[turning], "falls": 1.0}
    return Proposal(lead, follower, "winch", figures, 1)


def _rolling(
    pose: Pose,
    lead: ChannelKey,
    follower: ChannelKey,
    wheel: ChannelKey,
    slide: ChannelKey,
    radius: float,
) -> Proposal | None:
    """A wheel carried by what slides: it rolls on what lies below it."""
    _, axle = channel_axis(pose, wheel)
    _, along = channel_axis(pose, slide)
    # The centre goes with a turn about the axle as the point of contact stands still.
    forward = crossed(axle, np.array([0.0, 0.0, 1.0]))
    if abs(float(forward @ along)) < 0.1:
        return None
    way = 1 if float(forward @ along) > 0 else -1
    return Proposal(lead, follower, "rolling wheel", {"radius": radius}, way, "rolls below")


def with_figures(proposal: Proposal, figures: Mapping[str, float], way: int) -> Proposal:
    """A proposal with other figures, as a person typed them."""
    return replace(proposal, figures={**proposal.figures, **figures}, way=way, seen="")
