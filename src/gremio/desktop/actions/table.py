"""All actions, in the order of the menus. Menus, keys, Find anything and Cards are made of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import get_args

from gremio.core.problem import with_article
from gremio.core.rig.constraints import CONSTRAINTS
from gremio.core.rig.model import ConstraintKind, StandIn, StrandKind
from gremio.desktop.actions import asking, hand_offs, rigging, timing, touching, tracing, treads
from gremio.desktop.actions.action import Action, Where
from gremio.desktop.actions.desktop import Desktop

Do = Callable[[Desktop], object]
_FILE, _EDIT, _RIG, _BENCH, _HELP = ("File",), ("Edit",), ("Rig",), ("Bench",), ("Help",)
_TIME = ("Rig", "Time")
_TIES = ("Rig", "Constrain what is selected")
_PATHS = ("Rig", "Make a path")
_OVER: Where = "bench and parts"


def actions_of(pages: Sequence[str]) -> tuple[Action, ...]:
    """Every action there is. pages: the names of the deck's pages."""
    return (
        *_FILES,
        *_EDITS,
        *(_new_part(kind) for kind in rigging.NEW_PARTS),
        *_LINKS,
        *(_strand(kind) for kind in get_args(StrandKind)),
        *(_constraint(kind, number) for number, kind in enumerate(CONSTRAINTS, 1)),
        *_TYING,
        *_PREPARING,
        *_TIMING,
        *_LOOKING,
        *(_stand_in(kind) for kind in get_args(StandIn)),
        *_SHOWING,
        *(_page(page) for page in pages),
        Action("bench.inks", "Day or night", lambda d: d.switch_inks(), _BENCH, "N", apart=True),
        Action("help.keys", "Keys and hands", lambda d: d.show_keys(), _HELP, "F1"),
        Action("help.guide", "Guide", lambda d: d.show_guide(), _HELP, "Shift+F1"),
        Action("help.pages", "Pages on scripts", lambda d: d.show_pages(), _HELP),
        Action("help.about", "About Gremio", lambda d: d.show_about(), _HELP, apart=True),
    )


_FILES = (
    Action("file.new", "New rig", lambda d: d.files.new(), _FILE, "Ctrl+N"),
    Action("file.window", "New window", lambda d: d.files.new_window(), _FILE, "Ctrl+Shift+N"),
    Action("file.open", "Open", lambda d: d.files.open(), _FILE, "Ctrl+O", asks=True),
    Action("file.copy", "Open a copy", lambda d: d.files.open_copy(), _FILE, asks=True),
    Action("file.demo", "Open Saltmarsh lock", lambda d: d.open_demo(), _FILE),
    Action("file.save", "Save", lambda d: d.files.save(), _FILE, "Ctrl+S", apart=True),
    Action("file.save as", "Save as", lambda d: d.files.save_as(), _FILE, "Ctrl+Shift+S",
           asks=True),
    Action("file.compare", "Compare with another rig", lambda d: d.files.compare(), _FILE,
           asks=True),
    Action("file.previous", "Keep the previous save beside it, or no more",
           lambda d: d.files.switch_previous(), _FILE),
    Action("file.bring in", "Bring in parts", lambda d: d.files.bring_in(), _FILE, "Ctrl+I",
           asks=True, apart=True),
    Action("file.bring in cam", "Bring in a cam from a CSV", lambda d: d.files.bring_in_cam(),
           _FILE, asks=True),
    Action("file.export pose", "Export the parts as posed", lambda d: d.files.export_pose(),
           _FILE, "Ctrl+E", asks=True),
    Action("file.export travel", "Export a control's travel", lambda d: d.files.export_travel(),
           _FILE, "Ctrl+Shift+E", asks=True),
    Action("file.bake", "Bake the routine", lambda d: d.files.bake_routine(), _FILE, asks=True),
    Action("file.line", "Export the selected path as CSV", lambda d: d.files.export_line(), _FILE,
           asks=True),
    Action("file.export urdf", "Export as URDF", lambda d: d.files.export_urdf(), _FILE,
           asks=True),
    Action("file.quit", "Quit", lambda d: d.close(), _FILE, "Ctrl+Q", apart=True),
)  # fmt: skip

_EDITS = (
    Action("edit.undo", "Undo", lambda d: d.document.undo(), _EDIT, "Ctrl+Z"),
    Action("edit.redo", "Redo", lambda d: d.document.redo(), _EDIT, "Ctrl+Shift+Z"),
    Action("edit.remove", "Remove what is selected",
           lambda d: rigging.remove_selected(d.document), _EDIT, "Del", apart=True),
    Action("edit.copy", "Copy the part", lambda d: _copy(d), _EDIT, "Ctrl+D"),
    Action("edit.mirror", "Mirror what is selected", asking.mirror, _EDIT, "Ctrl+M", asks=True),
    Action("edit.resize", "Resize what is selected, or all", lambda d: d.show_resizing(), _EDIT,
           asks=True),
    Action("edit.take", "Take the part, for another rig", lambda d: _take(d), _EDIT, "Ctrl+C",
           _OVER),
    Action("edit.put", "Paste what was taken", lambda d: _put(d), _EDIT, "Ctrl+V", _OVER),
    Action("edit.keep kit", "Keep it as a kit", lambda d: d.keep_kit(), _EDIT, asks=True),
    Action("edit.put kit", "Put in a kit", lambda d: d.show_page("Kits"), _EDIT, asks=True),
    Action("edit.copy link", "Copy as a link",
           lambda d: rigging.copy_link_of_selected(d.document), _EDIT, "Ctrl+L"),
    Action("edit.paste link", "Paste the link",
           lambda d: rigging.paste_link_on_selected(d.document), _EDIT, "Ctrl+Shift+L"),
    Action("edit.keep pose", "Keep this pose", lambda d: d.keep_pose(), _EDIT, "K"),
    Action("edit.find", "Find anything", lambda d: d.find_anything(), _EDIT, "Ctrl+K",
           apart=True),
)  # fmt: skip


def _new_part(kind: str) -> Action:
    return Action(f"part.{kind.lower()}", f"Add {with_article(kind.lower())}",
                  lambda d: rigging.add_part(d.document, d.bench, kind),
                  ("Rig", "Add a part"))  # fmt: skip


_LINKS = (
    Action("link.control", "Make a control", lambda d: rigging.make_control(d.document), _RIG,
           "C"),
    Action("link.lead", "Lead something from what is selected", asking.lead_something, _RIG, "L"),
    Action("link.motor", "Let a motor drive it", lambda d: rigging.make_motor(d.document), _RIG),
    Action("link.rumble", "Let it shake", lambda d: rigging.make_rumble(d.document), _RIG),
    Action("link.one more", "Lead one more from this cam", asking.lead_one_more, _RIG),
    Action("link.teach", "Teach a cam", asking.teach, _RIG, "T"),
    Action("link.record", "Record a station", asking.record_station, _RIG, "R"),
    Action("tie.pin two", "Pin two parts together", asking.pin, _RIG, "P"),
    Action("tie.strut", "Make a strut", asking.strut, _RIG, "S"),
)  # fmt: skip


def _copy(desktop: Desktop) -> None:
    from gremio.desktop.actions.copying import copy_selected

    copy_selected(desktop.document, desktop.bench)


def _take(desktop: Desktop) -> None:
    from gremio.desktop.actions.copying import take_selected

    take_selected(desktop.document)


def _put(desktop: Desktop) -> None:
    from gremio.desktop.actions.copying import put_taken

    put_taken(desktop.document)


def _strand(kind: StrandKind) -> Action:
    words = "Make bellows" if kind == "bellows" else f"Make a {kind}"
    return Action(f"strand.{kind}", words, lambda d: asking.strand(d, kind),
                  ("Rig", "Make what takes up the way"))  # fmt: skip


def _constraint(kind: ConstraintKind, number: int) -> Action:
    return Action(f"tie.{kind}", CONSTRAINTS[kind].action, lambda d: asking.constrain(d, kind),
                  _TIES, str(number) if number < 10 else "", _OVER)  # fmt: skip


_TYING = (
    Action("tie.target", "Add a target to the selected constraint", asking.add_target, _TIES,
           apart=True),
    Action("tie.copies", "Seat copies of it, a click each", asking.seat_copies, _TIES, "0", _OVER),
    Action("tie.leave", "Leave its constraints in place",
           lambda d: rigging.leave_selected(d.document), _TIES),
    Action("tie.leave all", "Leave all constraints in place",
           lambda d: rigging.leave_all(d.document), _TIES),
    Action("path.draw", "Draw a path", asking.path_points, _PATHS),
    Action("path.edges", "Path along a loop of edges", asking.path_edges, _PATHS),
    Action("path.wheels", "Path round wheels", asking.path_wheels, _PATHS),
    Action("path.trace", "Trace a point of a part", tracing.trace_point, _PATHS),
)  # fmt: skip

_TIMING = (
    Action(
        "time.play",
        "Play, or stop",
        timing.play,
        _TIME,
        "Space",
        "bench and desk",
    ),
    Action(
        "time.run",
        "Let the clock run without a routine, or stop it",
        timing.run_free,
        _TIME,
        "Shift+Space",
        "bench and desk",
    ),
    Action("time.key", "Key what is selected", timing.key_selected, _TIME, "E"),
    Action(
        "time.write",
        "Let hands write keys, or no more",
        lambda d: timing.switch_writing(d),
        _TIME,
        "Shift+E",
    ),
    Action(
        "time.hand over",
        "Hand over to another carrier",
        hand_offs.hand_over_selected,
        _TIME,
        "Y",
        asks=True,
    ),
    Action("time.next", "To the next key", lambda d: d.document.timing.to_key(1), _TIME),
    Action("time.before", "To the key before", lambda d: d.document.timing.to_key(-1), _TIME),
    Action(
        "time.hands",
        "Back to where hands have put all",
        lambda d: d.document.timing.follow(False),
        _TIME,
        apart=True,
    ),
)

_PREPARING = (
    Action("gear.teeth", "Place the teeth of its train", asking.place_teeth, _RIG, apart=True),
    Action("gear.planetary", "Make a planetary set", asking.planetary_set, _RIG, asks=True),
    Action("gear.carriage", "Make a carriage on wheels or treads", asking.carriage, _RIG,
           asks=True),
    Action("tread.make", "Make a tread round wheels", treads.tread, _RIG, asks=True),
    Action("tread.chain", "Make a chain round sprockets", treads.chain, _RIG, asks=True),
    Action("part.joint", "Choose the joint", asking.choose_joint, _RIG, "J", apart=True),
    Action("part.axis", "Pick the axis", asking.pick_axis, _RIG, "Shift+A", asks=True),
    Action("part.turn round", "Turn it the other way", asking.turn_round, _RIG),
    Action("part.try axis", "Try the axis", lambda d: rigging.try_axis(d.document, d.bench), _RIG,
           "A"),
    Action("part.low stop", "Set the low stop here",
           lambda d: rigging.set_stop_here(d.document, "low"), _RIG, "[", second="Alt+Left"),
    Action("part.high stop", "Set the high stop here",
           lambda d: rigging.set_stop_here(d.document, "high"), _RIG, "]", second="Alt+Right"),
    Action("part.touch", "Set both stops where it touches",
           lambda d: touching.touch_selected(d.document), _RIG),
    Action("part.home", "Set home here", lambda d: rigging.set_home(d.document), _RIG, "Shift+H"),
    Action("rig.home", "Go home", lambda d: rigging.go_home(d.document), _RIG, "H"),
    Action("hand.drive", "Drive a carriage to a place", asking.drive, _RIG),
    Action("rig.all home", "Everything home", lambda d: rigging.everything_home(d.document), _RIG,
           "Ctrl+H"),
    Action("rig.ground", "Put the rig on the ground", asking.to_the_ground, _RIG, apart=True),
    Action("rig.scale", "Take stray scale out", asking.take_scale_out, _RIG),
    Action("rig.lock", "Lock for the animator", lambda d: rigging.switch_lock(d.document), _RIG,
           apart=True),
    Action("rig.find model", "Find a model", lambda d: d.files.find_model(), _RIG, asks=True,
           apart=True),
    Action("rig.revise", "Take up a later model", lambda d: d.files.take_up_later(), _RIG,
           asks=True),
    Action("rig.models", "Look at the models again", lambda d: d.files.look_again(), _RIG),
)  # fmt: skip

_LOOKING = (
    Action("bench.all", "Show all", lambda d: d.bench.show_all(), _BENCH, "V"),
    Action("bench.selected", "Show what is selected", lambda d: d.bench.show_selected(), _BENCH,
           "Shift+V"),
    Action("bench.measure", "Measure", asking.measure, _BENCH, "M"),
    Action("bench.light", "Work light, with stand-ins",
           lambda d: rigging.switch_light(d.document, d.bench), _BENCH, "W"),
    Action("bench.textures", "Textures, or paints",
           lambda d: rigging.switch_textures(d.document, d.bench), _BENCH, "Shift+W"),
)  # fmt: skip


def _stand_in(kind: StandIn) -> Action:
    word = "none" if kind == "full" else kind
    return Action(f"stand-in.{kind}", f"Stand-in: {word}",
                  lambda d: rigging.stand_in_for_selected(d.document, kind),
                  ("Bench", "Stand-in of what is selected and all it carries"))  # fmt: skip


_SHOWING = (
    Action("bench.hide", "Hide what is selected",
           lambda d: rigging.hide_selected(d.document, d.bench), _BENCH, "Shift+X"),
    Action("bench.isolate", "Isolate what is selected",
           lambda d: rigging.isolate_selected(d.document, d.bench), _BENCH, "I"),
    Action("bench.show", "Show everything",
           lambda d: rigging.show_everything(d.document, d.bench), _BENCH),
    Action("bench.faces", "Faces of controls, or none",
           lambda d: d.bench.show_faces(not d.bench.with_faces), _BENCH, "Shift+F"),
    # On the Card and the deck, Tab goes from field to field.
    Action("desk.next", "Next control", lambda d: d.next_control(), _BENCH, "Tab",
           "bench and desk"),
    Action("deck.fold", "Fold the lower deck", lambda d: d.fold_deck(), _BENCH, "D", apart=True),
)  # fmt: skip


def _page(page: str) -> Action:
    return Action(f"deck.{page.lower()}", f"Show the {page}", lambda d: d.show_page(page), _BENCH)
