"""Help inside the application: the guide with its pictures, and what Gremio is made of."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QImage, QTextBlock, QTextDocument
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from gremio.desktop.fields.pieces import second, title, verb
from gremio.desktop.theme.dress import text_font

# Where the guide stands: in what was installed, or beside the sources.
_FOLDERS = (Path(__file__).parents[1] / "help", Path(__file__).parents[4] / "docs")
# The pages on scripts: as installed, or as built beside the sources.
_PAGES = (
    Path(__file__).parents[1] / "help" / "pages" / "index.html",
    Path(__file__).parents[4] / "build" / "pages" / "index.html",
)
_PICTURE = 640  # how wide pictures are shown (px)
_MADE_OF = (
    "Gremio comes under the GNU General Public Licence, version 3 or later.\n\n"
    "It is set in B612 (SIL Open Font Licence) and DejaVu Sans Mono (Bitstream Vera licence), and "
    "draws with symbols after ISO 3952. Their licences come with it.\n\n"
    "It opens nothing on any network, and nothing of what you make leaves this computer."
)


def help_folder() -> Path | None:
    """Where the guide and its pictures are; None where they did not come along."""
    return next((folder for folder in _FOLDERS if (folder / "guide.md").is_file()), None)


def show_guide(window: QWidget, say: Callable[[str], None]) -> None:
    """Show the guide over a window."""
    folder = help_folder()
    if folder is None:
        say("The guide did not come with this Gremio. It is docs/guide.md of its sources.")
    else:
        GuideWindow(folder, window).show()


def show_pages(say: Callable[[str], None]) -> None:
    """Open the pages on scripts, which are files, in a browser."""
    page = next((one for one in _PAGES if one.is_file()), None)
    if page is None:
        say("The pages on scripts are not here. In the sources, make docs builds them.")
    elif not QDesktopServices.openUrl(QUrl.fromLocalFile(str(page))):
        say(f"There is no browser to open them with. They are {page}.")


def version_now() -> str:
    """The version of this Gremio."""
    from importlib.metadata import PackageNotFoundError, version

    try:
        return version("gremio")
    except PackageNotFoundError:
        return "of its sources"


class _Pages(QTextBrowser):
    """Text with pictures from a folder, none wider than the text."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = folder

    def loadResource(self, kind: int, name: QUrl) -> object:
        """A picture, as wide as fits."""
        picture = QImage(str(self._folder / name.toString()))
        if picture.isNull():
            return super().loadResource(kind, name)
        return picture.scaledToWidth(_PICTURE, Qt.TransformationMode.SmoothTransformation)


class GuideWindow(QDialog):
    """The guide, its headings at the left."""

    def __init__(self, folder: Path, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.resize(940, 640)
        self.contents = QListWidget()
        self.contents.setAccessibleName("Contents")
        self.contents.setFixedWidth(210)
        self.text = _Pages(folder)
        self.text.setAccessibleName("Guide")
        self.text.setOpenLinks(False)
        self.text.setFont(text_font(10))
        self.text.document().setDocumentMargin(14)
        self.text.document().setMarkdown(
            (folder / "guide.md").read_text(), QTextDocument.MarkdownFeature.MarkdownDialectGitHub
        )
        line = QHBoxLayout(self)
        line.addWidget(self.contents)
        line.addWidget(self.text, 1)
        self._headings: list[QTextBlock] = []
        block = self.text.document().begin()
        while block.isValid():
            level = block.blockFormat().headingLevel()
            if level in (2, 3):
                item = QListWidgetItem(("    " if level == 3 else "") + block.text())
                self.contents.addItem(item)
                self._headings.append(block)
            block = block.next()
        self.contents.currentRowChanged.connect(self._go_to)

    def _go_to(self, row: int) -> None:
        if not 0 <= row < len(self._headings):
            return
        layout = self.text.document().documentLayout()
        top = layout.blockBoundingRect(self._headings[row]).top()
        self.text.verticalScrollBar().setValue(int(top) - 6)

    def sizeHint(self) -> QSize:
        """Wide enough to read."""
        return QSize(940, 640)


class AboutWindow(QDialog):
    """Which version it is, and what it is made of."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Gremio")
        self.setFixedWidth(420)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 14)
        column.setSpacing(10)
        column.addWidget(title("Gremio"))
        told = QLabel(f"version {version_now()}")
        told.setAccessibleName("Version")
        told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(told)
        column.addWidget(second(_MADE_OF))
        done = verb("Close", self.accept, "Escape")
        column.addWidget(done, 0, Qt.AlignmentFlag.AlignRight)
