"""A question with a few answers, over a window."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QMessageBox, QWidget

_ROLE = QMessageBox.ButtonRole


def choose(
    parent: QWidget, title: str, text: str, answers: Sequence[str], usual: str, more: str = ""
) -> str:
    """Which of the answers is given. usual: what Enter gives. Esc gives the last, which must change
    nothing. more: said in smaller words."""
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
