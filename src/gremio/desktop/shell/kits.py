"""The kits of one window: kept, put in, and brought up to what their files say."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from gremio.core.files import rig_file
from gremio.core.files.kits import forget_kit, later, read_kit
from gremio.core.problem import GremioError
from gremio.core.rig.ids import thing
from gremio.core.rig.model import Rig
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.card import Card
from gremio.desktop.deck.kits_page import KitsPage
from gremio.desktop.document.document import Document
from gremio.desktop.fields.ask import choose
from gremio.desktop.kept import add_kit_folder, kit_folders
from gremio.desktop.shell.files import Files


class Kits:
    """What the page of kits asks for. Every failure is said."""

    def __init__(
        self,
        window: QWidget,
        document: Document,
        bench: Bench,
        card: Card,
        page: KitsPage,
        files: Files,
    ) -> None:
        self.window, self.document, self.bench, self.card = window, document, bench, card
        self.page, self.files = page, files
        page.chosen.connect(self.put)
        page.open_wanted.connect(files.open_path)
        page.keep_wanted.connect(self.keep)
        page.folder_wanted.connect(self.add_folder)
        page.later_wanted.connect(self.show_later)
        page.forget_wanted.connect(self.forget)

    def keep(self) -> None:
        """Ask on the Card how what is selected is kept as a kit."""
        from gremio.desktop.card.keep_kit_sheet import KeepKitSheet

        if not self.document.chosen_parts:
            self.document.said.emit("Select what to keep: a part goes with all it carries.")
            return
        try:
            sheet = KeepKitSheet(
                self.document, self.bench, kit_folders(), self.write, self.card.leave
            )
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        self.card.show_instead(sheet)

    def write(self, kit: Rig, folder: Path) -> bool:
        """Write a kit into a folder, under its name; asks before one of that name is replaced."""
        file = re.sub(r"[^\w.-]+", "-", kit.name.lower()).strip("-.") or "kit"
        path = folder / f"{file}.gremio"
        if path.exists():
            replace, stay = "Replace it", "Stay"
            given = choose(
                self.window, "A kit of this name", f"There is {path.name} already.",
                (replace, stay), stay, "Rigs that use it are told what has changed.",
            )  # fmt: skip
            if given == stay:
                return False
        try:
            folder.mkdir(parents=True, exist_ok=True)
            rig_file.write(kit, path)
        except OSError as error:
            self.document.said.emit(f"{path.name} can't be kept in {folder}: {error}.")
            return False
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return False
        self.document.said.emit(f"{kit.name} is kept as a kit, in {path}.")
        self.page.look()
        return True

    def put(self, path: Path) -> None:
        """Ask on the Card what a kit asks."""
        from gremio.desktop.card.put_kit_sheet import PutKitSheet

        try:
            kit = read_kit(path)
            self.files.models.read(kit, shown=False)
            sheet = PutKitSheet(self.document, self.bench, kit, path, self.card.leave)
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        self.card.show_instead(sheet)

    def add_folder(self) -> None:
        """Ask for a folder in which kits are looked for too."""
        chosen = QFileDialog.getExistingDirectory(self.window, "Look for kits in")
        if not chosen:
            return
        try:
            add_kit_folder(Path(chosen))
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        self.page.look()

    def show_later(self, use: str) -> None:
        """Show what is otherwise in a kit than when it was put in."""
        use_id = thing(use)
        name, path = self.document.rig.kits[use_id].name, self.document.rig.kits[use_id].path
        try:
            self.files.models.read(read_kit(path), shown=False)
            found = later(self.document.rig, use_id, shelf=self.document.shelf)
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        self.files.taking.of_kit(name, found)

    def forget(self, use: str) -> None:
        """Let what a kit brought be the rig's own."""
        use_id = thing(use)
        name = self.document.rig.kits[use_id].name
        if self.document.edit(f"keep {name} as its own", lambda rig: forget_kit(rig, use_id)):
            self.document.said.emit(f"{name} is this rig's own from now on.")
