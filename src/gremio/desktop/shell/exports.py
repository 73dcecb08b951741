"""Writing what others read: GLB, URDF, and cams as tables; for one window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from gremio.core.files import atomic
from gremio.core.files.formats import SECONDS, Travel
from gremio.core.mechanics.clock import rate_text
from gremio.core.problem import GremioError, counted_words
from gremio.core.rig.ids import NOTHING, ThingId
from gremio.desktop.card.card import Card
from gremio.desktop.card.travel_sheet import TravelSheet
from gremio.desktop.document.document import Document
from gremio.desktop.fields.save_where import ask_where
from gremio.desktop.shell.recent import in_folder, last_folder


class Exports:
    """Writes the open rig, and parts of it, for others. Every failure is said. window: over which
    it asks."""

    def __init__(self, window: QWidget, document: Document, card: Card) -> None:
        self.window, self.document, self.card = window, document, card

    def _say(self, text: str) -> None:
        self.document.said.emit(text)

    def _folder(self) -> str:
        return str(self.document.path.parent if self.document.path else last_folder())

    def _where(self, title: str, name: str, words: str, *endings: str) -> Path | None:
        """Ask where to save."""
        path = ask_where(self.window, title, self._folder(), name, words, *endings)
        if path is not None:
            in_folder(path)
        return path

    # ── export ─────────────────────────────────────────────────────

    def export_pose(self) -> None:
        """Ask where to write the parts as posed."""
        name = self.document.rig.name
        if path := self._where("Export the parts as posed", name, "GLB", ".glb"):
            self.export_path(path, Travel())

    def export_travel(self) -> None:
        """Ask what travel is to be written: of the selected control, to begin with."""
        controls = self.document.rig.controls
        control = controls.get(self.document.selected, next(iter(controls.values()), None))
        if control is None:
            self._say("A travel is that of a control, and there is none yet. Press C to make one.")
            return
        name, card = control.name, self.card

        def write(travel: Travel) -> None:
            called = travel.control or "the poses"
            if path := self._where(f"Export the travel of {called}", called, "GLB", ".glb"):
                self.export_path(path, travel)
                card.leave()

        card.show_instead(TravelSheet(self.document, name, SECONDS, write, card.leave))

    def bake_routine(self) -> None:
        """Ask where to write all frames of the routine that is shown."""
        routine = self.document.timing.routine
        if routine is None:
            self._say("There is no routine yet. Select what should move and press E to key it.")
            return
        path = self._where(
            f"Bake {routine.name}", routine.name, "GLB, CSV or JSON", ".glb", ".csv", ".json"
        )
        if path:
            self.bake_path(path)

    def bake_path(self, path: Path) -> None:
        """Write all frames of the routine that is shown, by the ending; says how that went."""
        from gremio.core.script.baking import bake_file

        document, timing = self.document, self.document.timing
        routine = timing.routine
        assert routine is not None
        try:
            with document.patience(f"{routine.name} is baked …", "Stop, and write nothing (Esc)"):
                notes = bake_file(document.rig, path, routine.name, shelf=document.shelf)
        except GremioError as problem:
            self._say(str(problem))
            return
        told = f"{routine.name} is in {path.name}, {rate_text(routine.rate)} frames a second."
        self._say(" ".join([told, *(note.text for note in notes[:3])]))

    def export_line(self) -> None:
        """Ask where to write the selected path, such as a trace, as a table."""
        line = self.document.rig.paths.get(self.document.selected)
        if line is None:
            self._say("Select a path first; a trace is one too.")
            return
        path = self._where(f"Export {line.name}", line.name, "CSV", ".csv")
        if path:
            self.export_line_path(path)

    def export_line_path(self, path: Path) -> None:
        """Write the selected path as a table; says how many rows."""
        from gremio.core.files.path_csv import path_csv

        line = self.document.rig.paths[self.document.selected]
        try:
            atomic.write(path, path_csv(line).encode())
        except GremioError as problem:
            self._say(str(problem))
            return
        what = counted_words(len(line.ticks or line.points), "tick" if line.ticks else "point")
        self._say(f"{what} of {line.name} are in {path.name}.")

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
            columns = counted_words(len(table.names), "column")
            self._say(
                f"{path.name} has {columns}, and the rig has fewer controls and parts that can "
                "move. Make them first."
            )
            return
        card = self.card
        card.show_instead(CamTableSheet(self.document, table, path.name, link_id, card.leave))

    def export_path(self, path: Path, travel: Travel) -> None:
        """Write a GLB of the pose, or of a travel; says how that went."""
        from gremio.core.files.glb_out import baked_glb

        document = self.document
        try:
            way = travel.way(document.rig)
            seconds = SECONDS if travel.seconds is None else travel.seconds
            data, notes = baked_glb(document.rig, document.shelf, way, seconds, travel.fps)
            atomic.write(path, data)
        except GremioError as problem:
            self._say(str(problem))
            return
        what = "The parts as posed are" if way is None else f"The travel of {way.name} is"
        self._say(" ".join([f"{what} in {path.name}.", *(note.text for note in notes)]))
