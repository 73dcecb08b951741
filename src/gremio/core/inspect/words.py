"""Links in a few words, for Cards, the Ledger and the ribbon."""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction
from typing import Any

from gremio.core.edit.formulas import shown
from gremio.core.edit.links import pair_of, swapped_ratio
from gremio.core.problem import counted_words
from gremio.core.quantity import show_short
from gremio.core.rig.cams import is_from_to
from gremio.core.rig.constraints import adds_to, target_name, targets_of
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import link_kind, link_word
from gremio.core.rig.model import Cam, Link, LinkKind, Ratio, Rig
from gremio.core.rig.numbers import closure_label, full_label, kind_of, shown_unit
from gremio.core.rig.scales import shown_on


def how(rig: Rig, link: Link, channel: ChannelKey) -> str:
    """How a link leads one of its followers, in a few words."""
    return _HOW[link_kind(link)](rig, link, channel)


# A ratio is told as a fraction of whole numbers up to this.
_LARGEST_BELOW = 999


def _cam_words(rig: Rig, cam: Any, channel: ChannelKey) -> str:
    unit = shown_unit(rig, channel)
    points = [(s.lead, s.values[channel]) for s in cam.stations if channel in s.values][:4]
    return "   ".join(f"{shown_on(rig, cam.lead, x)} → {show_short(y, unit)}" for x, y in points)


# How a link of each kind leads a follower.
_HOW: dict[LinkKind, Callable[[Rig, Any, ChannelKey], str]] = {
    "ratio": lambda rig, link, channel: ratio_words(rig, _from_its_lead(link, channel)),
    "planetary": lambda _rig, link, _channel: f"ring ÷ sun {link.ratio:.4g}",
    "cam": _cam_words,
    "formula": lambda rig, link, _channel: ("+ " if link.adds else "= ") + shown(rig, link),
    "rolling": lambda _rig, link, _channel: f"rolls on a radius of {show_short(link.radius, 'm')}",
    "driving": lambda _rig, _link, _channel: "goes along its heading",
    "rumble": lambda rig, link, _channel: (
        f"shaken at {link.speed:.4g} Hz by {full_label(rig, link.amount)}"
    ),
    "motor": lambda rig, link, _channel: f"adds up {full_label(rig, link.rate)}",
}


def _from_its_lead(ratio: Ratio, channel: ChannelKey) -> Ratio:
    """A ratio as it leads a channel: the other way about for the one it was made to lead from."""
    if channel == ratio.lead and ratio.ratio != 0.0 and not ratio.carrier:
        return swapped_ratio(ratio)
    return ratio


def ratio_words(rig: Rig, link: Ratio) -> str:
    """ "× −0.25", or "678.6 mm a turn" between kinds."""
    kinds = kind_of(rig, link.lead), kind_of(rig, link.follower)
    units = shown_unit(rig, link.lead), shown_unit(rig, link.follower)
    sign = "+ " if link.adds else ""
    pair = pair_of(link)
    if kinds[0] == kinds[1]:
        words = f"× {ratio_text(link)}"
    elif pair is not None:
        words = f"{show_short(pair[1], units[1])} for every {show_short(pair[0], units[0])}"
    elif kinds[0] == "angle":
        words = f"{show_short(link.ratio * 2 * math.pi, units[1])} a turn"
    else:
        words = f"{show_short(link.ratio, units[1])} for every {show_short(1.0, units[0])}"
    return f"{sign}{words}".replace("-", "−")


def ratio_text(link: Ratio) -> str:
    """A ratio of bare numbers as it was typed, or as a fraction where that is shorter: "-12/36",
    "4/3", "-0.314159"."""
    pair = pair_of(link)
    if pair is None:
        text = f"{link.ratio:.6g}"
        near = Fraction(link.ratio).limit_denominator(_LARGEST_BELOW)
        exact = math.isclose(float(near), link.ratio, rel_tol=1e-12)
        told = math.isclose(float(text), link.ratio, rel_tol=1e-12)
        return str(near) if exact and not told else text
    lead, follower = map(abs, pair)
    return f"{'-' if link.ratio < 0 else ''}{follower:.12g}/{lead:.12g}"


def own_word(rig: Rig, link_id: ThingId) -> str:
    """The word for what leads a channel without being a link: a constraint, a closed linkage,
    or a screw."""
    if link_id in rig.constraints:
        return rig.constraints[link_id].kind
    return "linkage" if link_id in rig.closures else "screw"


def own_how(rig: Rig, link_id: ThingId) -> str:
    """How what is no link leads, in a few words; "" where there is nothing to say."""
    constraint = rig.constraints.get(link_id)
    if constraint is None:
        closure = rig.closures.get(link_id)
        return closure_label(rig, closure) if closure is not None else ""
    names = ", ".join(target_name(rig, target) for target in targets_of(constraint))
    return f"{'+ ' if adds_to(constraint) else ''}{names}"


def drive_words(rig: Rig, link_id: ThingId, channel: ChannelKey) -> str:
    """What leads a channel as one word of the ribbon. link_id: of a link, a constraint or a
    closure."""
    link = rig.links.get(link_id)
    match link:
        case None:
            return own_word(rig, link_id)
        case Ratio():
            return ratio_words(rig, _from_its_lead(link, channel))
        case Cam() if not is_from_to(link):
            return f"cam, {counted_words(len(link.stations), 'station')}"
    return link_word(link)
