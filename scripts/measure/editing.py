"""What an edit costs in the whole window: from the hand to the painted frame, less the painting."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from functools import partial

from measuring import Row, best, hinged_tree, many_cams
from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication

from gremio.core.edit.cams import change_station
from gremio.core.edit.constraints import add_constraint
from gremio.core.edit.controls import add_control
from gremio.core.edit.formulas import write
from gremio.core.edit.links import add_link, change_link, remove_link
from gremio.core.edit.parts import (
    add_part,
    change_part,
    remove_part,
    rename_part,
    set_joint,
    set_stops,
)
from gremio.core.files.rig_file import encode
from gremio.core.frames import Frame
from gremio.core.rig.channels import MOVES, key, main_channel
from gremio.core.rig.model import (
    Cam,
    Control,
    Follower,
    Joint,
    Part,
    Pin,
    Ratio,
    Rig,
    Station,
    Stops,
    Target,
)
from gremio.demo import saltmarsh

TIMES = 2


def rigs() -> dict[str, Rig]:
    """What is edited, by name; each with a part, a control, a ratio and a cam of its own."""
    found = {
        "on the demo": saltmarsh.saltmarsh_lock(),
        "among 1,000 cams": many_cams(1_000, 8, 5)[0],
        "among 10,000 links": hinged_tree(10_000),
    }
    return {name: _with_more(rig) for name, rig in found.items()}


def _with_more(rig: Rig) -> Rig:
    made = []
    for name in ("Edited", "Turned", "Cammed", "Free", "Spare"):
        joint = Joint("free") if name == "Spare" else Joint("hinge", "z")
        rig, part = add_part(rig, Part(name, joint=joint))
        made.append(part)
    rig, control = add_control(rig, Control("Edited lead", "angle", "deg", -2.0, 2.0))
    turned, cammed = key(made[1], "turn z"), key(made[2], "turn z")
    rig, _ = add_link(rig, Ratio(key(control), turned, 0.5))
    stations = tuple(Station(float(i), {cammed: float(i)}) for i in range(-1, 3))
    return add_link(rig, Cam(key(control), (Follower(cammed),), stations))[0]


class Edits:
    """One edit of each kind, on what is newest in a rig."""

    def __init__(self, rig: Rig) -> None:
        names = {part.name: i for i, part in rig.parts.items()}
        self.part, self.free, self.spare = (names[n] for n in ("Edited", "Free", "Spare"))
        *_, self.ratio, self.cam = rig.links
        self.control = key(next(i for i, c in rig.controls.items() if c.name == "Edited lead"))
        self.count = 0

    def every(self) -> dict[str, Callable[[Rig], Rig]]:
        """By name."""
        return {
            "rename": lambda r: rename_part(r, self.part, f"Named {self._next()}"),
            "stop": lambda r: set_stops(r, self.part, "turn z", Stops(-1 - self._next() / 1e3)),
            "mount": lambda r: self._mounted(r),
            "joint": lambda r: set_joint(r, self.free, Joint("hinge", "xy"[self._next() % 2])),
            "station": lambda r: self._station(r),
            "ratio": lambda r: change_link(
                r, self.ratio, replace(r.links[self.ratio], ratio=self._next() / 7)
            ),
            "formula": lambda r: write(r, self._channel(r), f"{self._next()} deg")[0],
            "constraint": lambda r: add_constraint(
                r, Pin(f"Tie {self._next()}", self.spare, MOVES,
                       targets=(Target(self.part),)),
            )[0],
            "add a part": lambda r: add_part(r, Part(f"New {self._next()}"))[0],
            "add a link": lambda r: add_link(r, Ratio(self.control, self._channel(r), 0.5))[0],
            "remove a link": lambda r: remove_link(r, self.ratio),
            "remove a part": lambda r: remove_part(r, self.free),
        }  # fmt: skip

    def _next(self) -> int:
        self.count += 1
        return self.count

    def _channel(self, rig: Rig):  # type: ignore[no-untyped-def]
        return key(self.free, main_channel(rig.parts[self.free].joint))

    def _mounted(self, rig: Rig) -> Rig:
        mount = Frame((self._next() / 50, 0.0, 0.0))
        return change_part(rig, self.part, replace(rig.parts[self.part], mount=mount))

    def _station(self, rig: Rig) -> Rig:
        station = rig.links[self.cam].stations[1]
        moved = replace(station, values={c: v + 1e-3 for c, v in station.values.items()})
        return change_station(rig, self.cam, 1, moved)


def editing() -> list[Row]:
    """(m) each edit, its undoing and doing again, in the window; processor time of the window's
    own thread, less what painting the Bench took of it."""
    from gremio.desktop.bench.canvas import Canvas
    from gremio.desktop.bench.overlay import Overlay
    from gremio.desktop.shell.app import leave_alone_when_opened, make_application
    from gremio.desktop.shell.window import Window

    app = make_application()
    painting = 0.0

    def counted(owner: type, name: str) -> None:
        run = getattr(owner, name)

        def measured(self, *args):  # type: ignore[no-untyped-def]
            nonlocal painting
            start = time.thread_time()
            try:
                return run(self, *args)
            finally:
                painting += time.thread_time() - start

        setattr(owner, name, measured)

    counted(Canvas, "paintGL")
    counted(Overlay, "paintEvent")
    rows: list[Row] = []
    for where, rig in rigs().items():
        window = Window()
        leave_alone_when_opened(window)
        window.move(0, 0)
        window.show()
        window.show_rig(rig)
        document, drawn, said = window.document, [0.0], []
        document.said.connect(said.append)
        window.bench.frame_drawn.connect(lambda drawn=drawn: drawn.append(time.thread_time()))

        def rest(document=document) -> None:  # type: ignore[no-untyped-def]
            end = time.perf_counter() + 30
            while not document.looking.judged and time.perf_counter() < end:
                app.processEvents()
            end = time.perf_counter() + 0.25
            while time.perf_counter() < end:
                app.processEvents()

        def cost(do: Callable[[], object], drawn=drawn, said=said) -> float:  # type: ignore[no-untyped-def]
            nonlocal painting
            rest()
            drawn.clear()
            painting, start = 0.0, time.thread_time()
            assert do() is not False, said
            while not drawn:
                QApplication.processEvents()
                assert time.thread_time() - start < 20, "nothing was drawn"
            return 1e3 * (drawn[0] - start - painting)

        edits, took = Edits(rig), {}
        for name, change in edits.every().items():
            ways: tuple[list[float], list[float], list[float]] = ([], [], [])
            for _ in range(TIMES):
                ways[0].append(cost(partial(document.edit, name, change)))
                ways[1].append(cost(document.undo))
                ways[2].append(cost(document.redo))
                document.undo()
            took[name] = tuple(map(min, ways))
        text = encode(rig)
        parse = 1e3 * best(lambda text=text: json.loads(text), 5)
        told = ", ".join(f"{name} {max(ways):.0f}" for name, ways in took.items())
        worst = max(max(ways) for ways in took.values())
        rows.append((
            f"(m) an edit {where}, or its undoing or doing again, from the hand to the painted "
            f"frame less the painting, processor time in ms: {told}",
            "`json.loads` of the rig's file", f"{worst:.0f} ms at most", f"{parse:.1f} ms",
            f"{worst / parse:.2f} ×",
        ))  # fmt: skip
        document.start(Rig(), None)
        window.close()
    return rows


if __name__ == "__main__":
    print(json.dumps(editing()))
