"""What measurements share: rigs made for them, and the least of many runs."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from scipy.interpolate import PchipInterpolator

from gremio.core.frames import Frame
from gremio.core.rig.model import Cam, Control, Follower, Joint, Part, Ratio, Rig, Station
from gremio.core.solve.evaluate import evaluate_channels

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from gremio.desktop.shell.window import Window

Row = tuple[str, str, str, str, str]
HINGES_A_CONTROL = 100


def best(run: Callable[[], object], times: int) -> float:
    """The least of several durations (s): what the work takes when nothing disturbs it."""
    durations = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        durations.append(time.perf_counter() - start)
    return min(durations)


def against(
    ours: Callable[[], object], theirs: Callable[[], object], times: int
) -> tuple[float, float]:
    """Least durations of both, in turns, so that both meet the same disturbances."""
    mine, other = [], []
    for _ in range(times):
        mine.append(best(ours, 3))
        other.append(best(theirs, 3))
    return min(mine), min(other)


def hinged_tree(count: int) -> Rig:
    """A tree with three children a part; each hinge is led by a control through a ratio."""
    rng = np.random.default_rng(count)
    parts: dict[str, Part] = {}
    links: dict[str, Ratio] = {}
    controls = {
        f"c{i}": Control(f"Control {i}", "angle", "deg", -10.0, 10.0)
        for i in range(-(-count // HINGES_A_CONTROL))
    }
    for index in range(count):
        turn = rng.normal(size=4)
        turn /= np.linalg.norm(turn)
        parent = f"p{(index - 1) // 3}" if index else None
        mount = Frame(tuple(map(float, rng.normal(size=3))), tuple(map(float, turn)))
        parts[f"p{index}"] = Part(f"Part {index}", parent, mount, Joint("hinge", "z"))
        control = f"c{index // HINGES_A_CONTROL}"
        links[f"k{index}"] = Ratio(control, f"p{index} turn z", float(rng.uniform(-2, 2)))
    return Rig(parts=parts, controls=controls, links=links)


def many_cams(count: int, stations: int, led: int) -> tuple[Rig, list[PchipInterpolator]]:
    """A rig of cams, each with a lead and followers of its own, and the same splines."""
    rng = np.random.default_rng(8)
    parts: dict[str, Part] = {}
    links: dict[str, Cam] = {}
    theirs: list[PchipInterpolator] = []
    for i in range(count):
        x = np.cumsum(rng.uniform(0.3, 1.5, stations))
        y = rng.normal(size=(stations, led))
        keys = [f"p{i * led + j} move x" for j in range(led)]
        for key in keys:
            parts[key.split()[0]] = Part(f"Part {key.split()[0]}", joint=Joint("slide", "x"))
        links[f"k{i}"] = Cam(
            f"c{i}",
            tuple(Follower(key) for key in keys),
            tuple(
                Station(float(x[s]), dict(zip(keys, map(float, y[s]), strict=True)))
                for s in range(stations)
            ),
        )
        theirs.append(PchipInterpolator(x, y))
    controls = {f"c{i}": Control(f"Lead {i}", "length", "m", 0.0, 20.0) for i in range(count)}
    return Rig(parts=parts, controls=controls, links=links), theirs


class ChannelsOnly:
    """Runs a program's links without its world frames, which NumPy by hand has none of."""

    def __init__(self, program, inputs) -> None:
        self.program, self.inputs = program, inputs

    def run(self) -> np.ndarray:
        """(C, F) the channels."""
        return evaluate_channels(self.program, self.inputs)[0]


def open_window() -> tuple[QApplication, Window]:
    """A window at the corner of the screen, with an empty rig."""
    from gremio.desktop.shell.app import make_application
    from gremio.desktop.shell.window import Window

    app = make_application()
    window = Window()
    window.move(0, 0)
    window.show()
    return app, window


def resident() -> int:
    """How much memory this process holds now (bytes)."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize()


def rest(seconds: float) -> None:
    """Let a window do what it has to do for so long."""
    from PyQt6.QtWidgets import QApplication

    end = time.perf_counter() + seconds
    while time.perf_counter() < end:
        QApplication.processEvents()
