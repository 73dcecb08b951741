"""A control's sweep as a table."""

from __future__ import annotations

from gremio.core.rig.ids import ChannelKey
from gremio.core.solve.ask import moving_channels
from gremio.core.solve.pose import Poses
from gremio.core.solve.tables import as_csv, column


def sweep_csv(poses: Poses, control: ChannelKey) -> str:
    """A row a step: the control (by key), then every channel that moves. SI units, named
    in the heading: "Upper gates [rad]"."""
    columns = [control, *moving_channels(poses, control)]
    rig = poses.program.rig
    return as_csv([column(rig, c, poses.channel(c)) for c in columns])
