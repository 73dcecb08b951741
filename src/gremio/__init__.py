"""Gremio: rigs machines so that one control drives correct motion. The scripting face.

>>> import gremio
>>> rig = gremio.load("saltmarsh.gremio")
>>> pose = gremio.solve(rig, {"Upper gates": "46 deg"})
>>> pose.value("Upper gate, east", "turn z")
"""

from gremio.core.files.rig_file import read as load
from gremio.core.files.rig_file import write as save
from gremio.core.inspect.findings import inspect
from gremio.core.make.by_name import carriage, formula, join, mesh
from gremio.core.problem import GremioError, Note, NotFound
from gremio.core.rig.builder import Builder, shape
from gremio.core.rig.model import Rig
from gremio.core.solve.ask import run, solve, sweep
from gremio.core.solve.pose import Pose, Poses

__version__ = "0.1.0"

__all__ = [
    "Builder",
    "GremioError",
    "NotFound",
    "Note",
    "Pose",
    "Poses",
    "Rig",
    "carriage",
    "formula",
    "inspect",
    "join",
    "load",
    "mesh",
    "run",
    "save",
    "shape",
    "solve",
    "sweep",
]
