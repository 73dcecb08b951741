"""The Ledger: every led channel, what leads it and how, as rows."""

from __future__ import annotations

import csv
import io
import math
import re
from typing import NamedTuple

from msgspec.structs import replace

from gremio.core.edit.formulas import write
from gremio.core.edit.links import add_link, change_link, remove_link, typed_ratio, with_pair
from gremio.core.edit.notes import note_of, set_note
from gremio.core.edit.numbers import set_number
from gremio.core.edit.parts import set_stops
from gremio.core.inspect.words import how, own_how, own_word
from gremio.core.problem import GremioError, with_article
from gremio.core.quantity import UNITS, show, show_number, show_short
from gremio.core.rig import ids
from gremio.core.rig.channels import CHANNELS, key, split
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, link_symbol, link_word
from gremio.core.rig.model import Formula, Link, Ratio, Rig, Stops
from gremio.core.rig.numbers import (
    counted,
    exists,
    full_label,
    kind_of,
    number,
    shown_unit,
    stop_keys,
)
from gremio.core.rig.scales import meant, shown
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program
from gremio.core.typed import QuantityError, parse

# The link of a channel that nothing leads.
FREE = "nothing"
COLUMNS = ("Follower", "Value", "Link", "How", "Lead", "Low stop", "High stop", "Note")
_FOR_EVERY = re.compile(r"(.+?)\s+for\s+every\s+(.+)", re.IGNORECASE)
_A_TURN = re.compile(r"(.+?)\s+a\s+turn", re.IGNORECASE)


class LedgerRow(NamedTuple):
    """One link of a led channel. channel: its key. link_id: of the link, or of the constraint;
    "" where a screw leads itself."""

    channel: ChannelKey
    link_id: ThingId
    follower: str
    symbol: str
    word: str
    leads: str


def ledger_rows(program: Program, *, free: bool = False) -> list[LedgerRow]:
    """A row for each link of each led channel, in the order of the channels. free: and one for each
    channel that nothing leads."""
    rig = program.rig
    rows = []
    for channel in program.channel_keys:
        drive = program.drives.get(channel)
        if drive is None:
            if free and exists(rig, channel):
                name = full_label(rig, channel)
                rows.append(LedgerRow(channel, NOTHING, name, "free", FREE, ""))
            continue
        leads = ", ".join(full_label(rig, c) for c in drive.leads if c in program.channel_row)
        name = full_label(rig, channel)
        # A linkage is told once, however many pins close it.
        closed = [i for i in drive.links if i in rig.closures]
        for link_id in closed[:1] or drive.links:
            link = rig.links.get(link_id)
            if link is None:
                word = own_word(rig, link_id)
                own = link_id if link_id in rig.constraints else NOTHING
                rows.append(LedgerRow(channel, own, name, word, word, leads))
            else:
                word, symbol = link_word(link), link_symbol(link)
                rows.append(LedgerRow(channel, link_id, name, symbol, word, leads))
    return rows


def cell(pose: Pose, row: LedgerRow, column: str) -> str:
    """What stands in a column of a row, in the unit shown."""
    rig = pose.program.rig
    unit = shown_unit(rig, row.channel)
    match column:
        case "Follower":
            return row.follower
        case "Value":
            found, value = number(rig, row.channel), pose.at(row.channel)
            control = rig.controls.get(ids.thing(row.channel))
            if control is not None:
                return shown(control, value, short=False)
            whole = found is not None and found.whole
            return show(counted(value), unit, 0) if whole else show(value, unit)
        case "Link":
            return row.word
        case "How" if row.word == FREE:
            return ""
        case "How":
            link = rig.links.get(row.link_id)
            return how(rig, link, row.channel) if link is not None else own_how(rig, row.link_id)
        case "Lead":
            return row.leads
        case "Note":
            return _notes(rig, row)
    stops = stops_of(pose.rig, row.channel)
    stop = stops.low if column == "Low stop" else stops.high
    return "" if stop is None else show_short(stop, unit)


def _notes(rig: Rig, row: LedgerRow) -> str:
    """What is written about a link, and about what it leads, on one line."""
    things = (row.link_id, split(row.channel)[0])
    found = dict.fromkeys(filter(None, (note_of(rig, thing) for thing in things if thing)))
    return " · ".join(" ".join(note.split()) for note in found)


def stops_of(rig: Rig, channel: ChannelKey) -> Stops:
    """The stops of a joint's channel, or the range of a control, by key; none of what has
    none."""
    owner, name = split(channel)
    if owner in rig.controls and not name:
        return Stops(rig.controls[owner].low, rig.controls[owner].high)
    part = rig.parts.get(PartId(owner))
    return Stops() if part is None else part.stops.get(name, Stops())


def typed_value(rig: Rig, row: LedgerRow, text: str) -> float:
    """The value (SI) that a text means in a row: of a control, as it is read on it. Raises
    QuantityError."""
    control, unit = rig.controls.get(ids.thing(row.channel)), shown_unit(rig, row.channel)
    if control is None or (control.scale is None and control.make != "switch"):
        return parse(text, kind_of(rig, row.channel), unit, row.follower)
    named = dict(zip(control.positions, control.notches, strict=False))
    if text.strip() in named:
        return named[text.strip()]
    if control.scale is None:
        return parse(text, control.kind, unit, row.follower)
    bare = text.strip().removesuffix(control.scale_unit) if control.scale_unit else text
    return meant(control, parse(bare, "number", "", row.follower))


def with_note(rig: Rig, row: LedgerRow, text: str) -> Rig:
    """The rig with a note typed into the Ledger: on the link of a row, or on what it leads where
    that has one, or nothing leads it."""
    owner = split(row.channel)[0]
    on_owner = not row.link_id or (note_of(rig, owner) and not note_of(rig, row.link_id))
    return set_note(rig, owner if on_owner else row.link_id, text)


def with_stop(rig: Rig, channel: ChannelKey, column: str, text: str) -> Rig:
    """The rig with a stop typed into the Ledger; an empty text runs free. Raises GremioError."""
    owner, name = split(channel)
    unit, end = shown_unit(rig, channel), "low" if column == "Low stop" else "high"
    stop = stop_keys(channel)[end == "high"]
    if any(stop in followers(link) for link in rig.links.values()):
        raise GremioError(f"{full_label(rig, stop)} is led: change what leads it, in its own row.")
    if channel in rig.controls and not text.strip():
        raise GremioError(f"{rig.controls[owner].name} is a control: its range has two ends.")
    if channel not in rig.controls and name not in CHANNELS:
        raise GremioError(f"{full_label(rig, channel)} has no stops of its own.")
    value = None
    if text.strip():
        value = parse(text, kind_of(rig, channel), unit, f"{column} of {full_label(rig, channel)}")
    if channel in rig.controls:
        assert value is not None
        return set_number(rig, key(owner, f"{end} end"), value)
    return set_stops(rig, PartId(owner), name, replace(stops_of(rig, channel), **{end: value}))


def with_how(rig: Rig, row: LedgerRow, text: str) -> Rig:
    """The rig with another proportion or formula typed into the Ledger.

    A ratio takes a number, "36/20", or "250 mm a turn"; a formula, and whatever begins with
    "=" or is no such number, is read as a formula. Raises GremioError.
    """
    if row.link_id in rig.constraints:
        raise GremioError(f"{row.follower} is given by a constraint: change it on its Card.")
    link = rig.links.get(row.link_id)
    clean = text.strip().replace("−", "-")
    if isinstance(link, Ratio) and not clean.startswith("="):
        changed = _proportion(rig, link, clean.removeprefix("×").strip())
        if changed is not None:
            return change_link(rig, row.link_id, changed)
    if link is not None and not isinstance(link, Formula):
        if not isinstance(link, Ratio) or link.follower != row.channel:
            raise GremioError(
                f"{row.follower} is led by {with_article(row.word)}: change it on its Card."
            )
        rig = remove_link(rig, row.link_id)
    adds = isinstance(link, Formula) and link.adds
    return write(rig, row.channel, clean.lstrip("=+").strip(), adds=adds)[0]


def _proportion(rig: Rig, link: Ratio, text: str) -> Ratio | None:
    kinds = kind_of(rig, link.lead), kind_of(rig, link.follower)
    turn, every = _A_TURN.fullmatch(text), _FOR_EVERY.fullmatch(text)
    try:
        if turn and kinds[0] == "angle":
            moves = parse(turn[1], kinds[1], shown_unit(rig, link.follower))
            return with_pair(link, 2 * math.pi, moves)
        if every and kinds[0] != kinds[1]:
            moves = parse(every[1], kinds[1], shown_unit(rig, link.follower))
            return with_pair(link, parse(every[2], kinds[0], shown_unit(rig, link.lead)), moves)
        if kinds[0] == kinds[1]:
            return typed_ratio(link, text)
    except QuantityError:
        # Words are a formula's; figures alone are a number that can't be read.
        if re.search(r"[A-Za-z({]", text):
            return None
        raise
    return None


def pasted(rig: Rig, link: Link, row: LedgerRow) -> Rig:
    """The rig with a copied link leading another row's channel, in place of what leads it.

    Raises GremioError for a cam of several followers, or a row that is not set by one link.
    """
    if not isinstance(link, Ratio | Formula):
        raise GremioError("Only a ratio or a formula is copied from row to row.")
    present = rig.links.get(row.link_id)
    if row.word == FREE:
        return add_link(rig, replace(link, follower=row.channel))[0]
    if present is None or not isinstance(present, Ratio | Formula):
        raise GremioError(f"{row.follower} is led by {with_article(row.word)}: remove that first.")
    return change_link(rig, row.link_id, replace(link, follower=row.channel))


def ledger_csv(pose: Pose, rows: list[LedgerRow]) -> str:
    """The Ledger as CSV: values and stops as numbers, with their unit in a column."""
    rig = pose.program.rig
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow(["Follower", "Value", "Unit", "Link", "How", "Lead", "Low stop", "High stop"])
    for row in rows:
        unit = shown_unit(rig, row.channel)
        stops = stops_of(pose.rig, row.channel)
        ends = ["" if s is None else show_number(s, unit, 6) for s in (stops.low, stops.high)]
        value = show_number(pose.at(row.channel), unit, 6)
        table.writerow(
            [row.follower, value, UNITS[unit].symbol, row.word, cell(pose, row, "How"), row.leads]
            + ends
        )
    return text.getvalue()
