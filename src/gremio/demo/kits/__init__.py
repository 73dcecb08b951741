"""The kits that come with Gremio, made through the scripting face, and kept as files here."""

from __future__ import annotations

from collections.abc import Callable

from gremio.demo.kits import doors, drives, reaching
from gremio.demo.kits.kept import Made

# What makes each, in the order of their names.
ALL: tuple[Callable[[], Made], ...] = (
    drives.crank_and_slider, doors.door, drives.gear_pair, doors.hatch, drives.lever, doors.paddle,
    drives.rack_and_pinion, doors.signal_arm, doors.sliding_door, reaching.strut,
    reaching.telescopic_boom, drives.wheel_set, drives.winch,
)  # fmt: skip
