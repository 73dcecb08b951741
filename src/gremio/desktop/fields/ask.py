"""A question with a few answers, over a window."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from gremio.desktop.theme.dress import dress
from gremio.desktop.theme.inks import DAY

_ROLE = QMessageBox.ButtonRole


def choose(
    parent: QWidget | None,
    title: str,
    text: str,
    answers: Sequence[str],
    usual: str,
    more: str = "",
) -> str:
    """Which of the answers is given. usual: what Enter gives. Esc gives the last, which must change
    nothing. more: said in smaller words."""
    app = QApplication.instance()
    if isinstance(app, QApplication) and not app.styleSheet():
        # Asked before the window is there, which puts the inks on.
        dress(app, getattr(parent, "inks", DAY))
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setText(text)
    box.setInformativeText(more)
    buttons = {
        answer: box.addButton(
            answer, _ROLE.RejectRole if answer == answers[-1] else _ROLE.AcceptRole
        )
        for answer in answers
    }
    box.setDefaultButton(buttons[usual])
    box.setEscapeButton(buttons[answers[-1]])
    box.exec()
    given = box.clickedButton()
    return next((a for a, button in buttons.items() if given is button), answers[-1])
