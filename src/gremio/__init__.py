"""Gremio: rigs machines so that one control drives correct motion. The scripting face.

>>> import gremio
>>> rig = gremio.load("saltmarsh.gremio")
>>> pose = gremio.solve(rig, {"Upper gates": "46 deg"})
>>> pose.value("Upper gate, east", "turn z")
"""

from __future__ import annotations

import importlib
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gremio.core.edit.builder import Builder, shape
    from gremio.core.files.rig_file import read as load
    from gremio.core.files.rig_file import write as save
    from gremio.core.problem import GremioError, Note, NotFound
    from gremio.core.rig.model import Repeat, Rig
    from gremio.core.rig.solids import (
        Ball,
        Box,
        Cylinder,
        InternalGear,
        Plate,
        RackBar,
        SpurGear,
        Tube,
        Wedge,
    )
    from gremio.core.script.again import copy, merge, mirror, put_in, resize, take
    from gremio.core.script.by_name import (
        carriage,
        constrain,
        drive_to,
        formula,
        join,
        joint_from_copies,
        keep,
        lead_instead,
        leave_in_place,
        mesh,
        path,
        pin,
        roll,
        strand,
        strut,
        teach,
        to_pose,
    )
    from gremio.core.script.changing import (
        in_step,
        midway,
        set_range,
        stops_where_it_touches,
        write_note,
    )
    from gremio.core.script.kits import keep_kit, kit_changes, put_kit, update_kits
    from gremio.core.script.parts import (
        cam,
        control,
        lock,
        measure,
        mount_on,
        move_joint,
        part,
        place,
        put_on_ground,
        ratio,
        set_home,
        set_joint,
        set_stops,
        take_scale_out,
        turn_round,
        unlink,
    )
    from gremio.core.script.pictures import Picture, picture
    from gremio.core.script.posing import compare, inspect, run, solve, sweep
    from gremio.core.script.timing import (
        Baked,
        at_time,
        bake,
        hand_over,
        key,
        motor,
        routine,
        rumble,
    )
    from gremio.core.script.tracing import Trace, trace
    from gremio.core.script.treads import tracked, tread, tread_links
    from gremio.core.script.whole import (
        bring_in,
        changes,
        export,
        put,
        remove,
        rename,
        revise,
    )
    from gremio.core.solve.pose import Pose, Poses

__version__ = "0.2.0"

# Where each name comes from: found when it is first used, so that a window starts fast.
_ROOMS = {
    "bring_in": "script.whole",
    "export": "script.whole",
    "put": "script.whole",
    "remove": "script.whole",
    "rename": "script.whole",
    "Ball": "rig.solids",
    "Box": "rig.solids",
    "Cylinder": "rig.solids",
    "InternalGear": "rig.solids",
    "Plate": "rig.solids",
    "RackBar": "rig.solids",
    "SpurGear": "rig.solids",
    "Tube": "rig.solids",
    "Wedge": "rig.solids",
    "Baked": "script.timing",
    "Builder": "edit.builder",
    "GremioError": "problem",
    "NotFound": "problem",
    "Note": "problem",
    "Pose": "solve.pose",
    "Poses": "solve.pose",
    "Trace": "script.tracing",
    "Repeat": "rig.model",
    "Rig": "rig.model",
    "at_time": "script.timing",
    "bake": "script.timing",
    "changes": "script.whole",
    "merge": "script.again",
    "revise": "script.whole",
    "carriage": "script.by_name",
    "compare": "script.posing",
    "part": "script.parts",
    "control": "script.parts",
    "ratio": "script.parts",
    "cam": "script.parts",
    "unlink": "script.parts",
    "set_joint": "script.parts",
    "set_stops": "script.parts",
    "place": "script.parts",
    "move_joint": "script.parts",
    "turn_round": "script.parts",
    "mount_on": "script.parts",
    "set_home": "script.parts",
    "put_on_ground": "script.parts",
    "take_scale_out": "script.parts",
    "measure": "script.parts",
    "lock": "script.parts",
    "constrain": "script.by_name",
    "copy": "script.again",
    "drive_to": "script.by_name",
    "formula": "script.by_name",
    "hand_over": "script.timing",
    "in_step": "script.changing",
    "inspect": "script.posing",
    "join": "script.by_name",
    "joint_from_copies": "script.by_name",
    "keep": "script.by_name",
    "keep_kit": "script.kits",
    "key": "script.timing",
    "kit_changes": "script.kits",
    "lead_instead": "script.by_name",
    "leave_in_place": "script.by_name",
    "load": "files.rig_file",
    "mesh": "script.by_name",
    "midway": "script.changing",
    "mirror": "script.again",
    "motor": "script.timing",
    "rumble": "script.timing",
    "path": "script.by_name",
    "Picture": "script.pictures",
    "picture": "script.pictures",
    "pin": "script.by_name",
    "resize": "script.again",
    "put_in": "script.again",
    "take": "script.again",
    "put_kit": "script.kits",
    "roll": "script.by_name",
    "routine": "script.timing",
    "run": "script.posing",
    "save": "files.rig_file",
    "set_range": "script.changing",
    "shape": "edit.builder",
    "solve": "script.posing",
    "stops_where_it_touches": "script.changing",
    "strand": "script.by_name",
    "strut": "script.by_name",
    "sweep": "script.posing",
    "teach": "script.by_name",
    "trace": "script.tracing",
    "tracked": "script.treads",
    "tread": "script.treads",
    "tread_links": "script.treads",
    "to_pose": "script.by_name",
    "update_kits": "script.kits",
    "write_note": "script.changing",
}
_OTHERWISE = {"load": "read", "save": "write"}


def __getattr__(name: str) -> object:
    if name not in _ROOMS:
        raise AttributeError(f"gremio has no {name!r}")
    room = importlib.import_module(f"gremio.core.{_ROOMS[name]}")
    if "IPython" in sys.modules:
        # A notebook shows poses as pictures.
        importlib.import_module("gremio.core.script.pictures")
    found: object = getattr(room, _OTHERWISE.get(name, name))
    globals()[name] = found
    return found


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])


__all__ = [
    "Baked",
    "Ball",
    "Box",
    "Builder",
    "Cylinder",
    "GremioError",
    "InternalGear",
    "NotFound",
    "Note",
    "Picture",
    "Plate",
    "Pose",
    "Poses",
    "RackBar",
    "Repeat",
    "Rig",
    "SpurGear",
    "Trace",
    "Tube",
    "Wedge",
    "at_time",
    "bake",
    "bring_in",
    "cam",
    "carriage",
    "changes",
    "compare",
    "constrain",
    "control",
    "copy",
    "drive_to",
    "export",
    "formula",
    "hand_over",
    "in_step",
    "inspect",
    "join",
    "joint_from_copies",
    "keep",
    "keep_kit",
    "key",
    "kit_changes",
    "lead_instead",
    "leave_in_place",
    "load",
    "lock",
    "measure",
    "merge",
    "mesh",
    "midway",
    "mirror",
    "motor",
    "mount_on",
    "move_joint",
    "part",
    "path",
    "picture",
    "pin",
    "place",
    "put",
    "put_in",
    "put_kit",
    "put_on_ground",
    "ratio",
    "remove",
    "rename",
    "resize",
    "revise",
    "roll",
    "routine",
    "rumble",
    "run",
    "save",
    "set_home",
    "set_joint",
    "set_range",
    "set_stops",
    "shape",
    "solve",
    "stops_where_it_touches",
    "strand",
    "strut",
    "sweep",
    "take",
    "take_scale_out",
    "teach",
    "to_pose",
    "trace",
    "tracked",
    "tread",
    "tread_links",
    "turn_round",
    "unlink",
    "update_kits",
    "write_note",
]
