"""Cams from and to CSV."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.cams import cam_of
from gremio.core.edit.links import change_link, remove_link
from gremio.core.files.atomic import FileProblem
from gremio.core.files.cam_csv import (
    cam_csv,
    cam_of_table,
    proposed_channels,
    read_table,
    read_table_file,
)
from gremio.core.problem import GremioError
from gremio.core.rig.model import Rig


@pytest.fixture
def chest() -> tuple[Rig, str]:
    build = gremio.Builder("Tool chest")
    build.part("Lid", joint="hinge x")
    build.part("Tray", joint="slide z")
    build.control("Open", "0 turn", "2 turn", unit="turn")
    build.cam(
        "Open",
        {"0 turn": {"Lid": 0, "Tray": 0}, "1 turn": {"Lid": "80 deg"}, "2 turn": {"Tray": 0.4}},
    )
    return build.rig, next(iter(build.rig.links))


def test_a_cam_goes_out_and_comes_back(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    text = cam_csv(rig, link)
    assert text.splitlines()[0] == "Open [turn],Lid turn x [deg],Tray move z [m]"
    assert text.splitlines()[2] == "1.0,80.0,"
    table = read_table(text)
    channels = [c for c in proposed_channels(rig, table) if c is not None]
    assert len(channels) == 3 and table.units == ("turn", "deg", "m")
    units = [u or "" for u in table.units]
    bare = remove_link(rig, link)
    back, new = cam_of_table(bare, table, channels, units)
    was, now = cam_of(rig, link).stations, cam_of(back, new).stations
    assert [s.lead for s in now] == pytest.approx([s.lead for s in was])
    for one, two in zip(was, now, strict=True):
        assert two.values == pytest.approx(one.values)
    again, same = cam_of_table(rig, table, channels, units, link)
    assert same == link and len(again.links) == 1


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("Open;Lid\n0;0\n1,5;80,5\n", ""),
        ('Open,Lid\n0,0\n"1,5","80,5"\n', ""),
        ("Open;Lid\n0,000;0,0\n1,500;80,500\n", ""),
        ("Open\tLid\n0\t0\n1.5\t80.5\n", ""),
        ("Open [turn],Lid (°)\n0,0\n1.5,80.5\n", ""),
        (
            "Open,Lid\n0,0\n1,nan\n",
            "Row 3 of The table, 'Lid' can't read 'nan': 'nan' is no number",
        ),
        ("Open,Lid\n0,0\n1,wide\n", "'wide' is no number"),
        ("Open;Lid\n0;0\n1,000;2,000\n", "'1,000' can be 1000 or 1.000"),
        ("Open;Lid\n0;0\n1;50%\n", "'50%' has a unit"),
        ("Open,Lid\n0,0\n1,inf\n", "'inf' is no number"),
        ("Open,Lid\n0,0\n1\n", "Row 3 of The table has 1 values; its heading has 2"),
        ("Open,Lid\n,0\n1,2\n", "Row 2 of The table has no value of the lead"),
        ("Open\n0\n1\n", "one column"),
        ("Open,Lid\n", "at least one row"),
        ("", "at least one row"),
    ],
)
def test_tables_as_they_come(text: str, said: str) -> None:
    if said:
        with pytest.raises(FileProblem, match=said.replace("(", r"\(")):
            read_table(text)
    else:
        assert read_table(text).rows == ((0.0, 0.0), (1.5, 80.5))


def test_units_are_asked_for_and_checked(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    bare = remove_link(rig, link)
    table = read_table("Open,Lid\n0,0\n2,1\n")
    assert table.units == (None, None)
    keys = ["c3", "p1 turn x"]
    with pytest.raises(GremioError, match=r"'Lid' can't be in 'm': Lid turn x is angle"):
        cam_of_table(bare, table, keys, ["turn", "m"])
    with pytest.raises(GremioError, match="chosen for two columns"):
        cam_of_table(bare, table, ["c3", "c3"], ["turn", "turn"])
    made, new = cam_of_table(bare, table, keys, ["turn", "rad"])
    assert cam_of(made, new).stations[1].lead == pytest.approx(4 * math.pi)
    assert cam_of(made, new).stations[1].values == {"p1 turn x": 1.0}
    twice = read_table("Open,Lid\n1,0\n1,1\n")
    with pytest.raises(GremioError, match="Two rows stand at Open = 1 turns"):
        cam_of_table(bare, twice, keys, ["turn", "rad"])


def test_a_file_that_is_no_text(tmp_path: Path) -> None:
    file = tmp_path / "cam.csv"
    file.write_bytes(b"\xff\xfe\x00a,b")
    with pytest.raises(FileProblem, match=r"cam\.csv is no text"):
        read_table_file(file)
    with pytest.raises(FileProblem, match="could not be read"):
        read_table_file(tmp_path / "none.csv")
    file.write_text("\ufeffOpen,Lid\n0,0\n1,2\n", encoding="utf-8")
    assert read_table_file(file).names == ("Open", "Lid")


def test_a_cam_with_spans_slopes_and_ways_beyond_comes_back_the_same(
    chest: tuple[Rig, str],
) -> None:
    """As it was taught: every profile of the table is the same to the last bit or nearly."""
    rig, link = chest
    cam = cam_of(rig, link)
    lid, tray = (f.channel for f in cam.followers)
    first, second, third = cam.stations
    taught = replace(
        cam,
        followers=(replace(cam.followers[0], profile="harmonic"), cam.followers[1]),
        stations=(
            replace(first, spans={lid: "free", tray: "cycloidal"}, slopes={lid: 0.7}),
            replace(second, values={**second.values, lid: 1.3}, slopes={lid: -0.25}),
            replace(third, values={**third.values, lid: 0.1}),
        ),
        before="carry on",
        after="repeat",
    )
    rig = change_link(rig, link, taught)
    text = cam_csv(rig, link)
    assert "Lid turn x profile" in text and "Lid turn x slope" in text and "Open beyond" in text
    table = read_table(text)
    assert table.names == ("Open", "Lid turn x", "Tray move z")
    channels = [c for c in proposed_channels(rig, table) if c is not None]
    units = [u or "" for u in table.units]
    for start, same in ((remove_link(rig, link), ""), (change_link(rig, link, cam), link)):
        back, made = cam_of_table(start, table, channels, units, same)
        for value in np.linspace(-2.0, 15.0, 60):
            asked = {"Open": float(value)}
            one, two = gremio.solve(rig, asked), gremio.solve(back, asked)
            assert two.value("Lid") == pytest.approx(one.value("Lid"), abs=1e-12)
            assert two.value("Tray") == pytest.approx(one.value("Tray"), abs=1e-12)
        again = cam_of(back, made)
        assert (again.before, again.after) == ("carry on", "repeat")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('Open,Lid\n0,"0\n1,80\n', "quote left open"),
        ("Open,Lid,Lid profile\n0,0,wavy\n1,80,\n", "'wavy' is no profile. It is one of smooth"),
        ("Open,Lid,Open beyond\n0,0,on\n1,80,\n", "'on' is no beyond"),
    ],
)
def test_words_that_are_none_are_refused(text: str, said: str) -> None:
    with pytest.raises(FileProblem, match=re.escape(said)):
        read_table(text)
