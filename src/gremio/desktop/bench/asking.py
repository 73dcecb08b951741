"""What the next click in the Bench answers. No toolkit."""

from __future__ import annotations

from dataclasses import dataclass

from gremio.core.solve.pose import Pose
from gremio.desktop.bench.scene import Scene
from gremio.desktop.bench.snapping import Spot, snap_places


@dataclass(frozen=True)
class Ask:
    """What the next click answers. kind: place, axis, measure, pin, strut, path or edges, which
    are places; part, target, wheels or copies, which are parts. words: what to do. part: id of
    the part it is for."""

    kind: str
    words: str
    part: str = ""

    @property
    def of_places(self) -> bool:
        """Whether a place on the geometry is asked for."""
        return self.kind not in ("part", "target", "wheels", "copies")

    @property
    def goes_on(self) -> bool:
        """Whether it goes on when the rig has changed by an answer."""
        return self.kind == "copies"

    def spots(self, scene: Scene, pose: Pose, under: set[int]) -> list[Spot]:
        """Places that would answer: on the part it is for, and on the rows under the pointer."""
        rows = under | ({pose.program.part_row[self.part]} if self.part else set())
        spots = snap_places(scene, pose, rows)
        if self.kind == "edges":
            kinds = ("edge middle", "circle centre")
            return [spot for spot in spots if spot.place.kind in kinds]
        if self.kind == "axis":
            return [spot for spot in spots if spot.direction is not None]
        return spots
