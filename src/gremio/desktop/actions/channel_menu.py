"""What can be done with any number: copied, pasted, led, made a control."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QApplication, QMenu, QWidget

from gremio.core.edit.controls import proposed_control
from gremio.core.edit.links import add_link, let_go
from gremio.core.make.lead_instead import lead_instead, leads_now
from gremio.core.make.linking import set_where_follower_stands, with_control_of
from gremio.core.problem import listed
from gremio.core.quantity import show, show_short
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.numbers import exists, full_label, kind_of, shown_unit
from gremio.core.typed import QuantityError, parse
from gremio.desktop.document.document import Document
from gremio.desktop.fields.ask import choose


def copy_value(document: Document, channel: ChannelKey) -> None:
    """Put a channel's value on the clipboard, with its unit."""
    rig = document.rig
    text = show(document.pose.at(channel), shown_unit(rig, channel), decimals=6)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText(text)
    document.said.emit(f"{full_label(rig, channel)} is copied: {text}.")


def paste_value(document: Document, channel: ChannelKey) -> None:
    """Bring a channel to the value on the clipboard."""
    rig = document.rig
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    name = full_label(rig, channel)
    try:
        value = parse(clipboard.text(), kind_of(rig, channel), shown_unit(rig, channel), name)
    except QuantityError as problem:
        document.said.emit(str(problem))
        return
    document.move(channel, value)
    document.settle()


def copy_as_link(document: Document, channel: ChannelKey) -> None:
    """Keep a channel so that others can be led by it."""
    document.copied = channel
    name = full_label(document.rig, channel)
    document.said.emit(f"{name} is copied as a link: paste it on what should follow.")


def paste_link(document: Document, channel: ChannelKey) -> None:
    """Let the copied channel lead this one, one for one; it stays where it stands."""
    rig, lead = document.rig, document.copied
    if not exists(rig, lead):
        document.said.emit("Nothing is copied as a link yet. Copy a channel as a link first.")
        return
    if lead == channel:
        document.said.emit(f"{full_label(rig, channel)} can't lead itself. Paste it on another.")
        return
    stood = document.settled().at(channel)

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        rig, link = add_link(rig, Ratio(lead, channel, 1.0))
        return set_where_follower_stands(rig, channel, stood, geometry=document.geometry), link

    names = full_label(rig, lead), full_label(rig, channel)
    if document.edit(f"lead {names[1]} from {names[0]}", lambda rig: change(rig)[0]):
        document.said.emit(f"{names[0]} leads {names[1]}, one for one.")


def is_led(document: Document, channel: ChannelKey) -> bool:
    """Whether something leads a number (by key) already; says so, and what to do."""
    if channel not in document.program.drives:
        return False
    name = full_label(document.rig, channel)
    document.said.emit(f"{name} is led already. Let it go first, with the right button.")
    return True


def make_control_of(document: Document, channel: ChannelKey) -> None:
    """Make a control that leads any number (by key), with a sensible range round its present
    value; the number stays where it is. Of what a closed linkage is solved for, ask whether it
    should lead instead."""
    rig, value = document.rig, document.settled().at(channel)
    now = leads_now(document.program, channel)
    name = full_label(rig, channel)
    if now:
        _ask_to_lead_instead(document, channel, now)
        return
    if is_led(document, channel):
        return
    control = proposed_control(rig, channel, value)
    make = partial(
        with_control_of, channel=channel, stood=value, geometry=document.geometry, control=control
    )
    if document.make(f"make a control of {name}", make):
        document.said.emit(f"{control.name} leads {name}, one for one.")


def _ask_to_lead_instead(document: Document, channel: ChannelKey, now: ChannelKey) -> None:
    """Ask whether a channel should lead its closed linkage in place of the one that does now."""
    name, other = full_label(document.rig, channel), full_label(document.rig, now)
    yes = f"Let {name} lead instead"
    answer = choose(
        QApplication.activeWindow(),
        "What leads",
        f"{name} is moved by the linkage that {other} leads.",
        (yes, "Stay"),
        yes,
        f"{other} is moved by the linkage then. All stays where it stands.",
    )
    if answer != yes:
        return
    change = partial(lead_instead, channel=channel, geometry=document.geometry)
    before = document.rig.controls
    if document.make(f"let {name} lead instead of {other}", change):
        made = document.rig.controls[document.selected]
        low, high = (show_short(value, made.unit) for value in (made.low, made.high))
        gone = [entry.name for i, entry in before.items() if i not in document.rig.controls]
        rest = f" {listed(gone)} led nothing else, and is taken out." if gone else ""
        document.said.emit(
            f"{made.name} leads {name}, {low} to {high} as it went before; {other} follows it now."
            f"{rest}"
        )


def channel_menu(
    document: Document,
    channel: ChannelKey,
    write_formula: Callable[[ChannelKey], None] | None = None,
    lead: Callable[[ChannelKey], None] | None = None,
) -> Callable[[QWidget], QMenu]:
    """Makes the menu of any number (by key): copy and paste, its value or a link; a control, a
    formula, a link from it, and the letting go of what leads it. write_formula, lead: where there
    is a Card to do it on."""

    def make(parent: QWidget) -> QMenu:
        menu = QMenu(parent)

        def act(text: str, do: Callable[[], object], *, able: bool = True) -> None:
            action = menu.addAction(text)
            assert action is not None
            action.setEnabled(able)
            action.triggered.connect(lambda _checked=False: do())

        act("Copy value", partial(copy_value, document, channel))
        act("Paste value", partial(paste_value, document, channel))
        menu.addSeparator()
        drive = document.program.drives.get(channel)
        free = drive is None or bool(leads_now(document.program, channel))
        act("Make a control for it", partial(make_control_of, document, channel), able=free)
        if write_formula is not None:
            act("Write a formula for it", partial(write_formula, channel))
        if lead is not None:
            act("Lead something from it", partial(lead, channel))
        act("Copy as a link", partial(copy_as_link, document, channel))
        copied = exists(document.rig, document.copied) and document.copied != channel
        words = "Paste the link"
        if copied:
            words += f" from {full_label(document.rig, document.copied)}"
        act(words, partial(paste_link, document, channel), able=copied)
        links = [] if drive is None else [i for i in drive.links if i in document.rig.links]
        if links:
            act("Let it go", partial(_let_go, document, channel, links[0]))
        return menu

    return make


def _let_go(document: Document, channel: ChannelKey, link_id: ThingId) -> None:
    """Remove the link that leads a number; of a cam, take the number out."""
    name = full_label(document.rig, channel)
    document.edit(f"let {name} go", lambda rig: let_go(rig, link_id, channel))
