"""Notes on struts: where the machine asks for more stroke than there is."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from gremio.core.inspect.finding import Finding, Mend
from gremio.core.make.struts import Use, fitted, use_of
from gremio.core.mechanics.struts import fewest_bodies
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.remembered import Remembered
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label, shown_unit
from gremio.core.rig.scales import shown
from gremio.core.solve.program import Program

_USES: Remembered[dict[str, Use]] = Remembered()


def use_in(program: Program, strut_id: ThingId) -> Use:
    """What the machine asks of a strut. A program remembers it."""
    known = _USES.of(program, dict)
    if strut_id not in known:
        known[strut_id] = use_of(program.rig, strut_id, geometry=program.geometry)
    return known[strut_id]


def told(rig: Rig, use: Use) -> str:
    """Where a strut would fail: "comes apart where Bridge is 62 °"; "" where it never does."""
    if use.past is None:
        return ""
    channel, value, word = use.past
    control = rig.controls.get(ThingId(channel))
    at = show_short(value, shown_unit(rig, channel)) if control is None else shown(control, value)
    return f"{word} where {full_label(rig, channel)} is {at}"


def bodies_told(lengths: tuple[float, ...]) -> str:
    """ "barrel 1.2 m, 2 stages 1.1 m, rod 1.4 m" """
    barrel, *stages, rod = (show_short(length, "m") for length in lengths)
    between = f"{len(stages)} stage{'s' * (len(stages) > 1)} {stages[0]}, " if stages else ""
    return f"barrel {barrel}, {between}rod {rod}"


def strut_findings(rig: Rig, program: Program) -> Iterator[Finding]:
    """Notes on struts that come apart, or push through their closed end, on the way."""
    for strut_id, strut in rig.struts.items():
        use = use_in(program, strut_id)
        if use.past is None:
            continue
        asked, had = (
            (use.longest, use.most) if use.past[2] == "comes apart" else (use.shortest, use.least)
        )
        text = (
            f"{strut.name} {told(rig, use)}: it is asked for {show_short(asked, 'm')} from eye to "
            f"eye, and its bodies go to {show_short(had, 'm')}."
        )
        lengths = fewest_bodies(use.shortest, use.longest)
        if lengths is None:
            rest = " No bodies would do: move an end, or let the machine travel less."
            yield Finding(Note("strut-short", strut.name, text + rest, "warning"))
            continue
        words = bodies_told(lengths)
        mend = Mend(words, partial(fitted, strut_id=strut_id, geometry=program.geometry))
        yield Finding(Note("strut-short", strut.name, text, "warning"), (mend,))
