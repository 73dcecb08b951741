"""Gremio: rigs machines so that one control drives correct motion. The scripting face.

>>> import gremio
>>> rig = gremio.load("saltmarsh.gremio")
>>> pose = gremio.solve(rig, {"Upper gates": "46 deg"})
>>> pose.value("Upper gate, east", "turn z")
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gremio.core.files.posing import run, solve, sweep
    from gremio.core.files.rig_file import read as load
    from gremio.core.files.rig_file import write as save
    from gremio.core.inspect.findings import inspect
    from gremio.core.make.by_name import (
        carriage,
        constrain,
        formula,
        join,
        keep,
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
    from gremio.core.problem import GremioError, Note, NotFound
    from gremio.core.rig.builder import Builder, shape
    from gremio.core.rig.model import Rig
    from gremio.core.solve.pose import Pose, Poses

__version__ = "0.2.0"

# Where each name comes from: found when it is first used, so that a window starts fast.
_ROOMS = {
    "Builder": "rig.builder",
    "GremioError": "problem",
    "NotFound": "problem",
    "Note": "problem",
    "Pose": "solve.pose",
    "Poses": "solve.pose",
    "Rig": "rig.model",
    "carriage": "make.by_name",
    "constrain": "make.by_name",
    "formula": "make.by_name",
    "inspect": "inspect.findings",
    "join": "make.by_name",
    "keep": "make.by_name",
    "leave_in_place": "make.by_name",
    "load": "files.rig_file",
    "mesh": "make.by_name",
    "path": "make.by_name",
    "pin": "make.by_name",
    "roll": "make.by_name",
    "run": "files.posing",
    "save": "files.rig_file",
    "shape": "rig.builder",
    "solve": "files.posing",
    "strand": "make.by_name",
    "strut": "make.by_name",
    "sweep": "files.posing",
    "teach": "make.by_name",
    "to_pose": "make.by_name",
}
_OTHERWISE = {"load": "read", "save": "write"}


def __getattr__(name: str) -> object:
    if name not in _ROOMS:
        raise AttributeError(f"gremio has no {name!r}")
    room = importlib.import_module(f"gremio.core.{_ROOMS[name]}")
    found: object = getattr(room, _OTHERWISE.get(name, name))
    globals()[name] = found
    return found


__all__ = [
    "Builder",
    "GremioError",
    "NotFound",
    "Note",
    "Pose",
    "Poses",
    "Rig",
    "carriage",
    "constrain",
    "formula",
    "inspect",
    "join",
    "keep",
    "leave_in_place",
    "load",
    "mesh",
    "path",
    "pin",
    "roll",
    "run",
    "save",
    "shape",
    "solve",
    "strand",
    "strut",
    "sweep",
    "teach",
    "to_pose",
]
