"""What carries what: parts by their depth below the ground, and faults in the mounting."""

from __future__ import annotations

from gremio.core.problem import Note
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Rig


def part_levels(rig: Rig) -> tuple[list[list[PartId]], list[Note]]:
    """Part ids by their depth below the ground, and faults in the mounting.

    A part whose parent is missing, or that is mounted on itself in a ring, is computed
    as if it stood on the ground.
    """
    notes: list[Note] = []
    depth: dict[PartId, int] = {}
    for part, entry in rig.parts.items():
        if part in depth:
            continue
        if entry.parent is None:
            depth[part] = 0
            continue
        if entry.parent in depth:
            depth[part] = depth[entry.parent] + 1
            continue
        trail: list[PartId] = []
        here: PartId | None = part
        while here is not None and here not in depth and here not in trail:
            trail.append(here)
            parent = rig.parts[here].parent
            if parent is not None and parent not in rig.parts:
                notes.append(_lost_parent(rig, here))
                parent = None
            here = parent
        base = -1 if here is None else depth.get(here, -1)
        if here is not None and here in trail:
            notes.append(_mounted_on_itself(rig, trail[trail.index(here) :]))
        for step, name in enumerate(reversed(trail)):
            depth[name] = base + 1 + step
    levels: list[list[PartId]] = [[] for _ in range(max(depth.values(), default=-1) + 1)]
    for part in rig.parts:
        levels[depth[part]].append(part)
    return levels, notes


def _lost_parent(rig: Rig, part: PartId) -> Note:
    name = rig.parts[part].name
    text = f"{name} is mounted on a part that is not in the rig. Choose another on its Card."
    return Note("parent-missing", name, text)


def _mounted_on_itself(rig: Rig, ring: list[PartId]) -> Note:
    names = [rig.parts[part].name for part in ring]
    chain = " is mounted on ".join([*names, names[0]])
    text = f"{chain}: a ring of parts has no ground to stand on. Mount one of them elsewhere."
    return Note("parent-cycle", names[0], text)


def carriers(rig: Rig, part: PartId | None) -> list[PartId]:
    """Ids of a part and of all that carries it, the part first; none for the ground."""
    found: list[PartId] = []
    here = part
    while here is not None and here in rig.parts and here not in found:
        found.append(here)
        here = rig.parts[here].parent
    return found


def free_keys(rig: Rig, part: PartId) -> list[ChannelKey]:
    """Keys of the channels that a part's joint frees."""
    return [key(part, channel) for channel in freed(rig.parts[part].joint)]
