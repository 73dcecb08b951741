"""Springs, bellows, hoses and ropes in a pose: what takes up the way between two points."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.parts import remove_part
from gremio.core.edit.strands import change_strand
from gremio.core.files import rig_file
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig, Strand
from gremio.core.solve.strands import bars, lies, pieces


def hoist() -> Rig:
    """A post with a sheave, and a hook that goes up and down below it."""
    build = gremio.Builder("Hoist")
    build.part("Post")
    build.part("Hook", at=(0.4, 0, 0), joint="slide z")
    return build.rig


def only(rig: Rig) -> Strand:
    (strand,) = rig.strands.values()
    return strand


def test_a_rope_over_a_sheave_is_told_with_its_falls() -> None:
    rig = gremio.strand(
        hoist(), "rope", ("Post", (0, 0, 0)), ("Post", (0.2, 0, 3), 0.2, (0, 1, 0)),
        ("Hook", (0, 0, 0)),
    )  # fmt: skip
    lengths = []
    for up in (0.0, 1.0):
        lying = lies(gremio.solve(rig, {"Hook": up}), only(rig))
        assert lying is not None and lying.falls == 2
        lengths.append(lying.length)
    # Over the top, which is the shorter way.
    assert lengths[0] == pytest.approx(6.0 + np.pi * 0.2)
    assert lengths[0] - lengths[1] == pytest.approx(1.0)


def test_a_hose_hangs_and_says_where_it_is_too_short() -> None:
    rig = gremio.strand(hoist(), "hose", ("Post", (0, 0, 0)), ("Hook", (0, 0, 0)), length=1.0)
    lying = lies(gremio.solve(rig), only(rig))
    assert lying is not None and lying.places[:, 2].min() < -0.3
    assert not [f for f in gremio.inspect(rig) if f.note.code.startswith("strand")]
    far = gremio.solve(rig, {"Hook": 2.0})
    lying = lies(far, only(rig))
    assert lying is not None and lying.missing == pytest.approx(np.hypot(0.4, 2.0) - 1.0)
    (finding,) = gremio.inspect(rig, far)[:1]
    assert finding.note.code == "strand-short" and "too short here" in finding.note.text


@pytest.mark.parametrize("up", [0.3, 1.5])
def test_a_spring_and_bellows_fill_the_way(up: float) -> None:
    for kind in ("spring", "bellows"):
        rig = gremio.strand(
            hoist(), kind, ("Post", (0.4, 0, 0)), ("Hook", (0, 0, 0)), width=0.2, turns=5
        )
        lying = lies(gremio.solve(rig, {"Hook": up}), only(rig))
        assert lying is not None and lying.length == pytest.approx(up)
        frames = pieces(only(rig), lying)
        ends = frames[:, :3, 3, None] + frames[:, :3, 2, None] * [-0.5, 0.5]
        assert ends[:, 2].min() == pytest.approx(0.0, abs=0.05)
        assert ends[:, 2].max() == pytest.approx(up, abs=0.05)
        if kind == "bellows":
            assert len(frames) == 10


def test_bars_go_from_place_to_place() -> None:
    places = np.array([[0, 0, 0], [1, 0, 0], [1, 2, 0], [1, 2, -3]], dtype=float)
    frames = bars(places, 0.1)
    low, high = (frames @ np.array([0, 0, z, 1.0]) for z in (-0.5, 0.5))
    assert low[:, :3] == pytest.approx(places[:-1], abs=0.02)
    assert high[:, :3] == pytest.approx(places[1:], abs=0.02)
    assert np.linalg.norm(frames[:, :3, 0], axis=1) == pytest.approx(np.full(3, 0.1))


def test_strands_are_saved_and_go_with_their_parts() -> None:
    rig = gremio.strand(hoist(), "spring", ("Post", (0, 0, 0)), ("Hook", (0, 0, 0)))
    assert rig_file.decode(rig_file.encode(rig)) == rig
    assert not remove_part(rig, part_id(rig, "Hook")).strands
    lost = replace(rig, parts={i: p for i, p in rig.parts.items() if p.name != "Hook"})
    assert [f.note.code for f in gremio.inspect(lost)] == ["strand-wrong"]


def test_what_can_not_be_is_refused() -> None:
    rig = hoist()
    ends = ("Post", (0, 0, 0)), ("Hook", (0, 0, 0))
    with pytest.raises(GremioError, match="at one point"):
        gremio.strand(rig, "spring", ends[0], ends[0])
    with pytest.raises(GremioError, match="only a rope"):
        gremio.strand(rig, "hose", *ends, ("Hook", (0, 0, 1)))
    with pytest.raises(GremioError, match="above zero"):
        gremio.strand(rig, "hose", *ends, thickness=0.0)
    with pytest.raises(GremioError, match="no such size"):
        gremio.strand(rig, "hose", *ends, wide=0.1)
    made = gremio.strand(rig, "rope", *ends)
    (strand_id,) = made.strands
    with pytest.raises(GremioError, match="already the name"):
        change_strand(made, strand_id, replace(only(made), name="Post"))
