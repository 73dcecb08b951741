"""A cam's stations as a table: the lead first, then its followers, a row a station.

Where a cam has more than that, columns of words come after: "Lid profile" says how the follower
goes on from each station to its next, "Lid slope" how steep a free profile runs through it, and
"Open beyond" what it does before the first station (in the first row) and after the last (in the
last).
"""

from __future__ import annotations

import csv
import io
import itertools
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import cast, get_args

import msgspec
from msgspec.structs import replace

from gremio.core.edit.cams import cam_of
from gremio.core.edit.links import add_link, change_link
from gremio.core.figures import Decimal, decimal_sign
from gremio.core.files import atomic
from gremio.core.files.atomic import FileProblem
from gremio.core.problem import GremioError, NotFound
from gremio.core.quantity import UNIT_WORDS, UNITS, show_short, units_of
from gremio.core.records import Record
from gremio.core.rig.cams import SAME, sorted_stations
from gremio.core.rig.find import channel_key
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.linked import Beyond, ProfileKind
from gremio.core.rig.model import Cam, Follower, Rig, Station
from gremio.core.rig.numbers import full_label, kind_of, shown_unit
from gremio.core.typed import QuantityError, parse_bare

_HEADING = re.compile(r"^(.*?)\s*(?:\[([^\]]*)\]|\(([^)]*)\))?$")
_LONGEST = 100_000
_PROFILE, _SLOPE, _BEYOND = "profile", "slope", "beyond"
_USUAL: ProfileKind = "smooth"
_MOST_BYTES = 50_000_000


class CamTable(Record, frozen=True):
    """names: what the columns are called. units: what their headings say they are in, a name
    of UNITS; None where they say nothing that is known. rows: values as they stand in the file;
    None where a cell is empty, so that the follower is absent from the station. profiles, slopes:
    of each row, by the place of the follower's column. beyond: before the first station, and
    after the last."""

    names: tuple[str, ...]
    units: tuple[str | None, ...]
    rows: tuple[tuple[float | None, ...], ...]
    profiles: dict[int, tuple[ProfileKind | None, ...]] = msgspec.field(default_factory=dict)
    slopes: dict[int, tuple[float | None, ...]] = msgspec.field(default_factory=dict)
    beyond: tuple[Beyond, Beyond] = ("hold", "hold")


def cam_csv(rig: Rig, link_id: ThingId) -> str:
    """The table of a cam, in the units its channels are shown in: "Upper gates [deg]"."""
    cam = cam_of(rig, link_id)
    columns = [cam.lead, *(f.channel for f in cam.followers)]
    units = [shown_unit(rig, channel) for channel in columns]
    names = [full_label(rig, channel) for channel in columns]
    head = [f"{n} [{unit}]" if unit else n for n, unit in zip(names, units, strict=True)]
    rows = []
    for station in cam.stations:
        values = [station.lead, *(station.values.get(c) for c in columns[1:])]
        rows.append(
            [
                "" if v is None else repr(v / UNITS[unit].size)
                for v, unit in zip(values, units, strict=True)
            ]
        )
    sizes = [UNITS[unit].size for unit in units]
    for title, cells in _more(cam, names, sizes):
        head.append(title)
        for row, cell in zip(rows, cells, strict=True):
            row.append(cell)
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows([head, *rows])
    return text.getvalue()


def _more(cam: Cam, names: list[str], sizes: list[float]) -> Iterator[tuple[str, list[str]]]:
    """The columns of words that a cam needs beside its values, with their headings."""
    for place, follower in enumerate(cam.followers, start=1):
        channel = follower.channel
        profiles = [
            s.spans.get(channel, follower.profile) if channel in s.values else ""
            for s in cam.stations
        ]
        if any(profile not in ("", _USUAL) for profile in profiles):
            yield f"{names[place]} {_PROFILE}", list(profiles)
        if any(channel in s.slopes for s in cam.stations):
            shown = sizes[0] / sizes[place]
            slopes = [s.slopes.get(channel) for s in cam.stations]
            yield (
                f"{names[place]} {_SLOPE}",
                ["" if slope is None else repr(slope * shown) for slope in slopes],
            )
    if (cam.before, cam.after) != ("hold", "hold"):
        middle = [""] * max(len(cam.stations) - 2, 0)
        yield f"{names[0]} {_BEYOND}", [cam.before, *middle, cam.after]


def read_table_file(path: Path) -> CamTable:
    """The table in a file. Raises FileProblem as `read_table` does."""
    try:
        text = atomic.read(path, _MOST_BYTES).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise FileProblem(f"{path.name} is no text. Save the table as CSV, in UTF-8.") from None
    return read_table(text, path.name)


def read_table(text: str, name: str = "The table") -> CamTable:
    """The table in a text with commas, semicolons or tabs between. Raises FileProblem, which
    names the row and the column of what is no number."""
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) < 2 or len(lines) > _LONGEST:
        raise FileProblem(
            f"{name} needs a heading and at least one row of values; it has {len(lines)} lines."
        )
    between = max(",;\t", key=lines[0].count)
    if between not in lines[0]:
        raise FileProblem(
            f"{name} has one column. A cam needs the lead first, then at least one follower."
        )
    try:
        head, *body = list(csv.reader(lines, delimiter=between, strict=True))
    except csv.Error as error:
        raise FileProblem(
            f"{name} is no whole table ({error}). Look for a quote left open."
        ) from None
    named = [_heading(cell)[0] for cell in head]
    kinds = [_kind_of(title, named) for title in named]
    plain = [i for i, (kind, _) in enumerate(kinds) if not kind]
    names, units = zip(*(_heading(head[i]) for i in plain), strict=True)
    decimal = decimal_sign([cells[i] for cells in body for i in plain if i < len(cells)])
    rows = []
    for number, cells in enumerate(body, start=2):
        if len(cells) != len(head):
            raise FileProblem(
                f"Row {number} of {name} has {len(cells)} values; its heading has {len(head)}."
            )
        rows.append(
            tuple(
                _number(cells[i], decimal, f"Row {number} of {name}, {title!r}")
                for i, title in zip(plain, names, strict=True)
            )
        )
        if rows[-1][0] is None:
            raise FileProblem(f"Row {number} of {name} has no value of the lead. Write one.")
    table = CamTable(names, units, tuple(rows))
    for i, (kind, of) in enumerate(kinds):
        if kind:
            place = named.index(of)
            table = _with_words(table, kind, plain.index(place), [row[i] for row in body], name)
    return table


def _kind_of(title: str, names: list[str]) -> tuple[str, str]:
    """Which column of words a heading is, and of which other column; "" for one of values."""
    for kind in (_PROFILE, _SLOPE, _BEYOND):
        of = title.removesuffix(f" {kind}")
        if of != title and of in names:
            return kind, of
    return "", ""


def _with_words(table: CamTable, kind: str, place: int, cells: list[str], name: str) -> CamTable:
    """A table with one more column of words."""
    words = [cell.strip() for cell in cells]
    of = table.names[place]
    if kind == _SLOPE:
        decimal = decimal_sign(words)
        slopes = tuple(_number(w, decimal, f"{name}, the slope of {of!r}") for w in words)
        return replace(table, slopes={**table.slopes, place: slopes})
    known = get_args(ProfileKind if kind == _PROFILE else Beyond)
    for row, word in enumerate(words, start=2):
        if word and word not in known:
            raise FileProblem(
                f"Row {row} of {name}: {word!r} is no {kind}. It is one of {', '.join(known)}."
            )
    if kind == _BEYOND:
        ends = cast(tuple[Beyond, Beyond], (words[0] or "hold", words[-1] or "hold"))
        return replace(table, beyond=ends)
    profiles = cast(tuple[ProfileKind | None, ...], tuple(word or None for word in words))
    return replace(table, profiles={**table.profiles, place: profiles})


def _heading(cell: str) -> tuple[str, str | None]:
    """The name in a heading, and the unit in brackets after it."""
    found = _HEADING.match(cell.strip())
    assert found is not None
    word = (found[2] or found[3] or "").strip()
    unit = {"°": "deg", "%": "%"}.get(word, UNIT_WORDS.get(word.lower(), word))
    if word and unit in UNITS:
        return found[1].strip(), unit
    return cell.strip() if word else found[1].strip(), None


def _number(cell: str, decimal: Decimal, where: str) -> float | None:
    if not cell.strip():
        return None
    try:
        return parse_bare(cell, where, decimal)
    except QuantityError as problem:
        raise FileProblem(f"{problem} Leave it empty where the follower is absent.") from None


def proposed_channels(rig: Rig, table: CamTable) -> list[ChannelKey | None]:
    """Keys of the channels that the columns are called after; None where nothing is."""
    found: list[ChannelKey | None] = []
    for name in table.names:
        try:
            found.append(channel_key(rig, name))
        except NotFound:
            found.append(None)
    return found


def cam_of_table(
    rig: Rig,
    table: CamTable,
    channels: Sequence[ChannelKey],
    units: Sequence[str],
    link_id: ThingId = NOTHING,
) -> tuple[Rig, ThingId]:
    """The rig with a cam made of a table, and its id.

    channels: key of each column's channel, the lead first. units: of each column. link_id: of
    a cam whose stations are replaced. Raises GremioError for a unit of another kind, a channel
    named twice, or two rows at one lead value.
    """
    for channel, unit, name in zip(channels, units, table.names, strict=True):
        if unit not in units_of(kind_of(rig, channel)):
            fitting = ", ".join(u or "none" for u in units_of(kind_of(rig, channel)))
            raise GremioError(
                f"The column {name!r} can't be in {unit or 'plain numbers'!r}: "
                f"{full_label(rig, channel)} is {kind_of(rig, channel)}. Choose one of {fitting}."
            )
    if len(set(channels)) < len(channels):
        twice = next(c for c in channels if list(channels).count(c) > 1)
        raise GremioError(f"{full_label(rig, twice)} is chosen for two columns. Choose another.")
    sizes = [UNITS[unit].size for unit in units]
    lead, *followers = channels
    stations = sorted_stations(
        Station(
            (row[0] or 0.0) * sizes[0],
            {
                channel: value * size
                for channel, value, size in zip(followers, row[1:], sizes[1:], strict=True)
                if value is not None
            },
        )
        for row in table.rows
    )
    stations, profiles = _with_spans(table, stations, followers, sizes)
    for one, two in itertools.pairwise(stations):
        if two.lead - one.lead <= SAME:
            raise GremioError(
                f"Two rows stand at {table.names[0]} = {show_short(one.lead, units[0])}. "
                "Leave one of them out."
            )
    if link_id:
        cam = cam_of(rig, link_id)
        kept = {f.channel: f for f in cam.followers}
        changed = replace(
            cam,
            lead=lead,
            followers=tuple(
                Follower(c, profiles[c]) if c in profiles else kept.get(c, Follower(c))
                for c in followers
            ),
            stations=stations,
        )
        if profiles or table.beyond != ("hold", "hold"):
            changed = replace(changed, before=table.beyond[0], after=table.beyond[1])
        return change_link(rig, link_id, changed), link_id
    made = tuple(Follower(c, profiles.get(c, _USUAL)) for c in followers)
    before, after = table.beyond
    return add_link(rig, Cam(lead, made, stations, before=before, after=after))


def _with_spans(
    table: CamTable,
    stations: tuple[Station, ...],
    followers: Sequence[ChannelKey],
    sizes: Sequence[float],
) -> tuple[tuple[Station, ...], dict[ChannelKey, ProfileKind]]:
    """Stations with the profiles and slopes of a table, and the profile that each follower has
    where a station says nothing else: the one that most of its stations have."""
    order = sorted(range(len(table.rows)), key=lambda i: table.rows[i][0] or 0.0)
    usual: dict[ChannelKey, ProfileKind] = {}
    made = list(stations)
    for place, channel in enumerate(followers, start=1):
        told = table.profiles.get(place)
        if told is not None:
            known = [profile for profile in told if profile is not None]
            usual[channel] = max(known, key=known.count, default=_USUAL)
        slopes = table.slopes.get(place)
        for i, row in enumerate(order):
            if told is not None and (profile := told[row]) not in (None, usual[channel]):
                made[i] = replace(made[i], spans={**made[i].spans, channel: profile})
            if slopes is not None and (slope := slopes[row]) is not None:
                steep = slope * sizes[place] / sizes[0]
                made[i] = replace(made[i], slopes={**made[i].slopes, channel: steep})
    return tuple(made), usual
