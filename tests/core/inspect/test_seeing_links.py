"""The Ledger and the drive map, apart from the window."""

from __future__ import annotations

import csv
import io
import math

import numpy as np
import pytest

import gremio
from gremio.core.inspect.drive_map import drive_map
from gremio.core.inspect.ledger import (
    cell,
    ledger_csv,
    ledger_rows,
    pasted,
    with_how,
    with_stop,
)
from gremio.core.inspect.words import how
from gremio.core.problem import GremioError
from gremio.core.rig.find import channel_key, control_id
from gremio.core.rig.model import Control, Joint, Part, Ratio, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig


def test_every_led_channel_has_a_row(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    rows = ledger_rows(program)
    assert {row.channel for row in rows} == set(program.drives)
    table = list(csv.DictReader(io.StringIO(ledger_csv(gremio.solve(lock), rows))))
    assert len(table) == len(rows)
    paddle = next(row for row in table if row["Follower"] == "Paddle, east move z")
    assert (paddle["Link"], paddle["Lead"]) == ("rack and pinion", "Pinion, east turn y")
    assert paddle["How"] == "0.452 m a turn" and float(paddle["High stop"]) == pytest.approx(
        1.526814
    )


def test_channels_that_nothing_leads_have_rows_too_and_take_a_pasted_link() -> None:
    build = gremio.Builder("Two")
    for name in ("One", "Two"):
        build.part(name, joint="hinge z")
    build.control("Turn", "0 deg", "90 deg")
    build.ratio("Turn", "One", 2.0)
    rig = build.rig
    rows = ledger_rows(compile_rig(rig, geometry_of), free=True)
    said = {row.follower: row.word for row in rows}
    assert said == {"Turn": "nothing", "One turn z": "ratio", "Two turn z": "nothing"}
    led, free = (next(r for r in rows if r.follower == f"{n} turn z") for n in ("One", "Two"))
    assert cell(gremio.solve(rig), free, "How") == "" and free.leads == ""
    both = pasted(rig, rig.links[led.link_id], free)
    pose = gremio.solve(both, {"Turn": "10 deg"})
    assert pose.value("Two") == pytest.approx(math.radians(20)) == pose.value("One")
    written = with_how(rig, free, "Turn * 3")
    assert gremio.solve(written, {"Turn": "10 deg"}).value("Two") == pytest.approx(math.radians(30))


def test_a_ratio_made_the_other_way_is_told_as_it_leads(lock: Rig) -> None:
    link = next(
        k for k in lock.links.values() if isinstance(k, Ratio) and k.kind == "rack and pinion"
    )
    assert how(lock, link, link.lead) == "0.452 m a turn"


def test_what_is_typed_in_the_ledger(hatch: Rig) -> None:
    flap = next(
        r for r in ledger_rows(compile_rig(hatch, geometry_of)) if r.follower == "Flap turn y"
    )
    assert gremio.solve(with_how(hatch, flap, "36/-48"), {"Open": 1.0}).value("Flap") == (
        pytest.approx(-0.75)
    )
    formula = with_how(hatch, flap, "= -Open / 4")
    assert gremio.solve(formula, {"Open": 1.0}).value("Flap") == pytest.approx(-0.25)
    row = next(
        r for r in ledger_rows(compile_rig(formula, geometry_of)) if r.follower == "Flap turn y"
    )
    assert cell(gremio.solve(formula), row, "How") == "= -Open / 4"
    stopped = with_stop(hatch, flap.channel, "Low stop", "-10 deg")
    assert gremio.solve(stopped, {"Open": 1.0}).value("Flap") == pytest.approx(-math.radians(10))
    free = with_stop(stopped, flap.channel, "Low stop", "")
    assert gremio.solve(free, {"Open": 1.0}).value("Flap") == pytest.approx(-1.0)
    with pytest.raises(GremioError, match="takes an angle"):
        with_stop(hatch, flap.channel, "Low stop", "3 mm")


def test_a_cam_is_not_typed_or_pasted_over(lock: Rig) -> None:
    rows = ledger_rows(compile_rig(lock, geometry_of))
    east = next(r for r in rows if r.follower == "Upper gate, east turn z")
    with pytest.raises(GremioError, match="is led by a cam: change it on its Card"):
        with_how(lock, east, "2")
    ratio = next(k for k in lock.links.values() if isinstance(k, Ratio))
    with pytest.raises(GremioError, match="is led by a cam: remove that first"):
        pasted(lock, ratio, east)


def test_the_map_stands_leads_left_of_what_they_lead(lock: Rig) -> None:
    found = drive_map(compile_rig(lock, geometry_of))
    for edge in found.edges:
        assert found.places[edge.start][0] < found.places[edge.end][0]
    spots = list(found.places.values())
    assert len(set(spots)) == len(spots)
    windlass = control_id(lock, "Paddle windlass")
    way = found.way([windlass])
    assert way == {windlass, found.node_of(channel_key(lock, "Paddle, east"))}


def test_a_train_folds_and_opens(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    folded = drive_map(program)
    train = folded.node_of(channel_key(lock, "Planet 1"))
    assert folded.nodes[train].kind == "train" and len(folded.nodes[train].channels) == 7
    opened = drive_map(program, frozenset({train}))
    assert train not in opened.nodes
    assert channel_key(lock, "Winch hook") in opened.nodes


def test_two_hundred_links_stay_apart_and_cross_little(rng: np.random.Generator) -> None:
    """Chains that have nothing to do with each other are drawn without a crossing."""
    chains, length = 40, 5
    parts = {f"p{i}": Part(f"P{i}", joint=Joint("slide", "x")) for i in range(chains * length)}
    controls = {f"c{i}": Control(f"C{i}", "length", "m", 0.0, 1.0) for i in range(chains)}
    links = {}
    for chain in range(chains):
        lead = f"c{chain}"
        for step in range(length):
            follower = f"p{chain * length + step}"
            text = f"{{{lead}}} * 2" if step == 0 else f"{{{lead} move x}} * 2"
            links[f"k{chain * length + step}"] = text
            lead = follower
    order = list(links)
    rng.shuffle(order)
    rig = Rig(parts=parts, controls=controls)
    from gremio.core.rig.model import Formula

    made = {i: Formula(f"p{i[1:]} move x", links[i]) for i in order}
    found = drive_map(
        compile_rig(Rig(parts=rig.parts, controls=rig.controls, links=made), geometry_of)
    )
    assert len(found.edges) == 200
    crossings = 0
    lines = [(found.places[e.start], found.places[e.end]) for e in found.edges]
    for i, (a, b) in enumerate(lines):
        for c, d in lines[i + 1 :]:
            if a[0] == c[0] and b[0] == d[0]:
                crossings += (a[1] - c[1]) * (b[1] - d[1]) < 0
    assert crossings == 0
