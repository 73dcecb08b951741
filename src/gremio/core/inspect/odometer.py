"""Where a carriage has come to: the Desk alone does not say."""

from __future__ import annotations

from gremio.core.quantity import show
from gremio.core.remembered import Remembered
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import DRIVEN
from gremio.core.rig.model import Driving
from gremio.core.rig.numbers import shown_unit
from gremio.core.solve.backward import led_channels
from gremio.core.solve.pose import Pose

_DRIVING: Remembered[list[Driving]] = Remembered()


def come_to(pose: Pose, control: ThingId) -> str:
    """Where the carriage that a control (by id) drives stands: "at 3.358 m, 2.196 m, 41.1 °"; ""
    where it drives none. The same way gone may end anywhere, by how it was steered."""
    rig = pose.program.rig
    # Asked for at every painting: most rigs have none.
    driving = _DRIVING.of(
        pose.program,
        lambda: [link for link in rig.links.values() if isinstance(link, Driving)],
    )
    below = led_channels(pose.program, key(control)) | {key(control)} if driving else set()
    for link in driving:
        if link.travel in below:
            channels = [key(link.body, name) for name in DRIVEN]
            places = [show(pose.at(c), shown_unit(rig, c)) for c in channels]
            return f"at {', '.join(places)}"
    return ""
