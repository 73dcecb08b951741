"""Writing what others read: GLB, URDF, and cams as tables; for one window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from gremio.core.files import atomic
from gremio.core.files.formats import SECONDS
from gremio.core.problem import GremioError
from gremio.core.rig.ids import NOTHING, ThingId
from gremio.desktop.card.card import Card
from gremio.desktop.card.travel_sheet import TravelSheet
from gremio.desktop.document.document import Document
from gremio.desktop.fields.save_where import ask_where


class Exports:
    """Writes the open rig, and parts of it, for others. Every failure is said. window: over which
    it asks."""

    def __init__(self, window: QWidget, document: Document, card: Card) -> None:
        self.window, self.document, self.card = window, document, card

    def _say(self, text: str) -> None:
        self.document.said.emit(text)

    def _folder(self) -> str:
        return str(self.document.path.parent if self.document.path else Path.home())

    def _where(self, title: str, name: str, words: str, ending: str) -> Path | None:
        """Ask where to save."""
        return ask_where(self.window, title, self._folder(), name, words, ending)

    # ── export ─────────────────────────────────────────────────────

    def export_pose(self) -> None:
        """Ask where to write the parts as posed."""
        name = self.document.rig.name
        if path := self._where("Export the parts as posed", name, "GLB", ".glb"):
            self.export_path(path, None)

    def export_travel(self) -> None:
        """Ask where to write the selected control's whole travel."""
        control = self.document.rig.controls.get(self.document.selected)
        if control is None:
            self._say("Select the control whose travel is to be exported, on the Desk.")
            return
        name, card = control.name, self.card

        def write(seconds: float, rate: float | None) -> None:
            title = f"Export the travel of {name}"
            if path := self._where(title, name, "GLB", ".glb"):
                self.export_path(path, name, seconds, rate)
                card.leave()

        card.show_instead(TravelSheet(self.document, name, SECONDS, write, card.leave))

    def export_urdf(self) -> None:
        """Ask where to write the rig as URDF."""
        path = self._where("Export as URDF", self.document.rig.name, "URDF", ".urdf")
        if path:
            self.export_urdf_path(path)

    def export_urdf_path(self, path: Path) -> None:
        """Write the rig as URDF; says what it can't carry."""
        from gremio.core.files.urdf_out import write_urdf

        try:
            notes = write_urdf(self.document.rig, path, self.document.shelf)
        except GremioError as problem:
            self._say(str(problem))
            return
        told = " ".join(note.text for note in notes[:3])
        rest = f" And {len(notes) - 3} more." if len(notes) > 3 else ""
        self._say(f"The rig is in {path.name}. {told}{rest}".strip())

    # ── cams as tables ─────────────────────────────────────────────

    def export_cam(self, link_id: ThingId) -> None:
        """Ask where to write a cam's stations as CSV."""
        path = self._where("Export a cam", "cam", "CSV", ".csv")
        if path:
            self.export_cam_path(path, link_id)

    def export_cam_path(self, path: Path, link_id: ThingId) -> None:
        """Write a cam's stations; says how that went."""
        from gremio.core.files.cam_csv import cam_csv

        try:
            atomic.write(path, cam_csv(self.document.rig, link_id).encode())
        except GremioError as problem:
            self._say(str(problem))
            return
        self._say(f"The stations are in {path.name}, in the units shown.")

    def bring_in_cam(self, link_id: ThingId = NOTHING) -> None:
        """Ask for a CSV of stations, the lead first."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Bring in a cam", self._folder(), "CSV (*.csv *.txt)"
        )
        if path:
            self.bring_in_cam_path(Path(path), link_id)

    def bring_in_cam_path(self, path: Path, link_id: ThingId = NOTHING) -> None:
        """Show on the Card what a table holds, and ask what it needs to be told."""
        from gremio.core.files.cam_csv import read_table_file
        from gremio.desktop.card.cam_table_sheet import CamTableSheet

        try:
            table = read_table_file(path)
        except GremioError as problem:
            self._say(str(problem))
            return
        if len(self.document.program.channel_keys) < len(table.names):
            self._say(
                f"{path.name} has {len(table.names)} columns, and the rig has fewer controls and "
                "parts that can move. Make them first."
            )
            return
        card = self.card
        card.show_instead(CamTableSheet(self.document, table, path.name, link_id, card.leave))

    def export_path(
        self, path: Path, control: str | None, seconds: float = SECONDS, rate: float | None = None
    ) -> None:
        """Write a GLB of the pose, or of a control's (by name) travel; says how that went. seconds,
        rate: as of `baked_glb`."""
        from gremio.core.files.glb_out import baked_glb

        document = self.document
        try:
            data, notes = baked_glb(document.rig, document.shelf, control, seconds, rate)
            atomic.write(path, data)
        except GremioError as problem:
            self._say(str(problem))
            return
        what = f"The travel of {control} is" if control else "The parts as posed are"
        self._say(" ".join([f"{what} in {path.name}.", *(note.text for note in notes)]))
