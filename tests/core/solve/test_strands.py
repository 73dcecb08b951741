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
from gremio.core.rig.tied import Waypoint
from gremio.core.solve.strands import bars, lies, pieces, strand_notes


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


def winch() -> Rig:
    """A drum of 0.4 m across that winds a rope up over a sheave on an arm, and lets a hook down.
    The sheave spins as a wheel does; the arm can be raised far past the drum."""
    build = gremio.Builder("Winch")
    build.part("Bed")
    build.part("Drum", joint="spin y")
    build.part("Arm", at=(0, 0, 1.0), joint="hinge y")
    build.part("Wheel", at=(3.0, 0, 0), on="Arm", joint="spin y")
    build.part("Hook", at=(3.2, 0, -2.0), joint="slide z")
    return build.rig


def test_a_rope_on_its_drum_is_wound_on_as_often_as_the_drum_goes_round() -> None:
    rig = gremio.strand(
        winch(), "rope", ("Drum", (0, 0, 0.2)), ("Bed", (0, 0, 0), 0.2, (0, 1, 0)),
        ("Wheel", (0, 0, 0), 0.2, (0, 1, 0)), ("Hook", (0, 0, 0)),
    )  # fmt: skip
    strand = only(rig)

    def length(**inputs: float) -> float:
        here = lies(gremio.solve(rig, inputs), strand)
        assert here is not None and not here.wrong
        return here.length

    # Clockwise about y is toward the rope: it lets go of what is wound on.
    way = -1.0 if strand.through[1].radius > 0 else 1.0
    wound = length(Drum=way * 6 * np.pi) - length(Drum=way * 2 * np.pi)
    assert wound == pytest.approx(4 * np.pi * 0.2, abs=1e-9)
    assert length(Drum=way * 0.4 + way * 200 * np.pi) - length(Drum=way * 0.4) == pytest.approx(
        200 * np.pi * 0.2, abs=1e-6
    )
    # What goes round in its place winds nothing.
    assert length(Wheel=1e5) == length()
    # Too often to be counted: said, and no length.
    here = lies(gremio.solve(rig, {"Drum": way * 1e4}), strand)
    assert here is not None and "too often to be counted" in here.wrong


def test_a_rope_leaves_its_sheave_without_a_step_in_its_length() -> None:
    rig = gremio.strand(
        winch(), "rope", ("Bed", (0, 0, 0)), ("Arm", (1.0, 0, 0), 0.1, (0, 1, 0)),
        ("Arm", (3.0, 0, 0)), name="Line",
    )  # fmt: skip
    raised = np.linspace(0.0, -1.9, 400)
    here = [lies(gremio.solve(rig, {"Arm": a}), only(rig)) for a in raised]
    lengths = np.array([lying.length for lying in here if lying is not None])
    assert np.abs(np.diff(lengths)).max() < 3.2 * 1.9 / 399
    clear = {lying.clear for lying in here if lying is not None}
    assert clear == {(), (1,)}


def test_sheaves_on_crossing_axes_are_not_run_through() -> None:
    """From a sheave on its side to one that stands up, as from a quay's capstan to a block."""
    rig = gremio.strand(
        winch(), "rope", ("Bed", (-2.0, 0.3, 0)), ("Bed", (0, 0, 0), 0.3, (0, 0, 1)),
        ("Arm", (2.0, 0.5, 0), 0.2, (0, 1, 0)), ("Hook", (0, 0.5, 0)),
    )  # fmt: skip
    strand = only(rig)
    here = lies(gremio.solve(rig), strand)
    assert here is not None and not here.wrong and 0 < here.fleet < 1.0
    for middle, axis, radius in (
        ((0, 0, 0), (0, 0, 1.0), 0.3),
        ((2.0, 0.5, 1.0), (0, 1.0, 0), 0.2),
    ):
        bars_ = np.concatenate([
            one + np.linspace(0, 1, 30)[:, None] * (two - one)
            for one, two in zip(here.places, here.places[1:], strict=False)
        ])  # fmt: skip
        near = bars_ - middle
        seen = np.linalg.norm(near - np.outer(near @ np.array(axis), axis), axis=1)
        # The rim itself is drawn in short bars, which cut it by their sagitta.
        assert seen.min() > radius - 0.002


def test_a_rope_with_no_room_says_so() -> None:
    rig = gremio.strand(
        winch(), "rope", ("Bed", (0, 0, -1)), ("Bed", (0, 0, 0), 0.3, (0, 1, 0)),
        ("Hook", (-2.5, 0, 2.0)), name="Fall",
    )  # fmt: skip
    assert not [f for f in gremio.inspect(rig) if f.note.thing == "Fall"]
    low = gremio.solve(rig, {"Hook": -0.05})
    assert not strand_notes(low)
    through = only(rig).through
    eye = Waypoint(through[1].on, (0.1, 0, 0.1))
    within = replace(only(rig), through=(*through[:2], eye, through[2]))
    rig = change_strand(rig, next(iter(rig.strands)), within)
    (finding,) = [f for f in gremio.inspect(rig) if f.note.code.startswith("strand")]
    assert "can't be laid from point 2 to point 3" in finding.note.text


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


def test_bars_reach_over_where_they_bend() -> None:
    places = np.array([[0, 0, 0], [1, 0, 0], [1, 2, 0]], dtype=float)
    frames = bars(places, 0.1, 0.03)
    assert np.linalg.norm(frames[:, :3, 2], axis=1) == pytest.approx([1.03, 2.03])


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
    with pytest.raises(TypeError, match="wide"):
        gremio.strand(rig, "hose", *ends, wide=0.1)  # type: ignore[call-arg]
    made = gremio.strand(rig, "rope", *ends)
    (strand_id,) = made.strands
    with pytest.raises(GremioError, match="already the name"):
        change_strand(made, strand_id, replace(only(made), name="Post"))
