"""Makes the pictures in docs/screenshots from the demo data. Needs a screen of 1280 × 800
(make screenshots gives it a virtual one)."""

from __future__ import annotations

import math
import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
import trimesh
from own_cogs import write_own_cogs
from PyQt6.QtWidgets import QComboBox
from tide_board import write_tide_board

import gremio
from gremio.core.edit.controls import change_control
from gremio.core.edit.desk import make_into
from gremio.core.edit.parts import set_stops
from gremio.core.make.several import with_joints
from gremio.core.rig.find import channel_key, constraint_id, control_id, part_id
from gremio.core.rig.model import ControlMake, Joint, Rolling, Stops
from gremio.demo import KEPT, KITS
from gremio.desktop.bench.camera import framed, orbited
from gremio.desktop.bench.scene import corners_of

if TYPE_CHECKING:
    from gremio.desktop.shell.window import Window

OUT = Path(__file__).parent.parent / "docs" / "screenshots"


def main() -> None:
    """Open the window, bring it into each state, and keep a picture of it."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_STATE_HOME"] = folder
        _take_all(Path(folder))


def _take_all(folder: Path) -> None:
    from gremio.desktop.shell.app import make_application
    from gremio.desktop.shell.window import Window

    app = make_application()
    window = Window()
    window.move(0, 0)

    def settle(seconds: float = 0.6) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            app.processEvents()
            time.sleep(0.005)

    def take(name: str) -> None:
        window.message.hide()
        settle()
        while not window.document.looking.judged or window.document.timing.behind:
            settle(0.1)
        settle(0.2)
        app.primaryScreen().grabWindow(0).save(str(OUT / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    window.show()
    window.open_demo()
    settle()
    document = window.document
    gates = channel_key(document.rig, "Upper gates")
    windlass = channel_key(document.rig, "Paddle windlass")
    document.move(gates, math.radians(30))
    document.move(windlass, 2 * math.pi * 4.5)
    document.move(gates, math.radians(46))
    document.select(part_id(document.rig, "Upper gate, east"))
    window.deck.show_page("Cam")
    window.bench.show_all()
    take("main-day")
    window.switch_inks()
    window.deck.fold(True)
    look_at(window, "Crane base", "Crane post", "Crane jib", "Grab head", "Shell, left")
    document.select(constraint_id(document.rig, "Grab carrier match"))
    take("main-night")
    window.switch_inks()
    window.deck.fold(False)
    document.select(part_id(document.rig, "Upper gate, east"))
    window.bench.show_selected()
    _take_links(window, take, settle)
    _take_cabin(window, take, settle)
    _take_works(window, take)
    window.bench.show_all()

    model = folder / "tide-board.glb"
    write_tide_board(model)
    document.start(gremio.Rig(), None)
    window.files.bring_in_path(model)
    window.bench.set_textured(True)
    take("bring-in")
    _take_later_model(window, model, take)
    window.bench.set_textured(False)
    _take_kits(window, take, settle)
    _take_own_cogs(window, folder / "spare-train.glb", take)
    document.start(gremio.Rig(), None)
    window.close()


def _take_later_model(window: Window, model: Path, take: Callable[[str], None]) -> None:
    """What a later model of the tide board has otherwise."""
    window.files.accept_model()
    scene = trimesh.load(model)
    scene.geometry["Tide board"].apply_scale([1.0, 1.1, 1.0])
    lower = trimesh.transformations.translation_matrix([0.0, 0.25, 0.0])
    scene.graph.update("Shutter", "world", geometry="Shutter", matrix=lower)
    scene.graph.transforms.remove_node("Lamp glass")
    scene.delete_geometry("Lamp glass")
    scene.add_geometry(trimesh.creation.box((1.6, 0.08, 0.3), transform=(
        trimesh.transformations.translation_matrix([0.0, 2.72, 0.0]))), node_name="Roof",
        geom_name="Roof")  # fmt: skip
    later = model.with_name("tide-board-2.glb")
    later.write_bytes(scene.export(file_type="glb"))
    window.deck.fold(True)
    window.files.take_up_path(next(iter(window.document.rig.sources)), later)
    window.bench.show_all()
    take("revised")
    window.card.leave()
    window.deck.fold(False)


def _take_kits(
    window: Window, take: Callable[[str], None], settle: Callable[[float], None]
) -> None:
    """The page of kits, and a door that is about to be put in; then the rig against another."""
    window.show_rig(gremio.load(KEPT))
    document = window.document
    window.act("edit.put kit")
    settle(8.0)
    window.kits.put(KITS / "door.gremio")
    hut = part_id(document.rig, "Cabin")
    sheet = window.card.making
    sheet._take_place(hut, document.pose.frame_of(hut)[:3, 3])
    look_at(window, "Cabin", "Signal mast", "Tool chest")
    take("kits")
    window.card.leave()
    before = document.rig
    document.edit("otherwise", _otherwise)
    window.deck.fold(True)
    window.files.taking.of_rig("saltmarsh-before.gremio", before)
    look_at(window, "Upper gate, east", "Upper gate, west")
    take("compared")
    window.card.leave()
    window.deck.fold(False)


def _otherwise(rig: gremio.Rig) -> gremio.Rig:
    """The lock as somebody else has left it."""
    rig = gremio.set_range(rig, "Upper gates", 0.0, math.radians(70))
    rig = gremio.rename(rig, "Tool chest", "Stores chest")
    rig = set_stops(rig, part_id(rig, "Paddle, east"), "move z", Stops(0.0, 0.62))
    b = gremio.Builder(rig.name)
    b.rig = rig
    b.part("Life ring", gremio.Tube(0.7, 0.5, 0.1), at=(2, -2, 1))
    return b.rig


def _take_own_cogs(window: Window, model: Path, take: Callable[[str], None]) -> None:
    """A ratio proposed by the teeth counted on a model."""
    write_own_cogs(model)
    window.show_rig(gremio.Rig(name="Spare train"))
    window.files.bring_in_path(model)
    window.files.accept_model()
    document = window.document
    document.choose(document.rig.parts)
    pose, geometry = document.pose, document.geometry
    parts = document.chosen_parts
    document.edit("joints", lambda rig: with_joints(rig, parts, Joint("spin", "z"), pose,
                                                    geometry=geometry))  # fmt: skip
    ends = [part_id(document.rig, name) for name in ("Spare pinion", "Spare wheel")]
    window.card.propose_ratio(*ends)
    window.card.making.accept()
    document.select(ends[1])
    window.deck.fold(True)
    window.bench.camera = orbited(window.bench.camera, 150.0, 30.0)
    window.bench.show_all()
    window.card.propose_ratio(ends[1], part_id(document.rig, "Spare idler"))
    take("own-cogs")
    window.card.leave()


def look_at(window: Window, *names: str) -> None:
    """Bring some parts, and nothing else, into the picture."""
    bench, document = window.bench, window.document
    rows = {document.program.part_row[part_id(document.rig, name)] for name in names}
    corners = corners_of(bench.scene(), bench.pose, rows)
    bench.camera = framed(bench.camera, bench.logical_size(), corners)
    bench._refresh()


def _take_cabin(window: Window, take: Callable[[str], None], settle: Callable[[], None]) -> None:
    """The Cam page, teaching, every kind of control, faces in the Bench."""
    document, bench = window.document, window.bench

    def at(name: str, value: float) -> str:
        control = control_id(document.rig, name)
        document.move(control, value)
        return control

    look_at(window, "Cabin", "Signal arm", "Signal mast", "Tool chest")
    at("Open tool chest", 0.85)
    at("Signal", 2.3)
    at("Open cabin door", 0.6)
    document.select(control_id(document.rig, "Open tool chest"))
    window.deck.cam.together = True
    take("cam-page")
    look_at(window, "Cabin", "Tool chest", "Cabin door")
    document.select(control_id(document.rig, "Open cabin door"))
    window.act("link.teach")
    settle()
    document.move(channel_key(document.rig, "Cabin door"), math.radians(74))
    document.move(channel_key(document.rig, "Door latch"), -0.03)
    document.select(part_id(document.rig, "Cabin door"))
    bench.show_faces(False)
    take("teaching")
    bench.show_faces(True)
    document.teaching.drop()
    window.act("link.teach")
    settle()
    whole = document.rig
    kinds: dict[str, ControlMake] = {
        "Paddle windlass": "dial", "Ring slip": "lever", "Louvres": "switch",
        "Inspection trolley steering": "pad",
    }  # fmt: skip
    for name, make in kinds.items():
        control = control_id(document.rig, name)
        document.edit("kind", lambda rig, c=control, m=make: make_into(rig, c, m))
    slip = control_id(document.rig, "Ring slip")
    sprung = msgspec.structs.replace(document.rig.controls[slip], springs=True)
    document.edit("spring", lambda rig: change_control(rig, slip, sprung))
    louvres = control_id(document.rig, "Louvres")
    named = msgspec.structs.replace(
        document.rig.controls[louvres],
        notches=(0.0, math.radians(30), math.radians(75)), positions=("Shut", "Half", "Open"),
    )  # fmt: skip
    document.edit("positions", lambda rig: change_control(rig, louvres, named))
    window.desk.folded |= {"Gates", "Cabin", "Chest"}
    window.desk.poses.keep_as("Shut for the night")
    at("Paddle windlass", 2 * math.pi * 2.3)
    document.move(louvres, math.radians(30))
    window.desk.poses.keep_as("Boat through")
    document.select(slip)
    look_at(window, "Winch frame", "Inspection trolley", "Pump house", "Winch sun")
    window.desk.parentWidget().setSizes([640, 80])
    settle()
    window.desk.area.verticalScrollBar().setValue(0)
    take("desk")
    window.desk.parentWidget().setSizes([548, 216])
    window.desk.folded = set()
    document.edit("back", lambda _rig: whole)
    window.fold_deck()
    settle()
    look_at(window, "Cabin", "Signal arm", "Signal mast", "Tool chest", "Chest lid")
    document.select(control_id(document.rig, "Open tool chest"))
    take("faces")
    window.fold_deck()
    window.deck.cam.together = False
    bench.show_all()


def _take_works(window: Window, take: Callable[[str], None]) -> None:
    """Closed linkages: a bridge on struts, an engine, a lift, and a reach that ends."""
    document, bench = window.document, window.bench

    document.move(control_id(document.rig, "Bridge"), math.radians(43))
    look_at(window, "Bridge pier", "Bridge leaf")
    document.select(next(iter(document.rig.struts)))
    take("struts")
    # A twin of the lift is asked for, and seen as a ghost.
    document.move(control_id(document.rig, "Lift"), 0.5)
    document.select(part_id(document.rig, "Lift base"))
    window.deck.fold(True)
    window.card.mirror()
    sheet = window.card.making
    for box in sheet.findChildren(QComboBox):
        if box.accessibleName() == "Across which axis":
            box.setCurrentText("x, before and behind")
            box.textActivated.emit(box.currentText())
    sheet.at.set_value(8.4)
    sheet.at.committed.emit(8.4)
    ghost = bench.overlay.drawn.ghosts[-1].reshape(-1, 3)
    both = np.concatenate([ghost, ghost * [-1.0, 1.0, 1.0] + [16.8, 0.0, 0.0]])
    bench.camera = framed(bench.camera, bench.logical_size(), both)
    bench._refresh()
    take("twin")
    window.card.leave()
    window.deck.fold(False)
    document.move(control_id(document.rig, "Grab"), 0.15)
    document.move(control_id(document.rig, "Slew"), -0.6)
    look_at(window, "Crane base", "Crane post", "Crane jib", "Grab head", "Shell, left")
    document.select(part_id(document.rig, "Crane jib"))
    take("crane")
    bench.show_all()


def _take_routine(window: Window, take: Callable[[str], None], settle: Callable[[], None]) -> None:
    """The boat goes through, the lamp is handed over, and hands write; the winch on its treads."""
    document, timing = window.document, window.document.timing
    timing.choose(next(iter(document.rig.routines)))
    window.deck.show_page("Routine")
    timing.go_to(13.7)
    settle()
    look_at(window, "Crane base", "Crane post", "Crane jib", "Quay winch", "Pump house")
    lamp = part_id(document.rig, "Signal lamp")
    document.select(lamp)
    window.deck.routine.lines.choose_hand_off((lamp, 13.0))
    timing.write(True)
    settle()
    take("routine")
    window.deck.routine.lines.choose_hand_off(None)
    timing.write(False)
    timing.go_to(18.2)
    window.deck.fold(True)
    document.select(next(iter(document.rig.treads)))
    look_at(window, "Quay winch", "Driving wheel, left", "Idler, right")
    timing.follow(True)
    document.select(list(document.rig.treads)[1])
    settle()
    take("treads")
    window.deck.fold(False)
    timing.follow(False)


def _take_links(window: Window, take: Callable[[str], None], settle: Callable[[], None]) -> None:
    """Ratios, formulas, the carriage, and the pages that show the links."""
    document, bench = window.document, window.bench

    def show(name: str) -> str:
        part = part_id(document.rig, name)
        document.select(part)
        bench.show_selected()
        settle()
        return part

    trolley = show("Inspection trolley")
    move = {"Inspection trolley steering": math.radians(24), "Inspection trolley travel": 0.6}
    for name, value in move.items():
        document.move(channel_key(document.rig, name), value)
    document.select(part_id(document.rig, "Front wheel, left"))
    window.deck.show_page("Ledger")
    take("carriage")
    document.select(trolley)
    bench.show_all()
    document.move(channel_key(document.rig, "Louvres"), math.radians(35))
    document.select(part_id(document.rig, "Pinion, east"))

    show("Winch arm")
    document.move(channel_key(document.rig, "Winch"), 2 * math.pi * 1.3)
    window.deck.show_page("Drive map")
    bench.show_all()
    window.deck.map.view.opened = frozenset(
        node for node in window.deck.map.view.map.nodes if node.startswith("train")
    )
    window.deck.map.rebuild()
    document.select(part_id(document.rig, "Winch arm"))
    take("drive-map")
    window.deck.map.view.fold()
    _take_routine(window, take, settle)

    show("Pump house")
    document.select(part_id(document.rig, "Louvre bar"))
    window.card.write_formula(channel_key(document.rig, "Louvre bar move z"))
    window.card.making.edit.field.setPlainText("-0.1 m * sin(Louvre.turn) + 0.02 m")
    settle()
    take("formula")
    window.card.leave()

    whole = document.rig
    windlass = part_id(whole, "Windlass")
    parts = dict(whole.parts)
    x, y, z = parts[windlass].mount.at
    off = msgspec.structs.replace(parts[windlass].mount, at=(x - 0.004, y, z))
    parts[windlass] = msgspec.structs.replace(parts[windlass], mount=off)
    links = {
        i: msgspec.structs.replace(link, radius=0.3) if isinstance(link, Rolling) else link
        for i, link in whole.links.items()
    }
    document.edit("spoil it", lambda _rig: msgspec.structs.replace(whole, parts=parts, links=links))
    show("Windlass")
    window.deck.show_page("Inspection")
    document.undo()
    window.deck.show_page("Cam")


if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    main()
