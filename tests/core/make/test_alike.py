"""Two sides kept alike: whatever is changed on one side, the other is its mirror image again."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from msgspec.structs import replace
from tests.core.make.test_twins import (
    MIRRORS,
    away,
    cams_and_formulas,
    linkages,
    mirrored,
    repeats,
    train,
)

import gremio
from gremio.core.edit.controls import change_control, set_values
from gremio.core.edit.parts import (
    add_part,
    change_part,
    remove_part,
    rename_part,
    set_joint,
    set_stops,
)
from gremio.core.files import rig_file
from gremio.core.inspect.unlike import unlike
from gremio.core.make.alike import alike_with, keep_alike, kept_alike, part_them
from gremio.core.make.copying import copy_part
from gremio.core.make.resizing import resized
from gremio.core.make.twins import Plane, Twin, twin
from gremio.core.rig.channels import key, split
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Frame, Joint, Part, Rig, Shape, Stops
from gremio.core.rig.solids import Box
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.compiling import compile_rig

PLANE = Plane("y")


def alike(rig: Rig, *names: str, crossing: str = "share") -> tuple[Rig, Twin]:
    made = mirrored(rig, *names, plane=PLANE, crossing=crossing)
    return keep_alike(made, PLANE), made


def followed(before: Rig, after: Rig) -> Rig:
    return kept_alike(before, after, geometry=surfaces_of(after))


def is_mirrored(rig: Rig, made: Twin) -> bool:
    """At random inputs, every pair of it. Which channels go the other way is asked anew."""
    (record,) = rig.alike.values()
    roots = [i for i in record.pairs if i in rig.parts and rig.parts[i].parent is None]
    again = twin(rig, roots, PLANE, geometry=surfaces_of(rig))
    shown = {two: again.ids[one] for one, two in record.pairs.items() if one in again.ids}

    def sign(channel: ChannelKey) -> float:
        owner, name = split(channel)
        return again.sign(key(shown[owner], name)) if owner in shown else 1.0

    now = made._replace(rig=rig, ids=dict(record.pairs), sign=sign)
    return away(now, PLANE, 60) < 1e-9


Change = Callable[[Rig], Rig]


def moved(rig: Rig, name: str, at: tuple[float, float, float]) -> Rig:
    found = part_id(rig, name)
    part = rig.parts[found]
    return change_part(rig, found, replace(part, mount=replace(part.mount, at=at)))


def with_lamp(rig: Rig) -> Rig:
    lamp = Part("Lamp, left", part_id(rig, "Wheel"), Frame((0.1, 0.2, 0.3)),
                Joint("hinge", "x"), shapes=(Shape(Box(0.1, 0.2, 0.3)),))  # fmt: skip
    return add_part(rig, lamp)[0]


def moved_on(rig: Rig, name: str, on: str) -> Rig:
    found = part_id(rig, name)
    return change_part(rig, found, replace(rig.parts[found], parent=part_id(rig, on)))


def with_stray(rig: Rig) -> Rig:
    return add_part(rig, Part("Stray", None, Frame((0.2, 0.1, 0.0)), Joint("slide", "y")))[0]


CHANGES: dict[str, Change] = {
    "a mount": lambda rig: moved(rig, "Wheel", (0.5, 0.1, 0.2)),
    "where it stands": lambda rig: moved(rig, "Frame", (2.0, 3.0, 0.1)),
    "stops": lambda rig: set_stops(rig, part_id(rig, "Rack"), "move x", Stops(-0.2, 0.3)),
    "a joint": lambda rig: set_joint(
        rig, part_id(rig, "Spindle"), Joint("cylinder", "x")
    ),
    "a ratio": lambda rig: replace(rig, links={
        i: replace(link, ratio=2 * link.ratio) if link.follower.endswith("move x") else link
        for i, link in rig.links.items()
    }),
    "a size": lambda rig: resized(rig, 1.5, [part_id(rig, "Wheel")]),
    "a part more": with_lamp,
    "a part mounted on it": lambda rig: moved_on(rig, "Stray", "Wheel"),
    "a part less": lambda rig: remove_part(rig, part_id(rig, "Rack")),
    "a copy more": lambda rig: copy_part(rig, part_id(rig, "Wheel"))[0],
    "a link more": lambda rig: gremio.formula(with_lamp(rig), "Lamp, left", "Turn * 0.1"),
}  # fmt: skip


@pytest.mark.parametrize("crossing", ["share", "own"])
@pytest.mark.parametrize("name", CHANGES)
def test_what_is_changed_on_one_side_changes_on_the_other(name: str, crossing: str) -> None:
    whole = with_stray(train()) if "mounted" in name else train()
    rig, made = alike(whole, "Frame", crossing=crossing)
    after = CHANGES[name](rig)
    done = followed(rig, after)
    assert not compile_rig(done, surfaces_of(done)).faults
    assert is_mirrored(done, made)
    (record,) = done.alike.values()
    # Ids stay, and each part of one side has its own on the other.
    old = {i for i in made.ids.values() if i in rig.parts}
    gone = {i for i in old if i not in done.parts}
    assert len(gone) == (1 if name == "a part less" else 0)
    here = {i for i in done.parts if i in record.pairs}
    assert len(here) * 2 == len(done.parts)
    assert kept_alike(done, done, geometry=surfaces_of(done)) is done
    assert rig_file.decode(rig_file.encode(done)) == done


def test_it_goes_both_ways_and_each_side_keeps_its_name_and_note() -> None:
    rig, made = alike(train(), "Frame")
    other = made.ids[part_id(rig, "Wheel")]
    after = rename_part(rig, part_id(rig, rig.parts[other].name), "Cog")
    assert followed(rig, after) == after
    after = replace(after, parts={**after.parts, other: replace(after.parts[other], note="Mine.")})
    part = after.parts[other]
    turned = change_part(after, other, replace(part, mount=replace(part.mount, at=(0.4, 0.3, 0.2))))
    done = followed(after, turned)
    assert done.parts[other] == turned.parts[other]
    assert done.parts[part_id(rig, "Wheel")].mount.at != rig.parts[part_id(rig, "Wheel")].mount.at
    assert done.parts[part_id(rig, "Wheel")].note == "" and is_mirrored(done, made)


@pytest.mark.parametrize("make", [linkages, cams_and_formulas], ids=["linkages", "cams"])
def test_linkages_and_cams_stay_alike(make: Callable[[], Rig]) -> None:
    rig = make()
    (root,) = [part.name for part in rig.parts.values() if part.parent is None]
    rig, made = alike(rig, root)
    child = next(p for p in rig.parts.values() if p.parent == part_id(rig, root))
    done = followed(rig, moved(rig, root, (0.9, 1.4, 0.3)))
    assert is_mirrored(done, made)
    found = part_id(rig, child.name)
    other = made.ids[found]
    assert done.parts[other].joint.kind == child.joint.kind


def test_what_is_moved_by_hand_and_what_is_outside_changes_nothing() -> None:
    rig, _ = alike(train(), "Frame")
    assert followed(rig, set_values(rig, {control_id(rig, "Turn"): 1.0})).parts is rig.parts
    control = rig.controls[control_id(rig, "Turn")]
    after = change_control(rig, control_id(rig, "Turn"), replace(control, high=9.0))
    assert followed(rig, after) == after


def test_a_doubled_control_is_kept_alike_too() -> None:
    rig, made = alike(train(), "Frame", crossing="own")
    turn = control_id(rig, "Turn")
    after = change_control(rig, turn, replace(rig.controls[turn], high=9.0))
    done = followed(rig, after)
    assert done.controls[made.ids[ThingId(turn)]].high == 9.0
    assert done.controls[made.ids[ThingId(turn)]].name == "Turn 2" and is_mirrored(done, made)


def test_keys_of_one_side_are_those_of_the_other() -> None:
    rig, made = alike(gremio.routine(train(), "Run", 4), "Frame")
    after = gremio.key(with_lamp(rig), 2, {"Lamp, left turn x": 0.7})
    done = followed(rig, after)
    (routine,) = done.routines.values()
    lamp = part_id(done, "Lamp, left")
    (record,) = done.alike.values()
    assert key(record.pairs[lamp], "turn x") in routine.keys
    poses = gremio.bake(done, times=[0.0, 1.3, 2.0, 3.7]).poses
    row = poses.program.part_row
    here, there = (poses.worlds[:, row[i]] for i in (lamp, record.pairs[lamp]))
    assert min(np.abs(MIRRORS[1] @ here @ own - there).max() for own in MIRRORS) < 1e-9
    assert made.ids


def test_they_are_parted_by_one_edit_and_by_the_end_of_a_side() -> None:
    rig, made = alike(train(), "Frame")
    (record_id,) = rig.alike
    assert alike_with(rig, part_id(rig, "Wheel")) == (record_id, made.ids[part_id(rig, "Wheel")])
    assert alike_with(rig, made.ids[part_id(rig, "Wheel")]) == (record_id, part_id(rig, "Wheel"))
    parted = part_them(rig, record_id)
    after = moved(parted, "Wheel", (0.5, 0.1, 0.2))
    assert followed(parted, after) is after
    assert alike_with(parted, part_id(rig, "Wheel")) is None
    with pytest.raises(gremio.NotFound, match="pair of sides"):
        part_them(parted, record_id)
    # The twin is removed: the original stays.
    gone = followed(rig, remove_part(rig, made.ids[part_id(rig, "Frame")]))
    assert not gone.alike and part_id(gone, "Wheel")


def test_differences_are_listed() -> None:
    """What was changed while they were parted, by a script that says nothing, or in a file."""
    rig, made = alike(train(), "Frame")
    (record_id,) = rig.alike
    assert unlike(rig, record_id, geometry=surfaces_of(rig)) == []
    other = made.ids[part_id(rig, "Rack")]
    after = set_stops(rig, other, "move x", Stops(-0.5, 0.5))
    (difference,) = [d for d in unlike(after, record_id, geometry=surfaces_of(rig))
                     if d.how == "changed"][:1]  # fmt: skip
    assert difference.name == rig.parts[other].name


def test_a_rows_path_of_its_own_follows_and_is_not_made_again_at_each_change() -> None:
    # Seen in a mirror across another axis a path's other twin is needed, for the row alone.
    plane = Plane("x", None, 0.4)
    made = mirrored(repeats(), "Wall", plane=plane)
    rig = keep_alike(made, plane)
    wall, paths = part_id(rig, "Wall"), len(rig.paths)
    for height in (0.3, 0.5):
        part = rig.parts[wall]
        mount = replace(part.mount, at=(0.1, 1.0, height))
        rig = followed(rig, change_part(rig, wall, replace(part, mount=mount)))
    assert len(rig.paths) == paths
    rows = [p.repeat for p in rig.parts.values() if p.repeat is not None and p.repeat.path]
    assert len(rows) == 4 and all(row.path in rig.paths for row in rows)
    (record,) = rig.alike.values()
    again = twin(rig, [wall], plane, geometry=surfaces_of(rig))
    followers = [(again.ids[i], two) for i, two in record.pairs.items() if i in rig.parts]
    for one, two in followers:
        shown, row = again.rig.parts[PartId(one)].repeat, rig.parts[PartId(two)].repeat
        if shown is not None and row is not None and row.path:
            theirs, ours = again.rig.paths[shown.path], rig.paths[row.path]
            np.testing.assert_allclose(ours.points, theirs.points, atol=1e-12)
