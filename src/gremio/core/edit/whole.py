"""Edits on the rig as a whole: its name, and the unit that its lengths are shown in."""

from __future__ import annotations

from typing import get_args

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.rig.model import LengthUnit, Rig


def rename_rig(rig: Rig, name: str) -> Rig:
    """The rig under another name. Raises GremioError for an empty one."""
    name = name.strip()
    if not name:
        raise GremioError("A rig needs a name. Type one.")
    return replace(rig, name=name)


def set_lengths(rig: Rig, unit: LengthUnit) -> Rig:
    """The rig with its lengths shown in a unit; "" for one by the size of what they are of. Nothing
    but what is read changes. Raises GremioError for what is no unit of length."""
    if unit not in get_args(LengthUnit):
        offered = ", ".join(word for word in get_args(LengthUnit) if word)
        raise GremioError(f"{unit} is no unit that lengths are shown in. Choose one of {offered}.")
    return replace(rig, lengths=unit)
