"""What a record is made of."""

from __future__ import annotations

import msgspec


class Record(msgspec.Struct, frozen=True, dict=True, weakref=True):
    """What never changes once it is made. As the standard library's frozen data classes, and made
    in a thirtieth of their time, of which a hundred would be seen when the window comes."""
