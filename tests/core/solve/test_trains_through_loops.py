"""Trains whose members are joints of a linkage: one system, whatever was made first."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from tests.core.solve.test_loops import DEG, rocker_angle, wrapped

import gremio
from gremio.core.edit.links import add_link
from gremio.core.inspect.ledger import ledger_rows
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Ratio, Rig
from gremio.core.solve.backward import Hand, move

BARS = (0.4, 1.2, 0.8, 1.0)
TEETH = -24 / 16
ORDERS = list(itertools.permutations(range(3)))


def turn(rig: Rig, name: str) -> ChannelKey:
    return ChannelKey(f"{part_id(rig, name)} turn z")


def bars(build: gremio.Builder, name: str = "", away: float = 0.0) -> None:
    build.part(f"Crank{name}", at=(0, away, 0), turned=(0, 0, DEG(40)), joint="spin z")
    build.part(f"Rod{name}", on=f"Crank{name}", at=(BARS[0], 0, 0),
               turned=(0, 0, DEG(20.298 - 40)), joint="spin z")  # fmt: skip
    build.part(f"Rocker{name}", at=(BARS[3], away, 0), turned=(0, 0, DEG(57.325)), joint="spin z")


def pinned(rig: Rig, name: str = "") -> Rig:
    return gremio.pin(rig, f"Rod{name}", f"Rocker{name}", (BARS[1], 0, 0), (BARS[2], 0, 0))


def sun_and_planet(lead: str, order: tuple[int, ...], *, sun_first: bool = False) -> Rig:
    """A planet fixed to the connecting rod drives a sun on the crank's axis; a control leads one
    of them."""
    build = gremio.Builder("Sun and planet")
    if sun_first:
        build.part("Sun", joint="spin z")
    bars(build)
    if not sun_first:
        build.part("Sun", joint="spin z")
    build.control("Turn", -20, 20, kind="angle")
    rig = build.rig

    def geared(rig: Rig) -> Rig:
        mesh = Ratio(turn(rig, "Rod"), turn(rig, "Sun"), TEETH, kind="gear pair",
                     carrier=turn(rig, "Crank"))  # fmt: skip
        return add_link(rig, mesh)[0]

    def led(rig: Rig) -> Rig:
        return add_link(rig, Ratio(control_id(rig, "Turn"), turn(rig, lead), 1.0))[0]

    for step in order:
        rig = (pinned, geared, led)[step](rig)
    return rig


@pytest.mark.parametrize("order", ORDERS)
@pytest.mark.parametrize("lead", ["Crank", "Sun", "Rod"])
@pytest.mark.parametrize("sun_first", [False, True])
def test_sun_and_planet(lead: str, order: tuple[int, ...], sun_first: bool) -> None:
    """Against the closed form of the four-bar, and Willis' equation of the mesh as seen from the
    crank: ω_sun − ω_crank = −z_planet/z_sun · (ω_rod − ω_crank)."""
    rig = sun_and_planet(lead, order, sun_first=sun_first)
    asked = np.linspace(-3, 3, 25)
    poses = gremio.run(rig, {"Turn": asked})
    assert poses.frame(5).notes == []
    crank, rod, rocker, sun = (
        poses.channel(turn(rig, name)) for name in ("Crank", "Rod", "Rocker", "Sun")
    )
    assert {"Crank": crank, "Rod": rod, "Sun": sun}[lead] == pytest.approx(asked, abs=1e-12)
    assert sun - crank == pytest.approx(TEETH * rod, abs=1e-9)
    wanted = rocker_angle(*BARS, crank + DEG(40))
    # The textbook's angles at home are rounded to a thousandth of a degree.
    assert np.abs(wrapped(rocker + DEG(57.325) - wanted)).max() < 1e-9
    (closing,) = poses.closing.values()
    loop = closing.step.loop
    assert (loop.mobility, loop.gruebler, loop.surplus) == (1, 1, 0)
    # Only where the sun leads must the gears be solved with the bars.
    assert bool(loop.rows) == (lead == "Sun")


def test_the_sun_is_pulled_through_the_linkage_and_shown_in_the_ledger() -> None:
    rig = sun_and_planet("Sun", ORDERS[0])
    pose = gremio.solve(rig)
    answer = move(pose.program, pose, turn(rig, "Rocker"), 0.05)
    assert isinstance(answer, Hand) and answer.channel == control_id(rig, "Turn")
    there = gremio.solve(rig, {"Turn": answer.value})
    assert there.at(turn(rig, "Rocker")) == pytest.approx(0.05, abs=1e-6)
    rows = {row.channel for row in ledger_rows(pose.program)}
    assert {turn(rig, name) for name in ("Crank", "Rod", "Rocker", "Sun")} <= rows


@pytest.mark.parametrize("order", ORDERS)
def test_a_pantograph_on_a_table_of_slides(order: tuple[int, ...]) -> None:
    """The table leads, whether it was made first or last; its ratio moves it along a line."""
    build = gremio.Builder("Pantograph")

    def slides() -> None:
        build.part("X", at=(1.2, 0, 0), joint="slide x")
        build.part("Y", on="X", at=(0, 0.5, 0), joint="slide y")

    def arms() -> None:
        build.part("Arm", turned=(0, 0, 1.2), joint="spin z")
        build.part("Elbow", on="Arm", at=(0.9, 0, 0), turned=(0, 0, -1.6), joint="spin z")

    for make in (slides, arms) if order[0] < order[1] else (arms, slides):
        make()
    rig = gremio.pin(build.rig, "Elbow", "Y", (0.9, 0, 0), (0, 0, 0))
    x, y = (ChannelKey(f"{part_id(rig, n)} move {n.lower()}") for n in ("X", "Y"))
    (closing,) = gremio.solve(rig).poses.closing.values()
    assert closing.step.loop.free == (x, y) and closing.step.loop.mobility == 2
    rig = add_link(rig, Ratio(x, y, 0.5))[0]
    poses = gremio.run(rig, {"X": np.linspace(0, 0.2, 5)})
    assert poses.frame(4).notes == []
    assert poses.channel(y) == pytest.approx(np.linspace(0, 0.1, 5), abs=1e-9)


def test_two_linkages_geared_by_what_both_are_solved_for() -> None:
    """Two alike, their rockers geared one to one: both cranks go as one."""
    build = gremio.Builder("Two")
    bars(build, " A")
    bars(build, " B", 3.0)
    rig = pinned(pinned(build.rig, " A"), " B")
    rig = add_link(rig, Ratio(turn(rig, "Rocker A"), turn(rig, "Rocker B"), 1.0))[0]
    asked = np.linspace(0, 0.5, 6)
    poses = gremio.run(rig, {"Crank A": asked})
    assert poses.frame(3).notes == []
    assert poses.channel(turn(rig, "Crank B")) == pytest.approx(asked, abs=1e-7)
    (closing,) = poses.closing.values()
    assert closing.step.loop.mobility == 1 and len(closing.step.loop.rows) == 1


def test_a_screw_in_a_linkage_drives_it() -> None:
    """A jack of 10 mm lead under a toggle: its turn leads, and the pin stays closed."""
    build = gremio.Builder("Jack")
    arm, rod, lean = 0.5, 0.6, DEG(50)
    reach = arm * math.cos(lean) + math.sqrt(rod**2 - (arm * math.sin(lean)) ** 2)
    build.part("Screw", at=(reach, 0, 0), joint="screw x 10 mm")
    build.part("Arm", turned=(0, 0, lean), joint="hinge z")
    build.part("Rod", on="Arm", at=(arm, 0, 0), joint="hinge z",
               turned=(0, 0, -lean - math.asin(arm * math.sin(lean) / rod)))  # fmt: skip
    rig = gremio.pin(build.rig, "Rod", "Screw", (rod, 0, 0), (0, 0, 0))
    screw, nut = (ChannelKey(f"{part_id(rig, 'Screw')} {c} x") for c in ("turn", "move"))
    turned = np.linspace(0, 20, 9)
    poses = gremio.run(rig, {"Screw turn x": turned})
    assert poses.frame(4).notes == []
    moved = poses.channel(nut)
    assert moved == pytest.approx(turned * 0.01 / (2 * math.pi), abs=1e-12)
    # The law of cosines gives the arm's angle for the screw's place.
    at = reach + moved
    wanted = np.arccos((arm**2 + at**2 - rod**2) / (2 * arm * at))
    assert poses.channel(turn(rig, "Arm")) + lean == pytest.approx(wanted, abs=1e-9)
    assert screw in poses.program.channel_row
