"""The first sign of life: a small sheet with the name, while all else is loaded.

Nothing is imported here but the toolkit and the inks, so that the sheet is there at once.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPaintEvent, QPen, QSurfaceFormat
from PyQt6.QtWidgets import QApplication, QWidget

from gremio.core.problem import GremioError
from gremio.desktop.theme.dress import load_fonts, text_font
from gremio.desktop.theme.inks import DAY

_SCREENS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
_WIDE, _TALL = 300, 104


def make_application() -> QApplication:
    """The Qt application, with fonts and inks, and an OpenGL that the Bench can use.

    Raises GremioError when there is no screen: Qt itself would end the process.
    """
    present = QApplication.instance()
    if isinstance(present, QApplication):
        return present
    if not any(os.environ.get(name) for name in _SCREENS):
        raise GremioError(
            "There is no screen to open a window on. Start Gremio from a desktop, or make a "
            "picture with gremio render."
        )
    form = QSurfaceFormat()
    form.setVersion(3, 3)
    form.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    form.setDepthBufferSize(24)
    QSurfaceFormat.setDefaultFormat(form)
    QApplication.setAttribute(Qt.ApplicationAttribute.AA_ShareOpenGLContexts)
    app = QApplication([sys.argv[0] if sys.argv else "gremio"])
    app.setApplicationName("Gremio")
    app.setDesktopFileName("gremio")
    app.setWindowIcon(QIcon(str(Path(__file__).parents[1] / "theme" / "icons" / "gremio.svg")))
    load_fonts()
    app.setStyle("Fusion")
    app.setFont(text_font())
    return app


class Sign(QWidget):
    """A small sheet in the middle of the screen. words: what is being opened. app: the application,
    which must live as long as the sheet."""

    def __init__(self, app: QApplication, words: str) -> None:
        self.app = app
        super().__init__(None, Qt.WindowType.SplashScreen | Qt.WindowType.FramelessWindowHint)
        self._words = words
        self.resize(_WIDE, _TALL)
        screen = QApplication.primaryScreen()
        if screen is not None:
            middle = screen.availableGeometry().center()
            self.move(middle.x() - _WIDE // 2, middle.y() - _TALL // 2)

    def sizeHint(self) -> QSize:
        """As large as its two lines."""
        return QSize(_WIDE, _TALL)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The name, and what is being opened."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(DAY.panel))
        painter.setPen(QPen(QColor(DAY.ink), 2))
        painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        painter.setFont(text_font(17, bold=True))
        painter.drawText(QRectF(20, 18, _WIDE - 40, 34), "Gremio")
        painter.setFont(text_font(9))
        painter.setPen(QColor(DAY.second))
        painter.drawText(QRectF(20, 62, _WIDE - 40, 24), self._words)


def show_sign(words: str) -> Sign:
    """The sheet on the screen, before anything else is loaded. Raises as `make_application`."""
    app = make_application()
    sign = Sign(app, words)
    sign.show()
    app.processEvents()
    sign.repaint()
    app.processEvents()
    return sign
