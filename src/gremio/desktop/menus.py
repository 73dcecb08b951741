"""The menus: every action by its words, and the key it has to begin with."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, get_args

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from gremio.core.rig.model import StandIn, StrandKind
from gremio.desktop import rigging
from gremio.desktop.card.links import ADD_TARGET, CONSTRAIN, LEAD
from gremio.desktop.card.range_section import ONE_MORE
from gremio.desktop.deck.deck import PAGES

if TYPE_CHECKING:
    from gremio.desktop.window import Window


def fill_menus(window: Window) -> dict[str, QAction]:
    """Fill the menus of a window; returns its actions by their words, without dots."""
    actions: dict[str, QAction] = {}

    def act(menu: QMenu | None, text: str, do: Callable[[], object], keys: str = "") -> QAction:
        assert menu is not None
        action = QAction(text, window)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _checked=False: do())
        menu.addAction(action)
        actions[text.rstrip("…")] = action
        return action

    def over(action: QAction, *views: QWidget) -> None:
        """Let the key of an action count in some views only: elsewhere it means another thing."""
        action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        for view in views:
            view.addAction(action)

    document, bar = window.document, window.head.menus
    menu = bar.addMenu("File")
    act(menu, "New rig", lambda: window.files.new(), "Ctrl+N")
    act(menu, "Open…", lambda: window.files.open(), "Ctrl+O")
    act(menu, "Open Saltmarsh lock", window.open_demo)
    menu.addSeparator()
    act(menu, "Save", lambda: window.files.save(), "Ctrl+S")
    act(menu, "Save as…", lambda: window.files.save_as(), "Ctrl+Shift+S")
    menu.addSeparator()
    act(menu, "Bring in parts…", lambda: window.files.bring_in(), "Ctrl+I")
    act(menu, "Bring in a cam from a CSV…", lambda: window.files.bring_in_cam())
    act(menu, "Export the parts as posed…", lambda: window.files.export_pose(), "Ctrl+E")
    act(menu, "Export a control's travel…", lambda: window.files.export_travel(), "Ctrl+Shift+E")
    act(menu, "Export as URDF…", lambda: window.files.export_urdf())
    menu.addSeparator()
    act(menu, "Quit", window.close, "Ctrl+Q")

    menu = bar.addMenu("Edit")
    act(menu, "Undo", document.undo, "Ctrl+Z")
    act(menu, "Redo", document.redo, "Ctrl+Shift+Z")
    menu.addSeparator()
    act(menu, "Remove what is selected", partial(rigging.remove_selected, document), "Del")
    act(menu, "Copy the part", partial(rigging.copy_selected, document), "Ctrl+D")
    act(menu, "Copy as a link", partial(rigging.copy_link_of_selected, document), "Ctrl+L")
    act(menu, "Paste the link", partial(rigging.paste_link_on_selected, document), "Ctrl+Shift+L")
    act(menu, "Keep this pose", window.desk.poses.keep, "K")
    menu.addSeparator()
    act(menu, "Find anything", window.find_anything, "Ctrl+K")

    menu = bar.addMenu("Rig")
    parts = menu.addMenu("Add a part")
    for name in rigging.NEW_PARTS:
        act(parts, f"Add a {name.lower()}", partial(window.add_part, name))
    act(menu, "Make a control", partial(rigging.make_control, document), "C")
    act(menu, LEAD, window.picking.lead_something, "L")
    act(menu, ONE_MORE, window.picking.lead_one_more)
    act(menu, "Teach a cam", window.teach, "T")
    act(menu, "Record a station", window.record_station, "R")
    act(menu, "Pin two parts together", window.bench.ask_pin, "P")
    act(menu, "Make a strut", window.bench.ask_strut, "S")
    strands = menu.addMenu("Make what takes up the way")
    for strand in get_args(StrandKind):
        act(strands, f"Make a {strand}" if strand != "bellows" else "Make bellows",
            partial(window.bench.ask_strand, strand))  # fmt: skip
    ties = menu.addMenu("Constrain what is selected")
    for number, (kind, words) in enumerate(CONSTRAIN.items()):
        tie = act(ties, words, partial(window.picking.constrain, kind), str(number + 1))
        # On the Desk digits are typed.
        over(tie, window.bench, window.parts)
    ties.addSeparator()
    act(ties, ADD_TARGET, window.picking.add_target)
    over(act(ties, "Seat copies of it, a click each", window.picking.seat_copies, "0"),
         window.bench, window.parts)  # fmt: skip
    act(ties, "Leave its constraints in place", partial(rigging.leave_selected, document))
    act(ties, "Leave all constraints in place", partial(rigging.leave_all, document))
    paths = menu.addMenu("Make a path")
    act(paths, "Draw a path", window.bench.ask_path)
    act(paths, "Path along a loop of edges", window.bench.ask_edge_loop)
    act(paths, "Path round wheels", window.bench.ask_wheels)
    menu.addSeparator()
    act(menu, "Place the teeth of its train", window.place_teeth)
    act(menu, "Make a planetary set…", window.picking.planetary_set)
    act(menu, "Make a wheeled carriage…", window.make_carriage)
    menu.addSeparator()
    act(menu, "Choose the joint", window.choose_joint, "J")
    act(menu, "Try the axis", partial(rigging.try_axis, document, window.bench), "A")
    act(menu, "Set the low stop here", partial(rigging.set_stop_here, document, "low"), "[")
    act(menu, "Set the high stop here", partial(rigging.set_stop_here, document, "high"), "]")
    act(menu, "Set home here", partial(rigging.set_home, document), "Shift+H")
    act(menu, "Go home", partial(rigging.go_home, document), "H")
    act(menu, "Everything home", partial(rigging.everything_home, document), "Ctrl+H")
    menu.addSeparator()
    act(menu, "Put the rig on the ground", window.to_the_ground)
    act(menu, "Take stray scale out", window.take_scale_out)
    menu.addSeparator()
    act(menu, "Lock for the animator", partial(rigging.switch_lock, document))
    menu.addSeparator()
    act(menu, "Find a model…", lambda: window.files.find_model())
    act(menu, "Look at the models again", window.document.look_again)

    menu = bar.addMenu("Bench")
    act(menu, "Show all", window.bench.show_all, "Z")
    act(menu, "Show what is selected", window.bench.show_selected, "X")
    act(menu, "Measure", window.measure, "M")
    act(menu, "Work light, with stand-ins", window.switch_light, "W")
    stand_ins = menu.addMenu("Stand-in of what is selected and all it carries")
    for stand_in in get_args(StandIn):
        word = "none" if stand_in == "full" else stand_in
        act(stand_ins, f"Stand-in: {word}",
            partial(rigging.stand_in_for_selected, document, stand_in))  # fmt: skip
    act(menu, "Hide what is selected", partial(rigging.hide_selected, document, window.bench),
        "Shift+X")  # fmt: skip
    act(menu, "Isolate what is selected", partial(rigging.isolate_selected, document, window.bench),
        "I")  # fmt: skip
    act(menu, "Show everything", partial(rigging.show_everything, document, window.bench))
    act(menu, "Faces of controls, or none", window.switch_faces, "Shift+F")
    following = act(menu, "Next control", window.desk.focus_next, "Tab")
    # On the Card and the deck, Tab goes from field to field.
    over(following, window.bench, window.desk)
    menu.addSeparator()
    act(menu, "Fold the lower deck", window.fold_deck, "D")
    for page in PAGES:
        act(menu, f"Show the {page}", partial(window.deck.show_page, page))
    menu.addSeparator()
    act(menu, "Day or night", window.switch_inks, "N")

    menu = bar.addMenu("Help")
    act(menu, "Keys and hands", window.show_keys, "F1")
    return actions
