"""Kits: pieces of a rig that are kept to be used again, and where a rig uses one."""

from __future__ import annotations

from gremio.core.rig.data import Data
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId


class Socket(Data, frozen=True):
    """Where a kit meets the rig that it is put into.

    asks: what is asked there, in words. thing: id of what stands there for the other rig: a part
    without a shape for a part, a control for what leads; NOTHING for what the whole kit stands on.
    placed: it is a single point there, so that its place is asked for as well.
    """

    asks: str
    thing: ThingId = NOTHING
    placed: bool = False


class Kit(Data, frozen=True):
    """What makes a rig a kit.

    about: what it is, in a line. words: to find it by. sockets: what is asked when it is put in.
    dimensions: keys of the numbers that are asked for then; controls among them are gone once they
    are answered, and what they led has its number.
    """

    about: str = ""
    words: tuple[str, ...] = ()
    sockets: tuple[Socket, ...] = ()
    dimensions: tuple[ChannelKey, ...] = ()


class KitUse(Data, frozen=True):
    """A kit that was put into a rig.

    path, sha256: of its file, as of a source. ids: of the rig's things by those of the kit; where
    another channel leads in place of a control of the kit, the key of that. sizes: what its
    dimensions were answered with (SI), by key. was: the kit as it was put in, as its file has it.
    """

    name: str
    path: str
    sha256: str
    ids: dict[ThingId, str] = {}
    sizes: dict[ChannelKey, float] = {}
    was: str = ""
