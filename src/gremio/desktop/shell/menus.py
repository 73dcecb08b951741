"""Menus made of the table of actions."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QWidget

from gremio.desktop.actions.action import Action, Where
from gremio.desktop.actions.desktop import Desktop
from gremio.desktop.shell.keys import put_keys


def fill_menus(
    bar: QMenuBar,
    actions: Iterable[Action],
    desktop: Desktop,
    views: Mapping[Where, Sequence[QWidget]],
    owner: QWidget,
) -> dict[str, QAction]:
    """Fill a menu bar; returns what was made of each action, by its id. views: in which a key
    counts, where it does not everywhere."""
    menus: dict[tuple[str, ...], QMenu] = {}
    made: dict[str, QAction] = {}
    for action in actions:
        menu = _menu(bar, menus, action.menu)
        if action.apart:
            menu.addSeparator()
        made[action.id] = _entry(action, desktop, views.get(action.where, ()), owner)
        menu.addAction(made[action.id])
    return made


def _menu(bar: QMenuBar, menus: dict[tuple[str, ...], QMenu], path: tuple[str, ...]) -> QMenu:
    """The menu of a path of names, made where it is not there yet."""
    if path not in menus:
        above = _menu(bar, menus, path[:-1]) if len(path) > 1 else bar
        menu = above.addMenu(path[-1])
        assert menu is not None
        menus[path] = menu
    return menus[path]


def _entry(action: Action, desktop: Desktop, views: Sequence[QWidget], owner: QWidget) -> QAction:
    entry = QAction(action.text, owner)
    if action.key:
        put_keys(entry, action, QKeySequence(action.key))
    entry.triggered.connect(lambda _checked=False: action.do(desktop))
    if views:
        entry.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        for view in views:
            view.addAction(entry)
    return entry
