"""What keeps its volume: the typed scale leads, the long side at first."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gremio
from gremio.core.make.constraining import constrain
from gremio.core.make.volume import stretched_along, typed_scale
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig, Shape
from gremio.core.rig.solids import Box
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, Held, move
from gremio.core.solve.volume import giver_of, leads_of

SCALES = ("scale x", "scale y", "scale z")


def bale(size: tuple[float, float, float] = (0.4, 2.0, 0.6)) -> tuple[Rig, str]:
    build = gremio.Builder("Bale")
    build.part("Bale", Shape(Box(*size)))
    part = part_id(build.rig, "Bale")
    return constrain(build.rig, "constant volume", part, geometry=geometry_of)


def volume(rig: Rig) -> float:
    return float(np.linalg.det(gremio.solve(rig).part("Bale").world[:3, :3]))


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_the_long_side_stretches_at_first(axis: int) -> None:
    size = [0.4, 0.4, 0.4]
    size[axis] = 2.0
    rig, made = bale((size[0], size[1], size[2]))
    assert leads_of(rig.constraints[made]) == (SCALES[axis],)


@given(st.floats(0.05, 20), st.sampled_from(SCALES))
def test_a_typed_scale_leads_and_the_volume_stays(wanted: float, name: str) -> None:
    rig, made = bale()
    channel = f"{part_id(rig, 'Bale')} {name}"
    if name not in leads_of(rig.constraints[made]):
        rig = typed_scale(rig, channel, wanted)
        assert leads_of(rig.constraints[made]) == (name,)
        pose = gremio.solve(rig)
        assert pose.at(channel) == pytest.approx(wanted)
        assert volume(rig) == pytest.approx(1.0)
        others = [pose.at(f"{part_id(rig, 'Bale')} {s}") for s in SCALES if s != name]
        assert others == pytest.approx([wanted**-0.5] * 2)


@given(st.floats(0.05, 20))
def test_a_pulled_scale_is_reached_by_the_one_that_leads(wanted: float) -> None:
    """Two equal scales w leave w⁻² for the third."""
    rig, _ = bale()
    pose = gremio.solve(rig)
    answer = move(pose.program, pose, f"{part_id(rig, 'Bale')} scale z", wanted)
    assert isinstance(answer, Hand) and answer.channel.endswith("scale y")
    assert answer.value == pytest.approx(wanted**-2)
    assert gremio.solve(rig, {"Bale scale y": answer.value}).value("Bale", "scale z") == (
        pytest.approx(wanted)
    )


@pytest.mark.parametrize("wanted", [0.0, -1.0])
def test_no_volume_is_refused(wanted: float) -> None:
    rig, _ = bale()
    channel = f"{part_id(rig, 'Bale')} scale z"
    pose = gremio.solve(rig)
    assert isinstance(move(pose.program, pose, channel, wanted), Held)
    with pytest.raises(GremioError, match="above 0"):
        typed_scale(rig, channel, wanted)


def test_another_side_is_chosen() -> None:
    rig, made = bale()
    rig = stretched_along(rig, made, "scale x")
    assert leads_of(rig.constraints[made]) == ("scale x",)
    assert gremio.solve(rig, {"Bale scale x": 4.0}).value("Bale", "scale y") == pytest.approx(0.5)


def test_only_the_scales_of_its_own_part_are_given_by_what_keeps_a_volume() -> None:
    build = gremio.Builder("Two")
    build.part("Bale", Box(0.4, 2.0, 0.6))
    build.part("Other", Box(1, 1, 1))
    bale_id, other = (part_id(build.rig, name) for name in ("Bale", "Other"))
    rig, tie = constrain(build.rig, "constant volume", bale_id, geometry=geometry_of)
    entry = rig.constraints[tie]
    for name in SCALES:
        given = name in entry.channels
        assert giver_of(rig, key(bale_id, name)) == (tie if given else None)
        assert giver_of(rig, key(other, name)) is None
