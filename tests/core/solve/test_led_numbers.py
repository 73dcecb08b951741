"""Numbers that move nothing themselves, led like any other: stops, ranges, dimensions, shown."""

from __future__ import annotations

import json
import math
import pickle
from pathlib import Path

import numpy as np
import pygltflib
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import add_control, proposed_control
from gremio.core.edit.links import add_link
from gremio.core.edit.numbers import set_number, set_numbers
from gremio.core.edit.parts import set_repeat
from gremio.core.files.glb_out import baked_glb
from gremio.core.files.sources import model_shelf
from gremio.core.files.urdf_out import write_urdf
from gremio.core.inspect.ledger import cell, ledger_rows, with_stop
from gremio.core.inspect.reach import reach_of
from gremio.core.problem import GremioError
from gremio.core.rig.cams import cam_through
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import (
    Cam,
    Control,
    Follower,
    Planetary,
    Ratio,
    Repeat,
    Rig,
    Station,
)
from gremio.core.rig.numbers import full_label, number, numbers_of
from gremio.core.rig.solids import Box, Cylinder, SpurGear
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.core.solve.repeats import copies


def paddle() -> Rig:
    """A rack bar that rises before a sluice, its stops, and two cranks."""
    made = gremio.Builder("Paddle")
    made.part("Bar", gremio.shape(Box(length=0.1, width=0.1, height=1.0)), joint="slide z",
              stops=(0, 0.8))  # fmt: skip
    made.part("Lamp", gremio.shape(Cylinder(diameter=0.2, height=0.1)), on="Bar", at=(0, 0, 1))
    made.control("Lift", 0, 1, kind="length")
    made.control("Catch", 0, 1, kind="length")
    made.control("Share", 0, 1, kind="number", unit="")
    made.ratio("Lift", "Bar move z", 1)
    return made.rig


def led(rig: Rig, lead: str, channel: str, ratio: float = 1.0, offset: float = 0.0) -> Rig:
    return add_link(rig, Ratio(control_id(rig, lead), channel, ratio, offset))[0]


def posed(rig: Rig, **controls: float) -> Pose:
    values = {control_id(rig, name.replace("_", " ")): value for name, value in controls.items()}
    return evaluate(compile_rig(rig, geometry_of), values).frame(0)


# ── stops ──────────────────────────────────────────────────────────


def test_a_led_stop_holds_what_is_led_past_it_and_says_so() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = led(rig, "Catch", f"{bar} high stop move z")
    held = posed(rig, Lift=0.6, Catch=0.25)
    assert held.at(f"{bar} move z") == pytest.approx(0.25)
    assert held.world(bar)[2, 3] == pytest.approx(0.25)
    assert [note.code for note in held.notes] == ["stop-reached"]
    assert "high stop at 0.25 m" in held.notes[0].text
    assert posed(rig, Lift=0.6, Catch=0.9).at(f"{bar} move z") == pytest.approx(0.6)
    assert held.ends(f"{bar} move z") == (0.0, 0.25)
    assert held.rig.parts[bar].stops["move z"].high == pytest.approx(0.25)
    assert rig.parts[bar].stops["move z"].high == 0.8


def test_many_frames_are_held_each_by_its_own_stop() -> None:
    rig = led(paddle(), "Catch", f"{part_id(paddle(), 'Bar')} high stop move z")
    bar = part_id(rig, "Bar")
    catch = np.linspace(0.0, 1.0, 11)
    program = compile_rig(rig, geometry_of)
    inputs = {control_id(rig, "Lift"): np.full(11, 0.6), control_id(rig, "Catch"): catch}
    many = evaluate(program, inputs).channel(f"{bar} move z")
    assert many == pytest.approx(np.minimum(catch, 0.6))


def test_a_part_that_a_hand_puts_is_held_by_a_led_stop_too() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = replace(rig, links={})
    rig = led(rig, "Catch", f"{bar} high stop move z")
    pose = evaluate(
        compile_rig(rig, geometry_of), {f"{bar} move z": 0.7, control_id(rig, "Catch"): 0.3}
    ).frame(0)
    assert pose.at(f"{bar} move z") == pytest.approx(0.3)


def test_stops_led_past_one_another_are_told() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = led(rig, "Catch", f"{bar} low stop move z")
    pose = posed(rig, Lift=0.5, Catch=0.95)
    assert "stops-crossed" in [note.code for note in pose.notes]
    assert pose.at(f"{bar} move z") == pytest.approx(0.8)


def test_how_far_a_control_goes_knows_a_led_stop() -> None:
    rig = paddle()
    bar, lift = part_id(rig, "Bar"), control_id(rig, "Lift")
    stop = f"{bar} high stop move z"
    rig = add_link(rig, cam_through(lift, stop, [(0.0, 0.8), (1.0, -0.2)], "straight"))[0]
    reach = reach_of(compile_rig(rig, geometry_of), lift)
    # What is asked, x, is held where the stop comes down to it: x = 0.8 − x.
    assert reach.high == pytest.approx(0.4, abs=1e-6)
    assert reach.high_by == f"{bar} move z"


def test_how_far_a_control_goes_follows_a_stop_that_another_leads() -> None:
    rig = paddle()
    bar, lift = part_id(rig, "Bar"), control_id(rig, "Lift")
    rig = led(rig, "Catch", f"{bar} high stop move z")
    program = compile_rig(rig, geometry_of)
    for catch in (0.3, 0.5, 0.3):
        pose = evaluate(program, {control_id(rig, "Catch"): catch}).frame(0)
        assert reach_of(program, lift, pose).high == pytest.approx(catch, abs=1e-6)
    # Where the stop moves, the range is not called too long.
    rig = replace(rig, controls={**rig.controls, control_id(rig, "Catch"): replace(
        rig.controls[control_id(rig, "Catch")], home=0.5)})  # fmt: skip
    codes = [f.note.code for f in gremio.inspect(rig)]
    assert "control-stopped" not in codes


def test_a_stop_led_from_what_it_holds_is_refused_and_the_part_goes_on() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    ratio = Ratio(control_id(rig, "Lift"), f"{bar} high stop move z", 0.5)
    with pytest.raises(GremioError, match="Bar high stop from what it holds"):
        add_link(rig, ratio)
    # As a file could have it.
    pose = posed(replace(rig, links={**rig.links, "k9": ratio}), Lift=0.5)
    assert [note.code for note in pose.program.faults] == ["led-stop"]
    assert "Bar high stop from what it holds" in pose.program.faults[0].text
    assert pose.at(f"{bar} move z") == pytest.approx(0.5)


def test_a_led_stop_in_a_closed_linkage_is_refused_in_words() -> None:
    made = gremio.Builder("Four bars")
    made.part("Crank", joint="hinge z")
    made.part("Rod", on="Crank", at=(1, 0, 0), joint="hinge z")
    made.part("Rocker", at=(3, 0, 0), joint="hinge z", stops=("-90 deg", "90 deg"))
    made.control("Far", 0, 1, kind="angle")
    rig = gremio.pin(made.rig, "Rod", "Rocker", (2.5, 1.0, 0), (0, 1, 0))
    rocker = part_id(rig, "Rocker")
    with pytest.raises(GremioError, match="solved for in a closed linkage"):
        led(rig, "Far", f"{rocker} high stop turn z")


# ── controls ───────────────────────────────────────────────────────


def test_a_control_is_led_like_anything_and_pulled_back_through_its_link() -> None:
    rig = paddle()
    made = Control("Master", "number", "", 0, 10)
    rig, master = add_control(rig, made)
    rig = add_link(rig, Ratio(master, control_id(rig, "Lift"), 0.1))[0]
    bar = part_id(rig, "Bar")
    pose = posed(rig, Master=5.0)
    assert pose.control("Lift") == pytest.approx(0.5)
    assert pose.at(f"{bar} move z") == pytest.approx(0.5)
    program = compile_rig(rig, geometry_of)
    for channel, wanted in ((control_id(rig, "Lift"), 0.7), (f"{bar} move z", 0.2)):
        hand = move(program, pose, channel, wanted)
        assert isinstance(hand, Hand)
        assert (hand.channel, hand.value) == (master, pytest.approx(10 * wanted))


def test_a_control_led_past_its_range_is_held_and_told() -> None:
    rig = replace(paddle(), links={})
    rig, master = add_control(rig, Control("Master", "number", "", 0, 10))
    rig = add_link(rig, Ratio(master, control_id(rig, "Lift"), 0.5))[0]
    pose = posed(rig, Master=8.0)
    assert pose.control("Lift") == 1.0
    assert "range-end" in [note.code for note in pose.notes]


def test_the_end_of_a_controls_range_is_led() -> None:
    rig = paddle()
    lift = control_id(rig, "Lift")
    rig = led(rig, "Catch", f"{lift} high end")
    pose = posed(rig, Lift=0.9, Catch=0.4)
    assert pose.control("Lift") == pytest.approx(0.4)
    assert pose.rig.controls[lift].high == pytest.approx(0.4)
    rows = {row.channel: row for row in ledger_rows(pose.program)}
    assert rows[f"{lift} high end"].follower == "Lift high end"


# ── dimensions, shown, count, strands ──────────────────────────────


def test_a_led_dimension_is_what_a_measure_and_a_seat_stand_on() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    made = gremio.Builder("Seat")
    made.part("Drum", gremio.shape(Box(length=2, width=2, height=1.0)), joint="hinge z")
    made.part("Cap", gremio.shape(Box(length=0.1, width=0.1, height=0.1)), at=(0.2, 0.3, 4),
              joint="free")  # fmt: skip
    made.control("Tall", 0.2, 4, home=1.0, kind="length")
    rig = gremio.constrain(made.rig, "seat", "Cap", "Drum")
    drum, cap = part_id(rig, "Drum"), part_id(rig, "Cap")
    low = posed(rig, Tall=1.0).world(cap)[2, 3]
    rig = led(rig, "Tall", f"{drum} shape 0 height")
    for tall in (1.0, 2.0, 3.0):
        pose = posed(rig, Tall=tall)
        # The block grows both ways from its middle.
        assert pose.world(cap)[2, 3] == pytest.approx(low + (tall - 1.0) / 2, abs=1e-6)
        assert pose.rig.parts[drum].shapes[0].solid.height == pytest.approx(tall)  # type: ignore[union-attr]
    assert bar


def test_a_part_is_hidden_by_a_control_with_all_it_carries() -> None:
    rig = paddle()
    bar, lamp = part_id(rig, "Bar"), part_id(rig, "Lamp")
    rig = led(rig, "Share", f"{bar} shown")
    assert posed(rig, Share=1.0).hidden == frozenset()
    assert posed(rig, Share=0.0).hidden == {bar, lamp}
    alone = set_number(paddle(), f"{lamp} shown", 0.0)
    assert posed(alone).hidden == {lamp}
    assert not alone.parts[lamp].shown and "shown" not in str(alone.at)


def test_a_glb_carries_what_is_hidden_and_what_grows() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = led(rig, "Lift", f"{bar} shape 0 height", 1.0, 1.0)
    rig = led(rig, "Lift", f"{part_id(rig, 'Lamp')} shown")
    data, lost = baked_glb(rig, model_shelf(), "Lift", 0.5)
    assert not any(note.code == "glb-led" for note in lost)
    file = pygltflib.GLTF2.load_from_bytes(data)
    names = {node.name: i for i, node in enumerate(file.nodes)}
    grown = _animated(file, names["Bar, shape 1"], "scale")
    # glTF has y up: the height goes along y. What goes with the bar is held when the bar is.
    assert grown[0] == pytest.approx([1, 1, 1]) and grown[-1] == pytest.approx([1, 1.8, 1])
    blinked = _animated(file, names["Lamp"], "scale")
    assert blinked[0] == pytest.approx([0, 0, 0]) and blinked[-1] == pytest.approx([1, 1, 1])
    assert file.nodes[names["Lamp"]].scale == [0.0, 0.0, 0.0]


def _animated(file: pygltflib.GLTF2, node: int, path: str) -> np.ndarray:
    animation = file.animations[0]
    (found,) = [c for c in animation.channels if c.target.node == node and c.target.path == path]
    accessor = file.accessors[animation.samplers[found.sampler].output]
    view = file.bufferViews[accessor.bufferView]
    start = view.byteOffset
    blob = file.binary_blob()[start : start + view.byteLength]
    return np.frombuffer(blob, "<f4").reshape(accessor.count, -1)


def test_what_a_glb_cannot_carry_of_led_numbers_is_told() -> None:
    made = gremio.Builder("Teeth")
    made.part("Wheel", gremio.shape(SpurGear(module=0.01, teeth=20, width=0.05)), joint="hinge z")
    made.control("Number", 20, 40, kind="number", unit="")
    rig = led(made.rig, "Number", f"{part_id(made.rig, 'Wheel')} shape 0 teeth")
    _, lost = baked_glb(rig, model_shelf(), "Number", 0.2)
    told = [(note.code, note.part) for note in lost if note.severity != "info"]
    assert told == [("glb-led", "Wheel")]
    assert "Wheel teeth" in lost[0].text


def test_urdf_leaves_out_the_shapes_of_what_is_hidden(tmp_path: Path) -> None:
    rig = paddle()
    rig = set_number(rig, f"{part_id(rig, 'Lamp')} shown", 0.0)
    write_urdf(rig, tmp_path / "paddle.urdf", model_shelf())
    text = (tmp_path / "paddle.urdf").read_text()
    assert text.count("<visual>") == 1 and 'name="Lamp"' in text


def test_the_length_of_a_rope_is_led() -> None:
    made = gremio.Builder("Rope")
    made.part("Post", gremio.shape(Box(length=0.1, width=0.1, height=1)))
    made.part("Buoy", gremio.shape(Box(length=0.1, width=0.1, height=0.1)), at=(2, 0, 0),
              joint="free")  # fmt: skip
    made.control("Pay", 0, 8, home=3, kind="length")
    rig = gremio.strand(made.rig, "rope", ("Post", (0, 0, 0)), ("Buoy", (0, 0, 0)),
                        length=3.0, name="Painter")  # fmt: skip
    (rope,) = rig.strands
    rig = led(rig, "Pay", f"{rope} length")
    assert posed(rig, Pay=5.0).at(f"{rope} length") == pytest.approx(5.0)


# ── setting, making a control ──────────────────────────────────────


@pytest.mark.parametrize(
    ("name", "value", "told"),
    [
        ("shape 0 height", 0.0, "can't be"),
        ("shown", 2.0, "from 0 to 1"),
        ("low stop move z", 0.9, "stop"),
    ],
)
def test_a_number_out_of_its_range_is_refused_by_name(name: str, value: float, told: str) -> None:
    rig = paddle()
    with pytest.raises(GremioError, match=told):
        set_number(rig, f"{part_id(rig, 'Bar')} {name}", value)


def test_every_number_can_be_read_led_and_set_back_to_what_it_is() -> None:
    rig = gremio.load(str(gremio_demo()))
    program_channels = 0
    for owners in (rig.parts, rig.controls, rig.constraints, rig.strands):
        for thing in owners:
            for channel in numbers_of(rig, thing):
                found = number(rig, channel)
                assert found is not None, channel
                assert full_label(rig, channel)
                if found.field and math.isfinite(found.home):
                    same = set_numbers(rig, {channel: found.home})
                    assert number(same, channel) == found
                program_channels += 1
    assert program_channels > 500


def gremio_demo() -> Path:
    from gremio import demo

    return Path(demo.__file__).with_name("saltmarsh.gremio")


def test_a_control_made_for_a_count_takes_whole_numbers_up_to_twice_it() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = set_repeat(rig, bar, Repeat("line", axis="x", count=6, pitch=0.3))
    made = proposed_control(rig, f"{bar} count", 6.0)
    assert (made.low, made.high, made.home) == (1.0, 12.0, 6.0)
    tall = proposed_control(rig, f"{bar} shape 0 height", 1.0)
    assert tall.low < 1.0 < tall.high and tall.low > 0.0 and tall.home == 1.0
    hidden = proposed_control(rig, f"{bar} shown", 1.0)
    assert (hidden.low, hidden.high) == (0.0, 1.0)


def test_typing_a_count_changes_the_part_and_never_where_it_is_put() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = set_repeat(rig, bar, Repeat("line", axis="x", count=6, pitch=0.3))
    rig = set_numbers(rig, {f"{bar} count": 9.0})
    assert rig.parts[bar].repeat is not None and rig.parts[bar].repeat.count == 9
    assert f"{bar} count" not in rig.at


# ── the Ledger ─────────────────────────────────────────────────────


def test_the_ledger_shows_a_led_stop_and_sets_the_range_of_a_control() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = led(rig, "Catch", f"{bar} high stop move z")
    pose = posed(rig, Lift=0.1, Catch=0.25)
    rows = {row.follower: row for row in ledger_rows(pose.program)}
    assert cell(pose, rows["Bar move z"], "High stop") == "0.25 m"
    assert cell(pose, rows["Bar high stop"], "Value") == "0.250 m"
    with pytest.raises(GremioError, match="no stops of its own"):
        with_stop(rig, f"{bar} high stop move z", "Low stop", "1 m")
    lift = control_id(rig, "Lift")
    assert with_stop(rig, lift, "High stop", "2 m").controls[lift].high == 2.0
    with pytest.raises(GremioError, match="two ends"):
        with_stop(rig, lift, "High stop", "")


# ── a program can be kept ──────────────────────────────────────────


def test_a_program_with_formulas_is_pickled_and_gives_the_same_poses() -> None:
    rig = gremio.formula(replace(paddle(), links={}), "Bar move z", "Lift * 0.5 + Share * 1 m")
    program = compile_rig(rig, geometry_of)
    again = pickle.loads(pickle.dumps(program))
    inputs = {control_id(rig, "Lift"): 0.4, control_id(rig, "Share"): 0.2}
    assert np.array_equal(evaluate(again, inputs).worlds, evaluate(program, inputs).worlds)


def test_a_cam_leads_a_stop_and_a_size_at_once() -> None:
    rig = paddle()
    bar, lift = part_id(rig, "Bar"), control_id(rig, "Share")
    stop, height = f"{bar} high stop move z", f"{bar} shape 0 height"
    stations = (Station(0.0, {stop: 0.1, height: 0.5}), Station(1.0, {stop: 0.7, height: 2.5}))
    followers = tuple(Follower(channel, "straight") for channel in (stop, height))
    rig = add_link(rig, Cam(lift, followers, stations))[0]
    pose = posed(rig, Share=0.5, Lift=0.8)
    assert pose.at(f"{bar} move z") == pytest.approx(0.4)
    assert pose.rig.parts[bar].shapes[0].solid.height == pytest.approx(1.5)  # type: ignore[union-attr]
    assert json.dumps(pose.dimensions) == "[1.5]"


def test_a_length_written_as_a_whole_number_is_no_count() -> None:
    made = gremio.Builder("Post")
    made.part("Post", gremio.shape(Box(length=1, width=1, height=2)))
    made.control("Tall", 0, 3, kind="length")
    post = part_id(made.rig, "Post")
    rig = led(made.rig, "Tall", f"{post} shape 0 height")
    assert posed(rig, Tall=0.5).rig.parts[post].shapes[0].solid.height == 0.5  # type: ignore[union-attr]
    typed = set_number(made.rig, f"{post} shape 0 height", 1.25)
    assert typed.parts[post].shapes[0].solid.height == 1.25  # type: ignore[union-attr]


def test_a_count_between_two_whole_numbers_is_the_lower_wherever_it_is_read() -> None:
    made = gremio.Builder("Teeth")
    made.part("Wheel", gremio.shape(SpurGear(module=0.01, teeth=20, width=0.05)), joint="hinge z")
    made.control("Number", 1, 40, kind="number", unit="", home=20)
    wheel = part_id(made.rig, "Wheel")
    rig = set_repeat(made.rig, wheel, Repeat("line", axis="x", count=6, pitch=0.3))
    rig = led(rig, "Number", f"{wheel} shape 0 teeth")
    rig = led(rig, "Number", f"{wheel} count", 0.1)
    pose = posed(rig, Number=27.9)
    assert pose.rig.parts[wheel].shapes[0].solid.teeth == 27  # type: ignore[union-attr]
    assert len(copies(pose, wheel)) == 2
    rows = {row.channel: row for row in ledger_rows(pose.program)}
    assert cell(pose, rows[f"{wheel} count"], "Value") == "2"
    assert cell(pose, rows[f"{wheel} shape 0 teeth"], "Value") == "27"


def test_a_count_that_is_no_whole_number_is_refused_from_a_script_too() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = set_repeat(rig, bar, Repeat("line", axis="x", count=6, pitch=0.3))
    with pytest.raises(GremioError, match=r"Bar count takes whole numbers, and 4\.5 is none"):
        set_number(rig, f"{bar} count", 4.5)
    for wild in (float("nan"), float("inf")):
        with pytest.raises(GremioError, match="takes a plain number"):
            set_number(rig, f"{bar} count", wild)
    with pytest.raises(GremioError, match="takes a plain number"):
        set_number(rig, f"{bar} pitch", float("nan"))


def test_a_stop_of_a_linkage_that_a_file_leads_stands_still_as_the_note_says() -> None:
    made = gremio.Builder("Four bars")
    made.part("Crank", joint="hinge z")
    made.part("Rod", on="Crank", at=(1, 0, 0), joint="hinge z")
    made.part("Rocker", at=(3, 0, 0), joint="hinge z", stops=("-90 deg", "5 deg"))
    made.control("Far", 0, 1, kind="angle", home=1)
    rig = gremio.pin(made.rig, "Rod", "Rocker", (2.5, 1.0, 0), (0, 1, 0))
    rocker = part_id(rig, "Rocker")
    ratio = Ratio(control_id(rig, "Far"), f"{rocker} high stop turn z", 1.0)
    tied = replace(rig, links={"k9": ratio})
    for crank in (0.2, 0.5, -0.5):
        pose, plain = gremio.solve(tied, {"Crank": crank}), gremio.solve(rig, {"Crank": crank})
        assert pose.ends(f"{rocker} turn z") == plain.ends(f"{rocker} turn z")
        assert pose.part("Rocker").world == pytest.approx(plain.part("Rocker").world, abs=1e-9)
    assert "led-stop" in [note.code for note in pose.program.faults]


def test_a_led_stop_is_not_typed_over_in_the_ledger() -> None:
    rig = paddle()
    bar = part_id(rig, "Bar")
    rig = led(rig, "Catch", f"{bar} high stop move z")
    with pytest.raises(GremioError, match="Bar high stop is led"):
        with_stop(rig, f"{bar} move z", "High stop", "1 m")
    assert (
        with_stop(rig, f"{bar} move z", "Low stop", "0.1 m").parts[bar].stops["move z"].low == 0.1
    )


def test_a_stop_is_led_by_its_train_whichever_end_of_a_ratio_it_is() -> None:
    """wheel = 2 · stop: the crank turns the wheel, so the stop follows the wheel backwards."""
    made = gremio.Builder("Latch")
    made.part("Wheel", joint="hinge z")
    made.part("Bolt", joint="slide x", stops=(0, 0.5))
    made.control("Crank", 0, 2, unit="rad")
    made.ratio("Crank", "Wheel turn z", 1)
    rig = made.rig
    stop = channel_key(rig, "Bolt high stop")
    rig, _ = add_link(rig, Ratio(stop, channel_key(rig, "Wheel turn z"), 2.0))
    program = compile_rig(rig, geometry_of)
    for crank in (0.4, 1.0, 1.6):
        inputs = {channel_key(rig, "Crank"): crank, channel_key(rig, "Bolt move x"): 0.7}
        pose = evaluate(program, inputs).frame(0)
        assert pose.at(stop) == pytest.approx(crank / 2)
        assert pose.at(channel_key(rig, "Bolt move x")) == pytest.approx(min(0.7, crank / 2))


@pytest.mark.parametrize(("which", "limit"), [("high", 1.0), ("low", -0.4)])
def test_a_led_stop_holds_a_train_of_two_freedoms(which: str, limit: float) -> None:
    """The arm of a planetary set: 3 arm = sun + 2 ring (Willis). What is asked beyond its stop is
    gone toward as far as the arm goes; the other way it is free."""
    made = gremio.Builder("Planetary")
    for name in ("Sun", "Ring", "Arm"):
        stops = ("-9 rad", "9 rad") if name == "Arm" else None
        made.part(name, joint="spin z", stops=stops)
    made.control("Limit", "-9 rad", "9 rad")
    sun, ring, arm = (f"{part_id(made.rig, n)} turn z" for n in ("Sun", "Ring", "Arm"))
    made.rig, _ = add_link(made.rig, Planetary(sun, ring, arm, 2.0))
    made.ratio("Limit", f"Arm {which} stop", 1)
    sign = 1.0 if which == "high" else -1.0
    free = gremio.solve(made.rig, {"Limit": limit, "Sun": -3 * sign, "Ring": -2 * sign})
    assert free.value("Arm") == pytest.approx(-7 * sign / 3) and not free.notes
    held = gremio.solve(made.rig, {"Limit": limit, "Sun": 3 * sign, "Ring": 3 * sign})
    assert held.value("Arm") == pytest.approx(limit)
    assert held.value("Sun") == held.value("Ring") == pytest.approx(limit)
    (note,) = held.notes
    assert f"held by its {which} stop" in note.text
