"""A cam's stations as a table: the lead first, then its followers, a row a station."""

from __future__ import annotations

import csv
import io
import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace

from gremio.core.edit.cams import cam_of
from gremio.core.edit.links import add_link, change_link
from gremio.core.figures import Decimal, decimal_sign
from gremio.core.files import atomic
from gremio.core.files.atomic import FileProblem
from gremio.core.problem import GremioError, NotFound
from gremio.core.quantity import UNIT_WORDS, UNITS, show_short, units_of
from gremio.core.rig.cams import SAME, sorted_stations
from gremio.core.rig.find import channel_key
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Cam, Follower, Rig, Station
from gremio.core.rig.numbers import full_label, kind_of, shown_unit
from gremio.core.typed import QuantityError, parse_bare

_HEADING = re.compile(r"^(.*?)\s*(?:\[([^\]]*)\]|\(([^)]*)\))?$")
_LONGEST = 100_000
_MOST_BYTES = 50_000_000


@dataclass(frozen=True)
class CamTable:
    """names: what the columns are called. units: what their headings say they are in, a name
    of UNITS; None where they say nothing that is known. rows: values as they stand in the file;
    None where a cell is empty, so that the follower is absent from the station."""

    names: tuple[str, ...]
    units: tuple[str | None, ...]
    rows: tuple[tuple[float | None, ...], ...]


def cam_csv(rig: Rig, link_id: ThingId) -> str:
    """The table of a cam, in the units its channels are shown in: "Upper gates [deg]"."""
    cam = cam_of(rig, link_id)
    columns = [cam.lead, *(f.channel for f in cam.followers)]
    units = [shown_unit(rig, channel) for channel in columns]
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow(
        f"{full_label(rig, c)} [{unit}]" if unit else full_label(rig, c)
        for c, unit in zip(columns, units, strict=True)
    )
    for station in cam.stations:
        values = [station.lead, *(station.values.get(c) for c in columns[1:])]
        table.writerow(
            "" if v is None else repr(v / UNITS[unit].size)
            for v, unit in zip(values, units, strict=True)
        )
    return text.getvalue()


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
    head, *body = list(csv.reader(lines, delimiter=between))
    names, units = zip(*map(_heading, head), strict=True)
    decimal = decimal_sign([cell for cells in body for cell in cells])
    rows = []
    for number, cells in enumerate(body, start=2):
        if len(cells) != len(head):
            raise FileProblem(
                f"Row {number} of {name} has {len(cells)} values; its heading has {len(head)}."
            )
        rows.append(
            tuple(
                _number(cell, decimal, f"Row {number} of {name}, {title!r}")
                for cell, title in zip(cells, names, strict=True)
            )
        )
        if rows[-1][0] is None:
            raise FileProblem(f"Row {number} of {name} has no value of the lead. Write one.")
    return CamTable(names, units, tuple(rows))


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
            followers=tuple(kept.get(c, Follower(c)) for c in followers),
            stations=stations,
        )
        return change_link(rig, link_id, changed), link_id
    return add_link(rig, Cam(lead, tuple(map(Follower, followers)), stations))
