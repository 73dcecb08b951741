"""What a hand leaves reads round, and never beyond the ends."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gremio.core.edit.links import swapped
from gremio.core.problem import GremioError
from gremio.core.rig.cams import cam_through
from gremio.core.rig.model import Cam, Control, Follower, Station
from gremio.core.rig.scales import reads, rounded


@given(st.floats(0.001, 0.999), st.floats(1e-4, 0.02))
def test_a_pull_is_hardly_coarser_than_the_hand(share: float, grain: float) -> None:
    entry = Control("Lift", "length", "mm", -0.35, 1.317)
    value = entry.low + share * (entry.high - entry.low)
    near = rounded(entry, value, grain)
    assert abs(near - value) <= 1.25 * grain * (1 + 1e-9)
    assert entry.low <= near <= entry.high


def test_it_reads_round_in_its_own_unit_and_scale() -> None:
    turn = Control("Crank", "angle", "deg", 0.0, math.radians(90))
    near = rounded(turn, math.radians(33.3371), math.radians(0.3))
    assert math.degrees(near) == pytest.approx(33.5, abs=1e-9)
    scaled = Control("Valve", "angle", "deg", 0.0, math.radians(90), scale=(0.0, 10.0))
    near = rounded(scaled, math.radians(33.3371), math.radians(0.5))
    assert reads(scaled, near) == pytest.approx(3.7, abs=1e-9)


def test_ends_stay_ends() -> None:
    entry = Control("Lift", "length", "mm", 0.0, 1.3173)
    assert rounded(entry, 1.3173, 0.01) == 1.3173
    assert rounded(entry, 1.3172, 0.01) <= 1.3173


def test_a_from_to_cam_can_be_swapped_and_back() -> None:
    cam = Cam(
        "c1", (Follower("p2 turn z", "straight"),),
        (Station(0.0, {"p2 turn z": 1.5}), Station(10.0, {"p2 turn z": 0.5})),
        before="carry on", after="hold",
    )  # fmt: skip
    there = swapped(cam)
    assert isinstance(there, Cam)
    assert there.lead == "p2 turn z"
    assert [(s.lead, s.values["c1"]) for s in there.stations] == [(0.5, 10.0), (1.5, 0.0)]
    # What held above ten holds below a half now.
    assert (there.before, there.after) == ("hold", "carry on")
    assert swapped(there) == cam


def test_what_can_not_be_swapped_is_said() -> None:
    with pytest.raises(GremioError, match="from–to"):
        swapped(cam_through("c1", "p2 turn z", [(0, 0), (1, 1)]))
    flat = cam_through("c1", "p2 turn z", [(0, 1), (1, 1)], "straight")
    with pytest.raises(GremioError, match="never moves"):
        swapped(flat)
