"""What all data of a rig is made of."""

from __future__ import annotations

import msgspec


class Data(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A piece of a rig: typed, never changed, and nothing in it but what its type knows."""


class Noted(Data, frozen=True, kw_only=True):
    """A thing of a rig that something can be written about. note: what its users wrote."""

    note: str = ""
