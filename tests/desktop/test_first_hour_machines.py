"""Whole machines of one's own, from an empty rig: acts counted, motion checked by closed forms.

The counts to beat were taken before joints could be picked, parts chosen together, and cogs and
cylinders brought in be understood.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import Qt
from tests.desktop.counting import Counting, bar, box, cog, eye, scene
from tests.desktop.hand import SHIFT

from gremio.core.inspect.findings import inspect
from gremio.core.make.vertices import world_vertices
from gremio.core.rig.find import part_id
from gremio.core.solve.repeats import copies

ENTER = Qt.Key.Key_Return


def joined(*pieces: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.util.concatenate(pieces)


def spun(own: Counting, name: str) -> float:
    """How far a part is turned about its joint, as seen along the world's axis."""
    document = own.window.document
    part = part_id(document.rig, name)
    axis = own.mount(part)[:3, "xyz".index(document.rig.parts[part].joint.axis)]
    return own.value(name) * math.copysign(1.0, float(axis[int(np.argmax(np.abs(axis)))]))


def test_a_going_train(own: Counting, tmp_path: Path) -> None:
    """Wheels of 64 and 60 teeth, pinions of 8 that sit on the arbors of the next: 60 to one."""
    m = 0.001
    one, two = m * 36.1, m * 34.1
    file = scene(
        tmp_path / "clock.glb",
        Centre_wheel=cog(64, m, (0, 0, 0), 0.002),
        Third_wheel=cog(60, m, (one, 0, 0.006), 0.002),
        Third_pinion=cog(8, m, (one, 0, -0.001), 0.006),
        Fourth_wheel=cog(56, m, (one, two, 0.012), 0.002),
        Fourth_pinion=cog(8, m, (one, two, 0.005), 0.006),
    )
    own.act_bring_in(file)
    own.act_rows("Centre wheel", "Third wheel", "Fourth wheel")
    own.act_choose("Joint", "Spin")
    own.act_mount("Third wheel", "Third pinion")
    own.act_mount("Fourth wheel", "Fourth pinion")
    for lead, follower in (("Centre wheel", "Third pinion"), ("Third wheel", "Fourth pinion")):
        own.act_row(lead)
        own.window.bench.setFocus()
        own.act_key("l")
        own.act_row(follower)
        own.act_key(ENTER)
    own.act_row("Centre wheel")
    own.window.bench.setFocus()
    own.act_key("c")
    document = own.window.document
    (control,) = document.rig.controls
    document.move(control, 0.1)
    assert abs(own.value("Centre wheel")) == pytest.approx(0.1)
    assert spun(own, "Third wheel") == pytest.approx(-spun(own, "Centre wheel") * 64 / 8)
    assert spun(own, "Fourth wheel") == pytest.approx(spun(own, "Centre wheel") * 60)
    # The pinions are still on their arbors.
    for name in ("Third", "Fourth"):
        wheel, pinion = (
            document.pose.world(part_id(document.rig, f"{name} {w}"))[:2, 3]
            for w in ("wheel", "pinion")
        )
        assert wheel == pytest.approx(pinion, abs=1e-9)
    print("clock", own.acts)
    assert own.acts <= 22, own.acts


THROW, LONG = 2.0, 7.0
INCH = 0.0254


def engine(folder: Path) -> Path:
    """A crank of 2 in throw, a rod of 7 in between its eyes, a piston of 4 in, a flywheel; in
    inches, along y."""
    return scene(
        folder / "engine.glb",
        Block=joined(box((10, 0.6, 3), (0, -4.2, 3.5)), eye((0, -4.2, 6), 0.8, 2.0, 0.6)),
        Crank=joined(
            bar(0.75, 6.0, (0, -4.0, 6), "y"), box((1.4, 0.6, 3.4), (0, -0.9, 7)),
            bar(0.6, 2.0, (0, 0.3, 6 + THROW), "y"),
        ),
        Flywheel=eye((0, -6.5, 6), 0.75, 5.0, 1.0),
        Rod=joined(
            eye((0, 0.4, 6 + THROW), 0.62, 1.0, 0.7),
            eye((0, 0.4, 6 + THROW + LONG), 0.3, 0.7, 0.7),
            box((0.6, 0.5, LONG - 1.9), (0, 0.4, 6 + THROW + LONG / 2 + 0.1)),
        ),
        Piston=joined(
            bar(2.0, 1.6, (0, 0.4, 17.0), "z"), eye((-0.0, 1.6, 15), 0.3, 0.7, 0.3),
            box((0.3, 0.3, 1.5), (0, 1.6, 16)),
        ),
    )  # fmt: skip


def test_an_engine_in_inches(own: Counting, tmp_path: Path) -> None:
    own.act_bring_in(engine(tmp_path), "inches")
    document = own.window.document

    def inches(x: float, y: float, z: float) -> tuple[float, float, float]:
        """In a part's own frame, whose axes are those of the file."""
        return z * INCH, x * INCH, y * INCH

    own.act_row("Crank")
    own.act_choose("Joint", "Spin")
    own.act_key(Qt.Key.Key_A, SHIFT)
    own.act_on("Flywheel", inches(0, -6.0, 11))
    own.act_mount("Crank", "Flywheel")
    own.act_row("Piston")
    own.act_choose("Joint", "Slide")
    own.act_choose("Axis", "along z")
    own.act_mount("Crank", "Rod")
    own.act_row("Rod")
    own.act_choose("Joint", "Hinge")
    own.act_key(Qt.Key.Key_A, SHIFT)
    own.act_on("Rod", inches(0, 0.75, 6 + THROW - 1.0))
    own.act_key("p")
    own.act_on("Rod", inches(0.0, 0.75, 6 + THROW + LONG + 0.7))
    own.act_on("Piston", inches(0.5, 1.75, 15))
    own.window.grab().save("/tmp/look/engine.png")
    own.act_row("Crank")
    own.window.bench.setFocus()
    own.act_key("c")
    (control,) = document.rig.controls
    for turn in (0.3, 1.2, 2.9, -2.0):
        document.move(control, turn)
        # Slider-crank: x = r cos a + sqrt(l² − r² sin² a).
        height = THROW * math.cos(turn) + math.sqrt(LONG**2 - (THROW * math.sin(turn)) ** 2)
        down = THROW + LONG - height
        assert own.value("Piston") / INCH == pytest.approx(-down, abs=1e-6)
        assert abs(own.value("Crank")) == pytest.approx(abs(turn))
    print("engine", own.acts)
    assert own.acts <= 120 / 3, own.acts


def safe(folder: Path) -> Path:
    """A safe in inches, its door toward y with a wheel, a dial and four bolts."""
    pieces = {
        "Body": joined(box((24, 20, 2), (0, 0, 1)), box((24, 20, 2), (0, 0, 31)),
                       box((2, 20, 28), (-11, 0, 16)), box((2, 20, 28), (11, 0, 16)),
                       box((24, 2, 28), (0, -9, 16))),
        "Door": box((19.8, 1.6, 27.8), (0, 9.0, 16)),
        "Wheel": eye((0, 11.0, 16), 3.0, 3.6, 0.6),
        "Dial": bar(1.5, 1.0, (-5, 10.5, 20), "y"),
    }  # fmt: skip
    for number, (x, z) in enumerate(((8.4, 8), (8.4, 24), (-8.4, 8), (-8.4, 24)), 1):
        pieces[f"Bolt_{number}"] = bar(0.5, 2.6, (x, 8.6, z), "x")
    return scene(folder / "safe.glb", **pieces)


def test_a_safe_in_inches(own: Counting, tmp_path: Path) -> None:
    own.act_bring_in(safe(tmp_path), "inches")
    document = own.window.document
    bolts = [f"Bolt {number}" for number in range(1, 5)]
    own.act_mount("Door", "Wheel", "Dial", *bolts)
    own.act_row("Door")
    own.act_choose("Joint", "Hinge")
    own.act_key(Qt.Key.Key_A, SHIFT)
    own.act_on("Door", (16 * INCH, 9.9 * INCH, 9.8 * INCH))
    own.act_field("High stop", "0")
    own.act_field("Low stop", "-110")
    own.act_key("c")
    own.act_rows("Dial", "Wheel")
    own.act_choose("Joint", "Spin")
    own.act_row("Wheel")
    own.act_field("Low stop", "0")
    own.act_field("High stop", "90")
    own.act_key("c")
    own.act_rows(*bolts)
    own.act_choose("Joint", "Slide")
    own.act_field("Low stop", "0")
    own.act_field("High stop", "1.5 in")
    own.acts += 1
    own.pick("Led by", document.rig.controls[list(document.rig.controls)[1]].name)
    wheel = list(document.rig.controls)[1]
    before = {name: document.pose.world(part_id(document.rig, name))[:3, 3] for name in bolts}
    document.move(wheel, math.radians(60))
    for name, sign in zip(bolts, (1, 1, -1, -1), strict=True):
        gone = document.pose.world(part_id(document.rig, name))[:3, 3] - before[name]
        # Outward, each on its own side.
        assert gone / INCH == pytest.approx([sign, 0, 0], abs=1e-6), name
    print("safe", own.acts)
    assert own.acts <= 150 / 3, own.acts


# Where the pins of the excavator are, in its plane (x, z), m.
PINS = {
    "boom": (0.6, 1.5), "stick": (3.0, 2.8), "bucket": (3.6, 1.0),
    "boom low": (0.95, 1.0), "boom high": (1.9, 1.95),
    "stick low": (1.5, 2.6), "stick high": (2.7, 3.3),
    "bucket low": (3.45, 2.4), "bucket high": (3.95, 1.05),
}  # fmt: skip


def at_pin(name: str, y: float = 0.0) -> np.ndarray:
    x, z = PINS[name]
    return np.array([x, y, z])


def beam(one: np.ndarray, two: np.ndarray, radius: float) -> trimesh.Trimesh:
    return trimesh.creation.cylinder(radius, segment=[one, two], sections=24)


def lug(pin: str, wide: float) -> trimesh.Trimesh:
    x, y, z = at_pin(pin)
    return eye((x, y, z), 0.03, 0.09, wide)


def ram(name: str) -> tuple[trimesh.Trimesh, trimesh.Trimesh]:
    """A barrel and a rod between two pins, each with its eye."""
    low, high = at_pin(f"{name} low"), at_pin(f"{name} high")
    way = high - low
    barrel = joined(beam(low + 0.08 * way, low + 0.62 * way, 0.06), lug(f"{name} low", 0.06))
    rod = joined(beam(low + 0.3 * way, high - 0.08 * way, 0.03), lug(f"{name} high", 0.06))
    return barrel, rod


def excavator(folder: Path) -> Path:
    pieces = {
        "Under": joined(box((2.4, 1.8, 0.6), (0, 0, 0.3)), eye((0, 0, 0.64), 0.4, 0.6, 0.08, "z")),
        "House": joined(box((1.5, 1.4, 0.7), (-0.5, 0, 1.1)), lug("boom", 0.5),
                        box((0.5, 0.3, 0.3), (0.4, 0, 1.2)), lug("boom low", 0.3)),
        "Boom": joined(beam(at_pin("boom"), at_pin("stick"), 0.07), lug("boom", 0.3),
                       lug("stick", 0.2), lug("boom high", 0.3), lug("stick low", 0.3)),
        "Stick": joined(beam(at_pin("stick high"), at_pin("bucket"), 0.06), lug("stick", 0.4),
                        lug("bucket", 0.2), lug("stick high", 0.2), lug("bucket low", 0.2)),
        "Bucket": joined(box((0.5, 0.7, 0.5), (3.75, 0, 0.65)), lug("bucket", 0.4),
                         lug("bucket high", 0.3)),
    }  # fmt: skip
    for name in ("boom", "stick", "bucket"):
        barrel, rod = ram(name)
        pieces[f"{name}_barrel"], pieces[f"{name}_rod"] = barrel, rod
    return scene(folder / "excavator.glb", **pieces)


def test_an_excavator(own: Counting, tmp_path: Path) -> None:
    own.act_bring_in(excavator(tmp_path))
    document = own.window.document

    def file(x: float, y: float, z: float) -> tuple[float, float, float]:
        return z, x, y

    for on, name in (("House", "Boom"), ("Boom", "Stick"), ("Stick", "Bucket")):
        own.act_mount(on, name)
    own.act_row("House")
    own.act_choose("Joint", "Spin")
    own.act_key(Qt.Key.Key_A, SHIFT)
    own.act_on("Under", file(0.42, 0.42, 0.68))
    own.act_rows("Boom", "Stick", "Bucket")
    own.act_choose("Joint", "Hinge")
    for name, pin, side in (("Boom", "boom", 0.25), ("Stick", "stick", 0.2),
                            ("Bucket", "bucket", 0.2)):  # fmt: skip
        own.act_row(name)
        own.act_key(Qt.Key.Key_A, SHIFT)
        x, z = PINS[pin]
        own.act_on("House" if name == "Boom" else name, file(x, side, z + 0.09))
    for name, low, high in (("Boom", "-20", "10"), ("Stick", "-15", "15"), ("Bucket", "-20", "20")):
        own.act_row(name)
        own.act_field("Low stop", low)
        own.act_field("High stop", high)
        own.act_key("c")
    own.act_row("House")
    own.act_key("c")
    for name in ("boom", "stick", "bucket"):
        own.act_rows(f"{name} barrel", f"{name} rod")
        own.act_do("Cylinder")
    for strut in document.rig.struts.values():
        assert document.rig.parts[strut.barrel].name.endswith("barrel")
    assert len(document.rig.struts) == 3
    for values in ((0.1, -0.2, 0.2, 1.0), (-0.3, 0.2, -0.3, -2.0)):
        for control, value in zip(document.rig.controls, values, strict=True):
            document.move(control, value)
        pose = document.pose
        assert not pose.notes
        for strut in document.rig.struts.values():
            closure = document.rig.closures[strut.closure]
            one = pose.world(closure.one) @ [*closure.at_one, 1.0]
            two = pose.world(closure.two) @ [*closure.at_two, 1.0]
            assert one == pytest.approx(two, abs=1e-9)
            assert pose.world(strut.rod)[:3, 0] == pytest.approx(
                pose.world(strut.barrel)[:3, 0], abs=1e-9
            )
    print("excavator", own.acts)
    assert own.acts <= 62, own.acts


def test_a_car_in_millimetres(own: Counting, tmp_path: Path) -> None:
    """Four wheels that roll and steer, two doors and a lid that open, carried along."""
    pieces = {
        "Body": joined(
            box((4200, 1700, 500), (0, 0, 600)), box((2000, 1600, 600), (-200, 0, 1150))
        ),
        "Left_door": box((1000, 40, 900), (0, 870, 800)),
        "Right_door": box((1000, 40, 900), (0, -870, 800)),
        "Bonnet": box((1100, 1500, 40), (1500, 0, 880)),
    }
    for name, x, y in (("FL", 1350, 750), ("FR", 1350, -750), ("RL", -1350, 750),
                       ("RR", -1350, -750)):  # fmt: skip
        pieces[name] = bar(310, 200, (x, y * 1.22, 310), "y")
    own.act_bring_in(scene(tmp_path / "car.glb", **pieces), "millimetres")
    document = own.window.document
    own.act_mount("Body", "Left door", "Right door", "Bonnet")
    own.act_row("Body")
    own.acts += 3  # Ctrl K, the words, Enter
    own.window.act("gear.carriage")
    own.rest(60)
    for name in ("FL", "FR", "RL", "RR"):
        box_ = own.named(f"{name} is a wheel")
        if not box_.isChecked():
            own.act_click(box_)
    for name in ("FL", "FR"):
        own.act_click(own.named(f"{name} steers"))
    own.act_do("Make the carriage")
    for name, edge, low, high in (
        ("Left door", (500, 890, 800), "0", "70"), ("Right door", (500, -850, 1250), "-70", "0"),
        ("Bonnet", (950, 300, 900), "-60", "0"),
    ):  # fmt: skip
        own.act_row(name)
        own.act_choose("Joint", "Hinge")
        own.act_key(Qt.Key.Key_A, SHIFT)
        x, y, z = (value / 1000 for value in edge)
        own.act_on(name, (z, x, y))
        own.act_field("Low stop", low)
        own.act_field("High stop", high)
        own.act_key("c")
    print("car", own.acts)
    controls = {entry.name: i for i, entry in document.rig.controls.items()}
    travel = next(i for name, i in controls.items() if "travel" in name)
    steering = next(i for name, i in controls.items() if "steer" in name)
    # Nothing but what moves is told of: the wheels measure what they roll on.
    assert [f.note.text for f in inspect(document.rig, geometry=document.geometry)] == []
    document.move(travel, 2.0)
    assert document.pose.world(part_id(document.rig, "Body"))[0, 3] == pytest.approx(2.0, abs=1e-6)
    for name in ("FL", "RR"):
        corners = world_vertices(document.rig, document.pose, part_id(document.rig, name),
                                 document.geometry)  # fmt: skip
        assert np.ptp(corners, axis=0) == pytest.approx([0.62, 0.2, 0.62], abs=2e-3), "upright"
        turned = next(document.pose.at(c) for c in document.channels_of(part_id(document.rig, name))
                      if c.endswith("turn y"))  # fmt: skip
        assert turned == pytest.approx(2.0 / 0.31, rel=2e-3)
    document.move(steering, math.radians(20))
    assert own.acts <= 201 / 3, own.acts


def test_a_fence_of_repeats(own: Counting, tmp_path: Path) -> None:
    """A post eight times, a panel in each gap, a cap on every post, whatever the count becomes."""
    file = scene(
        tmp_path / "fence.glb",
        Post=box((0.1, 0.1, 1.2), (-3, 0, 0.6)),
        Panel=box((0.9, 0.04, 0.8), (2, 1.0, 0.7)),
        Cap=box((0.16, 0.16, 0.06), (-3, 0, 1.23)),
    )
    own.act_bring_in(file)
    document = own.window.document
    own.act_row("Post")
    own.act_click(own.named("Section Shown and repeated"))
    own.act_choose("Repeat along", "line")
    own.act_field("Post count", "8")
    own.act_field("Post pitch", "0.9")
    own.act_rows("Post", "Panel")
    own.act_do("Midway between")
    own.act_rows("Post", "Cap")
    own.act_do("Keep in step")
    own.act_row("Post")
    own.act_field("Post count", "5")
    pose = document.pose

    def places(name: str) -> np.ndarray:
        part = part_id(document.rig, name)
        middle = world_vertices(document.rig, pose, part, document.geometry)
        middle = (middle.min(axis=0) + middle.max(axis=0)) / 2
        return np.array([(move @ [*middle, 1.0])[:3] for move in copies(pose, part)])

    posts, panels, caps = (places(name) for name in ("Post", "Panel", "Cap"))
    assert (len(posts), len(panels), len(caps)) == (5, 4, 5)
    assert panels[:, 0] == pytest.approx((posts[:-1, 0] + posts[1:, 0]) / 2, abs=1e-6)
    assert caps[:, :2] == pytest.approx(posts[:, :2], abs=1e-6)
    print("repeats", own.acts)
    assert own.acts <= 61 / 2, own.acts
