"""Copying a channel's value, or the channel as a link, and pasting it on another."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QApplication, QMenu, QWidget

from gremio.core.make.linking import set_where_follower_stands
from gremio.core.quantity import QuantityError, parse, show
from gremio.core.rig.channels import full_label, kind_of, shown_unit, split
from gremio.core.rig.edit.links import add_link
from gremio.core.rig.model import Ratio, Rig
from gremio.desktop.document import Document


def copy_value(document: Document, channel: str) -> None:
    """Put a channel's value on the clipboard, with its unit."""
    rig = document.rig
    text = show(document.pose.at(channel), shown_unit(rig, channel), decimals=6)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText(text)
    document.said.emit(f"{full_label(rig, channel)} is copied: {text}.")


def paste_value(document: Document, channel: str) -> None:
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


def copy_as_link(document: Document, channel: str) -> None:
    """Keep a channel so that others can be led by it."""
    document.copied = channel
    name = full_label(document.rig, channel)
    document.said.emit(f"{name} is copied as a link: paste it on what should follow.")


def paste_link(document: Document, channel: str) -> None:
    """Let the copied channel lead this one, one for one; it stays where it stands."""
    rig, lead = document.rig, document.copied
    if lead not in document.program.channel_row:
        document.said.emit("Nothing is copied as a link yet. Copy a channel as a link first.")
        return
    if lead == channel:
        document.said.emit(f"{full_label(rig, channel)} can't lead itself. Paste it on another.")
        return
    if not split(channel)[1]:
        document.said.emit(f"{full_label(rig, channel)} is a control, and a hand leads it.")
        return
    stood = document.pose.at(channel)

    def change(rig: Rig) -> tuple[Rig, str]:
        rig, link = add_link(rig, Ratio(lead, channel, 1.0))
        return set_where_follower_stands(rig, channel, stood), link

    names = full_label(rig, lead), full_label(rig, channel)
    if document.edit(f"lead {names[1]} from {names[0]}", lambda rig: change(rig)[0]):
        document.said.emit(f"{names[0]} leads {names[1]}, one for one.")


def copying_menu(document: Document, channel: str) -> Callable[[QWidget], QMenu]:
    """Makes the menu of a channel (by key): copy and paste, its value or a link."""

    def make(parent: QWidget) -> QMenu:
        menu = QMenu(parent)

        def act(text: str, do: Callable[[Document, str], None]) -> QAction:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _checked=False: do(document, channel))
            return action

        act("Copy value", copy_value)
        act("Paste value", paste_value)
        menu.addSeparator()
        act("Copy as a link", copy_as_link)
        if split(channel)[1]:
            paste = act("Paste the link", paste_link)
            if document.copied in document.program.channel_row:
                paste.setText(f"Paste the link from {full_label(document.rig, document.copied)}")
            else:
                paste.setEnabled(False)
        return menu

    return make
