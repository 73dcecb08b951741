"""What all data of a rig is made of."""

from __future__ import annotations

import msgspec


class Data(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A piece of a rig: typed, never changed, and nothing in it but what its type knows."""
