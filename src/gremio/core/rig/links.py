"""Links: what each kind says of itself, in one table."""

from __future__ import annotations

import functools
import re
from collections.abc import Callable
from typing import Any, NamedTuple, TypeVar

from gremio.core.rig import link_numbers
from gremio.core.rig.cams import is_from_to
from gremio.core.rig.channels import TURNS, key, split
from gremio.core.rig.ids import CLOCK, ChannelKey
from gremio.core.rig.model import (
    Cam,
    Driving,
    Formula,
    Link,
    LinkKind,
    Motor,
    Planetary,
    Ratio,
    Rig,
    Rolling,
    Rumble,
)
from gremio.core.rig.numbers import label, owner_name

T = TypeVar("T")
# What a carriage that goes along its heading has from it.
DRIVEN = ("move x", "move y", "turn z")
_REFERENCE = re.compile(r"\{([^{}]*)\}")


@functools.lru_cache(maxsize=65536)
def references(text: str) -> tuple[ChannelKey, ...]:
    """What a formula's text refers to, in braces, each once, in order."""
    return tuple(dict.fromkeys(_REFERENCE.findall(text)))


def _one(link: Any) -> tuple[ChannelKey, ...]:
    return (link.follower,)


def _from_to(rig: Rig, link: Any) -> str:
    """ "the ratio from Paddle windlass to Windlass"."""
    from_names = " and ".join(label(rig, channel) for channel in leads(link)[:2])
    return f"the {link_word(link)} from {from_names} to {_follower_names(rig, link)}"


def _for(rig: Rig, link: Any) -> str:
    return f"the {link_word(link)} for {_follower_names(rig, link)}"


def _of_carriage(rig: Rig, link: Any) -> str:
    return f"the driving of {owner_name(rig, link.body)} from {label(rig, link.travel)}"


def _follower_names(rig: Rig, link: Link) -> str:
    led = followers(link)
    names = ", ".join(label(rig, channel) for channel in led[:3])
    return names + (f" and {len(led) - 3} more" if len(led) > 3 else "")


def _nothing(rig: Rig, link: Any) -> str:
    del rig, link
    return ""


def _always(value: T) -> Callable[[Any], T]:
    """What says the same of every link."""
    return lambda _link: value


class LinkRecord(NamedTuple):
    """What a kind of link says of itself.

    struct: its data. word: what it is called. followers: the keys of the channels that one leads;
    leads: of those that lead in it, and of what else a formula refers to. adds: whether one adds
    to what its followers have otherwise, and does not set it. told: one as people call it. wrong:
    what is wrong with its numbers, and what to do; "" for nothing. symbol: the name of its
    symbol. both_ways: whether its two ends lead each other alike. timed: what it adds comes of the
    time, so that a hand on its follower moves that itself, and none of its leads.
    """

    struct: type[Any]
    word: Callable[[Any], str]
    followers: Callable[[Any], tuple[ChannelKey, ...]]
    leads: Callable[[Any], tuple[ChannelKey, ...]]
    adds: Callable[[Any], bool]
    told: Callable[[Rig, Any], str] = _from_to
    wrong: Callable[[Rig, Any], str] = _nothing
    symbol: Callable[[Any], str] | None = None
    both_ways: bool = False
    timed: bool = False


def _rolled(link: Any) -> tuple[ChannelKey, ...]:
    if not link.ball:
        return (link.follower,)
    return tuple(key(split(link.follower)[0], channel) for channel in TURNS)


LINKS: dict[LinkKind, LinkRecord] = {
    "ratio": LinkRecord(
        Ratio,
        word=lambda link: "ratio" if link.kind == "plain" else link.kind,
        followers=_one,
        leads=lambda link: (link.lead, link.carrier) if link.carrier else (link.lead,),
        adds=lambda link: link.adds,
        wrong=link_numbers.of_ratio,
        symbol=lambda link: "rack" if link.kind == "rack and pinion" else "ratio",
        both_ways=True,
    ),
    "planetary": LinkRecord(
        Planetary,
        word=_always("planetary"),
        followers=lambda link: (link.carrier,),
        leads=lambda link: (link.sun, link.ring),
        adds=_always(False),
        wrong=link_numbers.of_planetary,
        both_ways=True,
    ),
    "cam": LinkRecord(
        Cam,
        word=lambda link: "from–to cam" if is_from_to(link) else "cam",
        symbol=_always("cam"),
        followers=lambda link: tuple(follower.channel for follower in link.followers),
        leads=lambda link: (link.lead,),
        adds=lambda link: link.adds,
        wrong=link_numbers.of_cam,
    ),
    "formula": LinkRecord(
        Formula,
        word=_always("formula"),
        followers=_one,
        leads=lambda link: references(link.text),
        adds=lambda link: link.adds,
        told=_for,
    ),
    "rolling": LinkRecord(
        Rolling,
        word=_always("rolling"),
        followers=_rolled,
        leads=lambda link: (link.slip,) if link.slip else (),
        adds=_always(True),
        told=_for,
        wrong=link_numbers.of_rolling,
    ),
    "motor": LinkRecord(
        Motor,
        word=_always("motor"),
        followers=_one,
        leads=lambda link: (link.rate,),
        adds=_always(True),
        wrong=link_numbers.of_motor,
        timed=True,
    ),
    "rumble": LinkRecord(
        Rumble,
        word=_always("rumble"),
        followers=_one,
        leads=lambda link: (link.amount, CLOCK),
        adds=_always(True),
        wrong=link_numbers.of_rumble,
        timed=True,
    ),
    "driving": LinkRecord(
        Driving,
        word=_always("driving"),
        followers=lambda link: tuple(key(link.body, channel) for channel in DRIVEN),
        leads=lambda link: tuple(c for c in (link.travel, link.steering, link.turning) if c),
        adds=_always(True),
        told=_of_carriage,
        wrong=link_numbers.of_driving,
    ),
}


# The kind, and what it says of itself, by the struct: asked for a great many times.
_KIND_OF: dict[type, LinkKind] = {record.struct: kind for kind, record in LINKS.items()}
_RECORD_OF: dict[type, LinkRecord] = {record.struct: record for record in LINKS.values()}


def link_kind(link: Link) -> LinkKind:
    """The kind of a link."""
    return _KIND_OF[type(link)]


def record_of(link: Link) -> LinkRecord:
    """What the kind of a link says of itself."""
    return _RECORD_OF[type(link)]


def can_hold(link: Link) -> bool:
    """Whether a link may be marked as one that its follower can't drive back."""
    return isinstance(link, Ratio | Planetary | Cam | Formula)


def link_holds(link: Link) -> bool:
    """Whether a link's follower can't drive it back."""
    return isinstance(link, Ratio | Planetary | Cam | Formula) and link.one_way


def followers(link: Link) -> tuple[ChannelKey, ...]:
    """The keys of the channels that a link leads."""
    return _RECORD_OF[type(link)].followers(link)


def leads(link: Link) -> tuple[ChannelKey, ...]:
    """The keys of the channels that lead in a link; of a formula, all it refers to."""
    return _RECORD_OF[type(link)].leads(link)


def members(link: Link) -> tuple[ChannelKey, ...]:
    """All that a link refers to."""
    return (*leads(link), *followers(link))


def adds(link: Link) -> bool:
    """Whether a link adds to what its follower has otherwise, and does not set it."""
    return _RECORD_OF[type(link)].adds(link)


def link_word(link: Link) -> str:
    """The word for a link of this kind: "ratio", "cam", "gear pair"."""
    return record_of(link).word(link)


def link_symbol(link: Link) -> str:
    """The name of the symbol of a link."""
    symbol = record_of(link).symbol
    return link_word(link) if symbol is None else symbol(link)


def link_label(rig: Rig, link: Link) -> str:
    """A link as people call it: "the ratio from Paddle windlass to Windlass"."""
    return record_of(link).told(rig, link)


def wrong_numbers(rig: Rig, link: Link) -> str:
    """What is wrong with the numbers of a link, and what to do; "" when nothing is."""
    return record_of(link).wrong(rig, link)
