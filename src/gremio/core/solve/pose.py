"""The answer for a set of inputs: channel values, world frames, and what could not be had."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.rig.channels import (
    channel_unit,
    free_of,
    full_label,
    key,
    owner_name,
    shown_unit,
    split,
)
from gremio.core.rig.find import channel_key, control_id, part_id

if TYPE_CHECKING:
    from gremio.core.solve.program import Program

Array = npt.NDArray[np.float64]
_BEYOND = 1e-9


@dataclass(frozen=True)
class PartPose:
    """Where one part stands. world: (4, 4). channels: value in SI by name ("turn z")."""

    name: str
    world: Array
    channels: dict[str, float]


@dataclass(frozen=True)
class Poses:
    """The poses of F frames, as arrays. C channels, P parts, rows as in the program.

    channels: (C, F) values in SI, within their stops.
    asked: (C, F) what the channels were asked for, before the stops.
    worlds: (F, P, 4, 4) world frame of each part, in the order of program.part_ids.
    undefined: (F,) in which frames its formula says nothing, by row of the channel.
    put: (F,) where a channel that links only add to was put, by row of the channel.
    """

    program: Program
    channels: Array
    asked: Array
    worlds: Array
    undefined: dict[int, npt.NDArray[np.bool_]]
    put: dict[int, Array]

    @property
    def frames(self) -> int:
        """How many frames there are."""
        return int(self.channels.shape[1])

    def channel(self, channel: str) -> Array:
        """(F,) values in SI of the channel with this key."""
        values: Array = self.channels[self.program.channel_row[channel]]
        return values

    def frame(self, index: int) -> Pose:
        """The pose of one frame."""
        one = slice(index, index + 1) if index >= 0 else slice(index, index + 1 or None)
        undefined = {row: frames[one] for row, frames in self.undefined.items()}
        put = {row: values[one] for row, values in self.put.items()}
        channels, asked = self.channels[:, one], self.asked[:, one]
        poses = Poses(self.program, channels, asked, self.worlds[one], undefined, put)
        return Pose(poses)


@dataclass(frozen=True)
class Pose:
    """The answer for one set of inputs."""

    poses: Poses

    @property
    def program(self) -> Program:
        """What was solved."""
        return self.poses.program

    @property
    def worlds(self) -> Array:
        """(P, 4, 4) world frame of each part, in the order of program.part_ids."""
        worlds: Array = self.poses.worlds[0]
        return worlds

    def world(self, part: str) -> Array:
        """(4, 4) world frame of the part with this id."""
        world: Array = self.worlds[self.program.part_row[part]]
        return world

    def at(self, channel: str) -> float:
        """Value (SI) of the channel with this key; of a grounded one, its home."""
        row = self.program.channel_row.get(channel)
        if row is None:
            return 1.0 if split(channel)[1].startswith("scale") else 0.0
        return float(self.poses.channels[row, 0])

    def part(self, name: str) -> PartPose:
        """Where the part of this name stands. Raises NotFound."""
        return self.part_of(part_id(self.program.rig, name))

    def part_of(self, part: str) -> PartPose:
        """Where the part of this id stands."""
        entry = self.program.rig.parts[part]
        channels = {c: self.at(key(part, c)) for c in free_of(entry)}
        return PartPose(entry.name, self.world(part), channels)

    def value(self, part: str, channel: str = "") -> float:
        """Value (SI) of a channel by the names of part and channel. Raises NotFound."""
        if not channel:
            return self.at(channel_key(self.program.rig, part))
        return self.at(key(part_id(self.program.rig, part), channel))

    def control(self, name: str) -> float:
        """Value (SI) of the control of this name. Raises NotFound."""
        return self.at(control_id(self.program.rig, name))

    @cached_property
    def notes(self) -> list[Note]:
        """What could not be had: the faults of the rig, the stops reached, and the formulas
        that say nothing here."""
        asked, program = self.poses.asked[:, 0], self.program
        low, high = program.asked_range
        beyond = (asked > high + _BEYOND) | (asked < low - _BEYOND)
        notes = [*program.faults, *(self._stop_reached(int(r)) for r in np.flatnonzero(beyond))]
        return notes + [self._undefined(row) for row, f in self.poses.undefined.items() if f[0]]

    def _undefined(self, row: int) -> Note:
        rig = self.program.rig
        channel = self.program.channel_keys[row]
        places = []
        for lead in self.program.drives[channel].leads:
            if lead in self.program.channel_row:
                unit = shown_unit(rig, lead)
                places.append(f"{full_label(rig, lead)} is {show_short(self.at(lead), unit)}")
        where = f" where {' and '.join(places[:3])}" if places else ""
        name = full_label(rig, channel)
        text = (
            f"The formula for {name} has no value{where}: it divides by zero, or asks a function "
            "for what it does not have. Keep it away from there with clamp or choose."
        )
        return Note("formula-undefined", owner_name(rig, split(channel)[0]), text, "warning")

    def _stop_reached(self, row: int) -> Note:
        rig = self.program.rig
        owner, channel = split(self.program.channel_keys[row])
        asked, had = float(self.poses.asked[row, 0]), float(self.poses.channels[row, 0])
        name = owner_name(rig, owner)
        if not channel:
            unit = rig.controls[owner].unit
            text = (
                f"{name} was asked for {show_short(asked, unit)}; "
                f"its range ends at {show_short(had, unit)}."
            )
            return Note("range-end", name, text, "warning")
        unit = channel_unit(channel)
        end = "high" if asked > had else "low"
        text = (
            f"{name} is held by its {end} stop at {show_short(had, unit)}; "
            f"it was asked for {show_short(asked, unit)}."
        )
        return Note("stop-reached", name, text, "warning")
