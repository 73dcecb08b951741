"""Mirroring by real hands: a key, the plane on the Card, a ghost, and the twin."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
from tests.desktop.hand import CTRL, Hand

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.solids import Box

shape = gremio.shape


@pytest.fixture
def at_door(hand: Hand) -> Hand:
    b = gremio.Builder("Doors")
    b.part("Frame", shape(Box(0.1, 4, 2), at=(0, 0, 1)))
    b.part("Door, left", shape(Box(0.05, 1.8, 2), at=(0, -0.9, 1)), on="Frame", at=(0, 1.9, 0),
           joint="hinge z", stops=("0 deg", "90 deg"))  # fmt: skip
    b.part("Latch", shape(Box(0.1, 0.2, 0.1)), on="Door, left", at=(0, -1.7, 1), joint="slide y")
    b.control("Open", "0 deg", "90 deg")
    b.ratio("Open", "Door, left", 1)
    hand.window.show_rig(b.rig)
    hand.rest(60)
    return hand


def test_a_door_gets_its_twin_in_the_frame_by_one_key(at_door: Hand) -> None:
    window, document = at_door.window, at_door.window.document
    document.select(part_id(document.rig, "Door, left"))
    at_door.rest(30)
    at_door.keys("m", CTRL)
    at_door.rest(60)
    # The frame's middle is proposed, and where the twin would stand is seen.
    (ghost,) = window.bench.overlay.drawn.ghosts[-1:]
    assert ghost[..., 1].max() < 0.1 and ghost[..., 1].min() < -1.8
    at_door.click(at_door.named("Make the twin"))
    at_door.rest(60)
    names = [part.name for part in document.rig.parts.values()]
    assert names == ["Frame", "Door, left", "Latch", "Door, right", "Latch 2"]
    assert document.selected == part_id(document.rig, "Door, right")
    assert "is the twin of Door, left" in at_door.said[-1]
    # One control opens both, each away from the other.
    document.move(next(iter(document.rig.controls)), 1.0)
    here, there = (
        document.pose.world(part_id(document.rig, n)) for n in ("Door, left", "Door, right")
    )
    flat = np.diag([1.0, -1.0, 1.0, 1.0])
    mirrors = [np.diag([-1.0 if i == axis else 1.0 for i in range(3)] + [1.0]) for axis in range(3)]
    assert min(np.abs(flat @ here @ own - there).max() for own in mirrors) < 1e-12
    # One step back takes all of it away.
    document.settle()
    document.undo()
    document.undo()
    assert len(document.rig.parts) == 3


def test_the_sheet_is_left_and_nothing_stays(at_door: Hand) -> None:
    window, document = at_door.window, at_door.window.document
    before = document.rig
    document.select(part_id(document.rig, "Door, left"))
    at_door.keys("m", CTRL)
    at_door.rest(60)
    ghosts = len(window.bench.overlay.drawn.ghosts)
    at_door.keys("\x1b")
    at_door.rest(60)
    assert document.rig is before and len(window.bench.overlay.drawn.ghosts) == ghosts - 1
    document.select("")
    at_door.keys("m", CTRL)
    assert "Select what to mirror" in at_door.said[-1]


def test_a_plane_and_words_of_ones_own(at_door: Hand) -> None:
    document = at_door.window.document
    document.select(part_id(document.rig, "Door, left"))
    at_door.keys("m", CTRL)
    at_door.rest(60)
    at_door.choose("Across which axis", "x, before and behind")
    at_door.choose("Of what", "the ground")
    at_door.type_into(at_door.named("How far along it"), "1 m")
    at_door.choose("What leads the twin", "controls of its own")
    field = at_door.named("Words for sides")
    at_door.type_into(field, "left right")
    at_door.click(at_door.named("Make the twin"))
    assert "no pair of sides" in at_door.said[-1] and len(document.rig.parts) == 3
    at_door.type_into(field, "left/seaward")
    at_door.click(at_door.named("Make the twin"))
    at_door.rest(60)
    twin = part_id(document.rig, "Door, seaward")
    assert document.pose.world(twin)[0, 3] == pytest.approx(2.0)
    assert {c.name for c in document.rig.controls.values()} == {"Open", "Open 2"}


def test_a_part_is_resized_by_how_large_it_is_to_be(at_door: Hand) -> None:
    """ "This door is 2.7 m": typed as a length, all that it carries goes along; in one step."""
    window, document = at_door.window, at_door.window.document
    document.select(part_id(document.rig, "Door, left"))
    at_door.rest(30)
    window.act("edit.resize")
    at_door.rest(60)
    at_door.type_into(at_door.named("How large the part is to be"), "3 m")
    at_door.click(at_door.named("Resize it"))
    at_door.rest(60)
    door, latch = (document.rig.parts[part_id(document.rig, n)] for n in ("Door, left", "Latch"))
    assert door.shapes[0].solid == Box(0.05 * 1.5, 1.8 * 1.5, 3.0)
    assert latch.mount.at == pytest.approx((0.0, -1.7 * 1.5, 1.5))
    assert "1.5 times as large" in at_door.said[-1]
    document.undo()
    assert document.rig.parts[part_id(document.rig, "Latch")].mount.at[1] == -1.7
    document.select("")
    window.act("edit.resize")
    at_door.rest(60)
    at_door.type_into(at_door.named("How many times as large"), "0")
    at_door.click(at_door.named("Resize it"))
    assert "a factor above zero" in at_door.said[-1]
    at_door.type_into(at_door.named("How many times as large"), "0.1")
    at_door.click(at_door.named("Resize it"))
    assert document.rig.parts[part_id(document.rig, "Door, left")].mount.at[1] == pytest.approx(
        0.19
    )


def test_a_part_without_a_shape_is_mirrored_too(hand: Hand) -> None:
    """It throws no ghost, and nothing breaks."""
    b = gremio.Builder("Bare")
    b.part("Pivot, left", at=(0, 1, 0), joint="hinge z")
    hand.window.show_rig(b.rig)
    hand.window.document.select(part_id(b.rig, "Pivot, left"))
    hand.rest(40)
    hand.keys("m", CTRL)
    hand.rest(60)
    hand.click(hand.named("Make the twin"))
    hand.rest(60)
    assert part_id(hand.window.document.rig, "Pivot, right")


def test_a_ghost_behind_the_viewer_is_not_drawn(at_door: Hand) -> None:
    """The window ended where all of a ghost lay behind the eye."""
    bench = at_door.window.bench
    behind = bench.camera.eye + 2.0 * (bench.camera.eye - np.array([0.0, 0.0, 1.0]))
    bench.show_beside([np.array([[behind, behind + [0.1, 0.0, 0.0]]])])
    assert not bench.overlay.grab().isNull()


def test_both_sides_are_kept_alike_until_they_are_parted(at_door: Hand) -> None:
    document = at_door.window.document
    left = part_id(document.rig, "Door, left")
    document.select(left)
    at_door.keys("m", CTRL)
    at_door.rest(60)
    at_door.click(at_door.named("Keep both sides alike"))
    at_door.click(at_door.named("Make the twin"))
    at_door.rest(60)
    right = part_id(document.rig, "Door, right")
    # A stop is typed on the twin's Card: the original has it too, in the same step.
    at_door.type_into(at_door.named("High stop"), "60")
    at_door.rest(60)
    assert document.rig.parts[right].stops["turn z"].high == pytest.approx(np.radians(60))
    assert document.rig.parts[left].stops["turn z"].high == pytest.approx(np.radians(60))
    document.undo()
    assert document.rig.parts[left].stops["turn z"].high == pytest.approx(np.radians(90))
    document.redo()
    at_door.rest(60)
    at_door.click(at_door.named("What differs"))
    assert "Nothing differs" in at_door.said[-1]
    # What is put on one is on the other as well.
    document.select(left)
    at_door.window.act("part.box")
    at_door.rest(80)
    count = len(document.rig.parts)
    box = part_id(document.rig, next(p.name for p in document.rig.parts.values()
                                     if p.name.startswith("Box")))  # fmt: skip
    from gremio.core.edit.parts import change_part

    document.edit(
        "mount it",
        lambda rig: change_part(rig, box, msgspec.structs.replace(rig.parts[box], parent=left)),
    )
    assert len(document.rig.parts) == count + 1
    document.select(left)
    at_door.rest(60)
    at_door.click(at_door.named("Part them"))
    assert not document.rig.alike and "their own ways" in at_door.said[-1]
    at_door.rest(60)
    at_door.type_into(at_door.named("High stop"), "40")
    assert document.rig.parts[right].stops["turn z"].high == pytest.approx(np.radians(60))
