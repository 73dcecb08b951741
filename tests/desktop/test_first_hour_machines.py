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

from gremio.core.rig.find import part_id

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
