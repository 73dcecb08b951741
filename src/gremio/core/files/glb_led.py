"""What a GLB shows of numbers that something leads: dimensions as scales where that is exact."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, Flags
from gremio.core.plan.carrying import carriers
from gremio.core.problem import Note
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import SHOWN, full_label
from gremio.core.rig.solids import AnySolid, Plate
from gremio.core.solve.pose import Poses

# Along which axes a solid grows with each of its dimensions, where it is the same but larger.
_GROWS: dict[str, dict[str, str]] = {
    "box": {"length": "x", "width": "y", "height": "z"},
    "wedge": {"length": "x", "width": "y", "height": "z"},
    "cylinder": {"diameter": "xy", "height": "z"},
    "ball": {"diameter": "xyz"},
    "tube": {"height": "z"},
    "plate": {"thickness": "z"},
    "spur gear": {"width": "z"},
    "internal gear": {"width": "z"},
    "rack": {"width": "z"},
}


def stretches(poses: Poses) -> dict[str, dict[int, Array]]:
    """(F, 3) how far a shape is stretched along x, y and z against its first frame; by part and
    by which shape it is. Only shapes that change, and where a stretch is exact."""
    found: dict[str, dict[int, Array]] = {}
    rig = poses.program.rig
    for led in poses.program.led_dimensions:
        values = poses.channels[led.row]
        axes = _axes(rig.parts[led.part].shapes[led.shape].solid, led.name)
        if not axes or np.ptp(values) == 0.0 or values[0] == 0.0:
            continue
        shapes = found.setdefault(led.part, {})
        stretch = shapes.setdefault(led.shape, np.ones((poses.frames, 3)))
        for axis in axes:
            stretch[:, "xyz".index(axis)] *= values / values[0]
    return found


def _axes(solid: AnySolid, dimension: str) -> str:
    if isinstance(solid, Plate) and not solid.holes:
        return {"length": "x", "width": "y", "thickness": "z"}[dimension]
    return _GROWS.get(str(solid.__struct_config__.tag), {}).get(dimension, "")


def seen(poses: Poses, part: PartId) -> Flags:
    """(F,) in which frames a part (id) is shown, whatever carries it."""
    channel = key(part, SHOWN)
    if channel in poses.program.channel_row:
        shown: Flags = poses.channel(channel) >= 0.5
        return shown
    return np.full(poses.frames, poses.program.rig.parts[part].shown)


def never_seen(poses: Poses, part: PartId) -> bool:
    """Whether a part (id), or something that carries it, is hidden in all frames."""
    return any(not seen(poses, one).any() for one in carriers(poses.program.rig, part))


def lost(poses: Poses) -> list[Note]:
    """What a GLB of these poses can't carry: led numbers that change a shape otherwise than by a
    scale."""
    program, rig = poses.program, poses.program.rig
    notes = []
    for led in program.led_dimensions:
        values = poses.channels[led.row]
        solid = rig.parts[led.part].shapes[led.shape].solid
        if np.ptp(values) > 0.0 and not _axes(solid, led.name):
            notes.append(_stays(rig, program.channel_keys[led.row], led.part, "its shape changes"))
    return notes


def _stays(rig: Rig, channel: ChannelKey, part: PartId, why: str) -> Note:
    text = (
        f"{full_label(rig, channel)} is led: {why}, which a GLB can't carry, so that it stays as "
        "it is in the first frame."
    )
    return Note("glb-led", rig.parts[part].name, text, "warning")
