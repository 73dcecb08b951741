"""A control's sweep as a table."""

from __future__ import annotations

import csv
import io

from gremio.core.quantity import Kind
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.numbers import full_label, kind_of
from gremio.core.solve.ask import moving_channels
from gremio.core.solve.pose import Poses

_SI: dict[Kind, str] = {
    "length": "m", "angle": "rad", "time": "s", "number": "", "rate": "rad/s", "speed": "m/s",
    "frequency": "Hz",
}  # fmt: skip


def sweep_csv(poses: Poses, control: ChannelKey) -> str:
    """A row a step: the control (by key), then every channel that moves. SI units, named
    in the heading: "Upper gates [rad]"."""
    columns = [control, *moving_channels(poses, control)]
    rig = poses.program.rig
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow([heading(full_label(rig, c), kind_of(rig, c)) for c in columns])
    values = [poses.channel(channel) for channel in columns]
    for row in zip(*values, strict=True):
        table.writerow([repr(float(value)) for value in row])
    return text.getvalue()


def heading(name: str, kind: Kind) -> str:
    """The head of a column in SI: "Upper gates [rad]"."""
    return f"{name} [{_SI[kind]}]" if _SI[kind] else name
