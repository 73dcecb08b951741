"""The first sign of life: the window as it was last, or a small sheet with the name, while all else
is loaded.

Nothing is imported here but the toolkit and the inks, so that the sheet is there at once.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPaintEvent, QPen, QPixmap, QSurfaceFormat
from PyQt6.QtWidgets import QApplication, QWidget

from gremio import __version__
from gremio.core.problem import GremioError
from gremio.desktop.shell.front import front_of, mark_of
from gremio.desktop.theme.dress import load_fonts, text_font
from gremio.desktop.theme.inks import DAY

_SCREENS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
_WIDE, _TALL = 300, 104
# The sign that is shown, if any.
_shown: list[Sign] = []


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
    """What is seen until the window is there. words: what is being opened. app: the application,
    which must live as long as the sign. picture: how the window was when that had been opened, if
    that is known; else a small sheet in the middle of the screen is shown."""

    def __init__(self, app: QApplication, words: str, picture: QPixmap | None = None) -> None:
        self.app, self.picture = app, picture
        kind = Qt.WindowType.SplashScreen | Qt.WindowType.FramelessWindowHint
        super().__init__(None, kind if picture is None else Qt.WindowType.Window)
        self._words = words
        self.setWindowTitle("Gremio")
        self.resize(self.sizeHint())
        screen = QApplication.primaryScreen()
        if screen is not None and picture is None:
            middle = screen.availableGeometry().center()
            self.move(middle.x() - _WIDE // 2, middle.y() - _TALL // 2)

    def sizeHint(self) -> QSize:
        """As large as the window, or as its two lines."""
        if self.picture is None:
            return QSize(_WIDE, _TALL)
        return self.picture.deviceIndependentSize().toSize()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The name, and what is being opened."""
        painter = QPainter(self)
        sheet = QRectF(self.rect())
        if self.picture is not None:
            painter.drawPixmap(0, 0, self.picture)
            sheet = QRectF(0, 0, _WIDE, 30)
            sheet.moveBottomLeft(QPointF(self.rect().bottomLeft()))
        painter.fillRect(sheet, QColor(DAY.panel))
        painter.setFont(text_font(9))
        if self.picture is None:
            painter.setPen(QPen(QColor(DAY.ink), 2))
            painter.drawRect(sheet.adjusted(1, 1, -1, -1))
            painter.setFont(text_font(17, bold=True))
            painter.drawText(QRectF(20, 18, _WIDE - 40, 34), "Gremio")
            painter.setFont(text_font(9))
            sheet = QRectF(0, 62, _WIDE, 24)
        painter.setPen(QColor(DAY.second))
        painter.drawText(sheet.adjusted(20, 0, -20, 0), Qt.AlignmentFlag.AlignVCenter, self._words)


def show_sign(words: str, file: Path | None = None) -> Sign:
    """The sign on the screen, before anything else is loaded; one that is there already stays.
    file: the rig that is being opened. Raises as `make_application`."""
    if _shown:
        return _shown[0]
    app = make_application()
    found = front_of(mark_of(file), __version__)
    picture = None if found is None else QPixmap(str(found))
    sign = Sign(app, words, None if picture is None or picture.isNull() else picture)
    sign.show()
    app.processEvents()
    sign.repaint()
    app.processEvents()
    _shown.append(sign)
    return sign
