"""Writing a formula on a channel, and reading what it would say."""

from __future__ import annotations

from typing import NamedTuple

from gremio.core.edit.links import add_link, change_link
from gremio.core.formula.names import Names
from gremio.core.formula.parse import FUNCTIONS, kept_text, parse, shown_text
from gremio.core.formula.units import conversion
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Formula, Rig
from gremio.core.rig.numbers import kind_of, meant_unit

_RESERVED = frozenset(FUNCTIONS)


class Reading(NamedTuple):
    """A formula as it is kept, and how its result is taken: "an arc in radians"."""

    text: str
    read_as: str


def names_of(rig: Rig) -> Names:
    """The names that formulas of a rig can use."""
    return Names(rig, _RESERVED)


def read(rig: Rig, channel: ChannelKey, text: str) -> Reading:
    """What a formula, as a person wrote it, would say for a channel (by key).

    Raises FormulaError, which points at the word.
    """
    names = names_of(rig)
    tree = parse(text, names)
    _, read_as = conversion(rig, tree, kind_of(rig, channel), meant_unit(rig, channel))
    return Reading(kept_text(text, names), read_as)


def write(rig: Rig, channel: ChannelKey, text: str, *, adds: bool = False) -> tuple[Rig, ThingId]:
    """The rig with a formula on a channel, as a person wrote it, and the id of the link.

    The channel's present formula is replaced. adds: add to what the channel has otherwise.
    Raises FormulaError, and GremioError for a ring of links or a second one that sets.
    """
    formula = Formula(channel, read(rig, channel, text).text, adds)
    for link_id, link in rig.links.items():
        if isinstance(link, Formula) and (link.follower, link.adds) == (channel, adds):
            return change_link(rig, link_id, formula), link_id
    return add_link(rig, formula)


def shown(rig: Rig, formula: Formula) -> str:
    """A formula as a person would write it, with the names of now."""
    return shown_text(formula.text, names_of(rig))
