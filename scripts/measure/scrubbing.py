"""Measurements in the window: scrubbing a keyed routine, and a tread that runs."""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable

import msgspec
from measuring import Row, open_window
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

import gremio
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Repeat, Rig
from gremio.core.rig.solids import Cylinder, Plate
from gremio.desktop.shell.window import Window

shape = gremio.shape
_EVENTS = 150


def main() -> None:
    """Open the window, measure, and print rows."""
    app, window = open_window()
    drawn: list[float] = []
    window.bench.frame_drawn.connect(lambda: drawn.append(time.perf_counter()))

    def rest(seconds: float = 1.5) -> None:
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            app.processEvents()

    def to_frame(event: Callable[[int], object]) -> float:
        """The median time (s) from an event to the frame that it brings."""
        took = []
        for step in range(_EVENTS):
            drawn.clear()
            start = time.perf_counter()
            event(step)
            while not drawn and time.perf_counter() - start < 5:
                QApplication.processEvents()
            assert drawn, "no frame was drawn"
            took.append(drawn[0] - start)
        return statistics.median(took)

    rows = [_scrub(window, rest, to_frame), _tread(window, rest, to_frame)]
    window.document.start(Rig(), None)
    window.close()
    print(json.dumps(rows))


def _keyed(parts: int, channels: int) -> Rig:
    """A rig of hinged parts, as many controls that lead them evenly, and a routine that keys all
    controls."""
    build = gremio.Builder("Many")
    for number in range(parts):
        build.part(f"Part {number}", shape(Plate(length=0.4, width=0.3, thickness=0.05)),
                   at=(0.5 * (number % 40), 0.4 * (number // 40), 0), joint="hinge z")  # fmt: skip
    for control in range(channels):
        build.control(f"Control {control}", 0.0, 1.5, kind="angle")
        for number in range(control, parts, channels):
            build.ratio(f"Control {control}", f"Part {number}", 1)
    rig = gremio.routine(build.rig, "Long", 10)
    for at, value in ((0.0, 0.0), (3.0, 1.2), (7.0, 0.4), (10.0, 1.4)):
        rig = gremio.key(rig, at, {f"Control {i}": value for i in range(channels)})
    return rig


def _scrub(window: Window, rest: Callable, to_frame: Callable) -> Row:
    window.show_rig(_keyed(1_000, 200))
    window.deck.show_page("Routine")
    rest(3.0)
    handle = window.windowHandle()
    instrument = next(iter(window.desk.instruments.values()))

    def swing(step: int) -> float:
        return 0.1 + 0.8 * abs((step / 60) % 2 - 1)

    def on_control(share: float):  # type: ignore[no-untyped-def]
        body = instrument.body()
        at = QPointF(body.left() + share * body.width(), body.center().y())
        return instrument.mapTo(window, at).toPoint()

    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=on_control(0.5))
    plain = to_frame(lambda step: QTest.mouseMove(handle, on_control(swing(step))))
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=on_control(0.5))
    rest()
    lines = window.deck.routine.lines

    def on_ruler(share: float):  # type: ignore[no-untyped-def]
        return lines.mapTo(window, QPointF(lines.x_of(10 * share), 12)).toPoint()

    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=on_ruler(0.5))
    scrub = to_frame(lambda step: QTest.mouseMove(handle, on_ruler(swing(step))))
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=on_ruler(0.5))
    return (
        "(n) a routine of 200 keyed channels scrubbed among 1,000 parts, event to painted frame",
        "a control of the same rig dragged",
        f"{scrub * 1e3:.0f} ms", f"{plain * 1e3:.0f} ms", f"{scrub / plain:.2f} ×",
    )  # fmt: skip


def _wheels() -> Rig:
    build = gremio.Builder("Band")
    for name, x in (("Drive", 0.0), ("Idler", 6.0)):
        build.part(name, shape(Cylinder(diameter=1.2, height=0.3), turned=("90 deg", 0, 0)),
                   at=(x, 0, 1), joint="spin y")  # fmt: skip
    return build.rig


def _tread(window: Window, rest: Callable, to_frame: Callable) -> Row:
    band = gremio.tread(_wheels(), ["Drive", "Idler"], count=200, name="Tread")
    link = part_id(band, "Tread link")
    entry = band.parts[link]
    plain = gremio.Builder("Row")
    plain.rig = _wheels()
    plain.part("Plate", *entry.shapes, repeat=Repeat("line", "x", 200, 0.07))
    plain.control("Shift", -5.0, 5.0, kind="length")
    plain.ratio("Shift", "Plate shift", 1)
    took = []
    for rig, channel in ((band, key(part_id(band, "Drive"), "turn y")),
                         (plain.rig, key(next(iter(plain.rig.controls))))):  # fmt: skip
        window.show_rig(msgspec.structs.replace(rig))
        window.deck.fold(True)
        rest(3.0)
        document = window.document
        took.append(
            to_frame(lambda step, d=document, c=channel: d.move(c, 0.01 * (step + 1), "drag"))
        )
        document.settle()
    mine, other = took
    return (
        "(n) a tread of 200 links that runs, event to painted frame",
        "the same parts in a plain repeat that is shifted",
        f"{mine * 1e3:.1f} ms", f"{other * 1e3:.1f} ms", f"{mine / other:.2f} ×",
    )  # fmt: skip


if __name__ == "__main__":
    main()
